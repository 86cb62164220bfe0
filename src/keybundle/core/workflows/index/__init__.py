"""Types and values: proposed, checked, given by hand, learned from."""
