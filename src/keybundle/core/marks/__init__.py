"""Barcodes and separator sheets: find them, print them."""
