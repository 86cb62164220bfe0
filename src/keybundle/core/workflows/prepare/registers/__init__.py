"""Registers: their entries, the files and databases they come from, and what is proposed for them."""
