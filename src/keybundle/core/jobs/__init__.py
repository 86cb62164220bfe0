"""Worker processes with priorities, limits and cancellation."""
