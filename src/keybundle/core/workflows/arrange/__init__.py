"""Separating and arranging pages by hand."""
