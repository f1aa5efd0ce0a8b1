"""Grevin: restoration of digitised film and tape that never harms what is not damaged."""

__version__ = "0.1.0"
