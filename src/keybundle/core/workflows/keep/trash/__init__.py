"""The trash: put there, brought back, erased for good."""
