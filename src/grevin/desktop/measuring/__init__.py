"""Measuring: a dragged box, and sending what was measured to a setting."""
