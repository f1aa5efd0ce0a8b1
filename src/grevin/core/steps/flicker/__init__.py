"""Flicker of the light, over whole frames or in patches."""
