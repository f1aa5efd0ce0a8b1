"""Capture sets: one picture of each film frame."""
