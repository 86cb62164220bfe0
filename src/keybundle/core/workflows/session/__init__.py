"""Who works here, on which repository, and what they may do."""
