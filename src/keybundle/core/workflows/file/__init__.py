"""From a batch into the repository, and back."""
