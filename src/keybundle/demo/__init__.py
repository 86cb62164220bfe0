"""The demo world and the scan simulation."""
