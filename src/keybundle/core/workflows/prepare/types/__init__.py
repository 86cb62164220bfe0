"""Document types: their fields, pages to point at, and what was learned of them."""
