"""From batch to repository: destination, commit, recovery."""
