"""Grain and noise."""
