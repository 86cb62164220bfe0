"""Measurements: ratios within one run, printed beside the machine's yardstick. Run with ``scripts/bench``."""
