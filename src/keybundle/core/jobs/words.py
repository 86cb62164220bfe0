"""What the stem is asked: to load something, and for a worker, now or when all is loaded."""

LOAD, NOW, WARM = "load", "now", "warm"
