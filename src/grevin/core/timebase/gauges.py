"""Film gauges and how many frames lie on a foot of each."""

from __future__ import annotations

from fractions import Fraction

# Frames on a foot (handbook values, from memory): 35 mm has 64 perforations a foot, 16 mm 40, Super 8 72, 8 mm 80.
FRAMES_PER_FOOT: dict[str, Fraction] = {
    "35 mm, 4 perforations": Fraction(16),
    "35 mm, 3 perforations": Fraction(64, 3),
    "16 mm": Fraction(40),
    "Super 8": Fraction(72),
    "8 mm": Fraction(80),
}
