"""What happens by itself to pages that came in."""
