"""The parts of a set-up in common: changed, brought in and out, what is still missing."""
