"""Changing the set-up."""
