"""Frames made anew from the good frames around them."""
