"""Bringing pages and files in."""
