"""Which frames of a shot are looked at where not all of them have to be."""

from __future__ import annotations

import numpy as np


def spread_over(frames: range, most: int) -> list[int]:
    """So many frames at most, evenly spread from the first to the last."""
    return sorted({frames[round(place)] for place in np.linspace(0, len(frames) - 1, min(most, len(frames)))})
