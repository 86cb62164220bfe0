"""What is kept: cabinets, folders, documents and their story."""
