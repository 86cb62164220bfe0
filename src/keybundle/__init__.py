"""Key Bundle: document capture from a stack of paper to filed documents that can be found."""

__version__ = "0.1.0"
