"""Repeated frames: taken out, or made anew in place."""
