"""One database and the files by content hash."""
