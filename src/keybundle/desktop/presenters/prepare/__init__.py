"""Prepare: the set-up's parts, each with its list and its editor."""
