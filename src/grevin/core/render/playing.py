"""How an output plays: at which rate, and how long black is shown before its pictures and after."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated

import numpy as np
import pydantic

from grevin.core.errors import UsageError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.sampling import black
from grevin.core.timebase.rates import parse_rate

LONGEST_BLACK_S = 600.0


def _rate(text: str) -> str:
    try:
        return text and str(parse_rate(text))
    except UsageError as fault:
        raise ValueError(str(fault)) from fault


# As people write it, "" for none
Rate = Annotated[str, pydantic.AfterValidator(_rate)]


@dataclass(frozen=True)
class Playing:
    """How an output plays; as the treated pictures do where nothing is said.

    Attributes:
        rate: frames per second at which its pictures are shown; None for their own.
        black_s: seconds of black before them and after.
    """

    rate: Fraction | None = None
    black_s: tuple[float, float] = (0.0, 0.0)

    def __post_init__(self) -> None:
        """Check.

        Raises:
            UsageError: for less black than none, or more than ten minutes.
        """
        if not all(0 <= seconds <= LONGEST_BLACK_S for seconds in self.black_s):
            raise UsageError(
                f"Black of {min(self.black_s):g} and {max(self.black_s):g} s cannot be written.",
                f"Give 0 to {LONGEST_BLACK_S:g} s.",
            )

    @classmethod
    def of(cls, plays_at: str, before_s: float, after_s: float) -> Playing:
        """As versions and orders have it: a rate in words, "" for the pictures' own."""
        return cls(parse_rate(plays_at) if plays_at else None, (before_s, after_s))

    def black_frames(self, rate: Fraction) -> tuple[int, int]:
        """How many frames of black there are before and after, at a rate."""
        before, after = (round(Fraction(seconds) * rate) for seconds in self.black_s)
        return before, after


def black_frame(fmt: PictureFormat) -> Frame:
    """A black picture of integer code values that hides what is under it."""
    values = (*black(fmt)[: fmt.colour_planes], *([float(fmt.max_code)] * fmt.alpha))
    planes = zip(fmt.plane_shapes(), values, strict=True)
    return Frame(0, fmt, tuple(np.full(shape, value, fmt.dtype) for shape, value in planes))
