"""Bands of mains light that roll over the picture."""
