"""What is proposed of a document, and what is learned from those that are filed."""
