"""Retouching by hand: strokes over damage, filled from other frames, other places, or their surroundings."""
