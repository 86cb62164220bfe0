"""What is filed: browsed, looked at, corrected, its pages arranged, its story told."""
