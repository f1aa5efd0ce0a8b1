"""Fonts, icons, palette."""
