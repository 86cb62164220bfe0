"""Colours, type, style sheet, icons."""
