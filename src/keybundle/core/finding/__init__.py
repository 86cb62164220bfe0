"""Which documents are meant: one query under lists, columns, searches, counts and type-ahead."""
