"""Frame rates as exact fractions, and reading them from text."""

from __future__ import annotations

from fractions import Fraction

from grevin.core.errors import UsageError

HIGHEST_RATE = 1000  # frames per second; nothing digitised runs faster (common practice)

# The rates that are written in decimals but mean an exact fraction (SMPTE ST 12-1: 1000/1001 of the whole rate).
_DECIMAL_RATES = {
    "23.976": Fraction(24000, 1001),
    "23.98": Fraction(24000, 1001),
    "29.97": Fraction(30000, 1001),
    "47.952": Fraction(48000, 1001),
    "59.94": Fraction(60000, 1001),
}


def parse_rate(text: str) -> Fraction:
    """A rate from "25", "25/1", "30000/1001", "29.97" or "16.67".

    Raises:
        UsageError: if it is not a number between 0 and 1000.
    """
    try:
        rate = _DECIMAL_RATES.get(text) or Fraction(text)
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if not 0 < rate <= HIGHEST_RATE:
        raise UsageError(
            f"“{text}” is not a frame rate.", "Give frames per second, such as 18, 25, 24000/1001 or 29.97."
        )
    return rate


def rate_text(rate: Fraction) -> str:
    """The exact fraction, such as 25/1."""
    return f"{rate.numerator}/{rate.denominator}"


def parse_range(text: str | None, length: int) -> range:
    """Frames A up to but not including B from "A:B"; either side may be left out; None is everything.

    Raises:
        UsageError: if it is not two whole numbers inside the reel with A before B.
    """
    if text is None:
        return range(length)
    first, colon, last = text.partition(":")
    try:
        chosen = range(int(first or 0), int(last or length))
    except ValueError:
        chosen = range(0)
    if not colon or len(chosen) == 0 or chosen.start < 0 or chosen.stop > length:
        raise UsageError(
            f"The range “{text}” is not inside the reel's frames 0 to {length - 1}.",
            f"Give A:B, from frame A up to but not including frame B, such as 0:{length}.",
        )
    return chosen
