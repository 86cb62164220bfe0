"""Documents that leave."""
