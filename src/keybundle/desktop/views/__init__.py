"""Widgets; each renders a state."""
