"""Recipes in the window: saved, looked through, applied."""
