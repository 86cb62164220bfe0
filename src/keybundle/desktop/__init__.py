"""The desktop: shows, never computes."""
