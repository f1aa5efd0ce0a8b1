"""Wobble: pictures that a time base bends sideways, put straight."""
