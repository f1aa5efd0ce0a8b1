"""Simulated damage with known truth."""
