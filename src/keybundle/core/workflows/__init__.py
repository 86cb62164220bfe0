"""The use cases by verb; the door of the core."""
