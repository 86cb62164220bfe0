"""Reference lists: look-up, near match, dependent values."""
