"""What is being done, what was done, and whether all is whole."""
