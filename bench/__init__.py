"""Benchmarks: how good and how fast each step is, on material with known truth."""
