"""The core: computes, knows no interface."""
