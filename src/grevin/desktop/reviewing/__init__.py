"""Giving verdicts on what a step found, on the light table."""
