"""Grain given back."""
