"""Field kinds: text in, normalised value or finding out."""
