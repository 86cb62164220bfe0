"""Searchable PDF/A."""
