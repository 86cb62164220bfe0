"""Folders by hand: made, renamed, made one, filled anew, and the values that they give."""
