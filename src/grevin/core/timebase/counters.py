"""Ways to count frames that people read: frame numbers and time."""

from __future__ import annotations

from fractions import Fraction


def clock_text(number: int, rate: Fraction) -> str:
    """Running time of a frame as minutes:seconds:frames, frames counted at the nearest whole rate."""
    whole = max(1, round(rate))
    seconds, frames = divmod(number, whole)
    return f"{seconds // 60:02}:{seconds % 60:02}:{frames:02}"
