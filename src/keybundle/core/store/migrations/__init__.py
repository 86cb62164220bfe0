"""Numbered schema changes."""
