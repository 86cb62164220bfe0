"""What a worker is told of a page, and where its pictures lie."""
