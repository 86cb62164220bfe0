"""Finding documents by words and fields."""
