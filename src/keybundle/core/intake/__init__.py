"""Where pages come from: scanner and files."""
