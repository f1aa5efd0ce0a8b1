"""What a step draws of a shot: curves over its frames or over levels, and a map over the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

LEFT_ALONE = "Left as it is."  # what a step says of a shot that it does nothing to


@dataclass(frozen=True, eq=False)
class Line:
    """A curve.

    Attributes:
        name: what it is, for people.
        values: (T,) float32, of each frame or field, or of evenly spaced levels; NaN where nothing is known.
        measured: whether it was measured; else it is what the step holds for right.
    """

    name: str
    values: npt.NDArray[np.float32]
    measured: bool = True


@dataclass(frozen=True)
class ByHand:
    """A curve over levels that a person may draw.

    Attributes:
        setting: list of the step's settings that holds its points; their first two numbers are place and value.
        points: (level, value) of the curve that holds.
        most: largest value.
    """

    setting: str
    points: tuple[tuple[float, float], ...]
    most: float


@dataclass(frozen=True, eq=False)
class Chart:
    """What was found in a shot.

    Attributes:
        about: what the curves show, for people.
        unit: of their values.
        lines: over the frames of the shot, in its order, or over levels from black to white.
        places: (h, w) float32 how much each part of the picture does it, in % ; None where that is not known.
        over: what the curves go over.
        by_hand: the curve that a person may draw, where there is one.
        sure: how good the measure is, 0..1; None where that is not told.
        per_frame: values of a line that go to a frame: 2 where each field has one.
    """

    about: str
    unit: str
    lines: tuple[Line, ...]
    places: npt.NDArray[np.float32] | None = None
    over: Literal["frames", "levels"] = "frames"
    by_hand: ByHand | None = None
    sure: float | None = None
    per_frame: int = 1

    def limits(self) -> tuple[float, float]:
        """Lowest and highest value of all lines."""
        values = np.concatenate([line.values for line in self.lines])
        known = values[np.isfinite(values)]
        return (float(known.min()), float(known.max())) if len(known) else (0.0, 0.0)
