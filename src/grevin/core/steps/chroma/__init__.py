"""Colour shift: colour brought back to the edges it belongs to."""
