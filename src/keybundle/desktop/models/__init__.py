"""Qt item models over workflow queries."""
