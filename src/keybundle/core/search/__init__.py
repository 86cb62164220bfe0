"""Query and full-text index."""
