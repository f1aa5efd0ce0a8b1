"""Noise: measured, and taken along the motion."""
