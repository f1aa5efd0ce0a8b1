"""Borders of the picture."""
