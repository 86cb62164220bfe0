"""What is kept, by what it is about: documents, folders, storage areas, the trash."""
