"""Cabinets: their levels, and the storage areas that keep their files."""
