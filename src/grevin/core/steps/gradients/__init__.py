"""Stepped gradients: steps that too few bits left in skies and fog, widened."""
