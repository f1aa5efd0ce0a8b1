"""Retouching by hand: tools on the light table, and what is said of strokes on the card."""
