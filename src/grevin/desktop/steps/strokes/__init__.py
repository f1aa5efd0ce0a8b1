"""Strokes on the light table and on the card, for the desks of all steps that fill them."""
