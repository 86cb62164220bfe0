"""Prepare's pages."""
