"""Every command as one record."""
