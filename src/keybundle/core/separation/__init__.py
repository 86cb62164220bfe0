"""Rules over page facts: breaks and left-out pages."""
