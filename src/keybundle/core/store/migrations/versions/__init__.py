"""One module for each schema change."""
