"""The one door to background work."""
