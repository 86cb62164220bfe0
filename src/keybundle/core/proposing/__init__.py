"""Document type and values proposed from the page text."""
