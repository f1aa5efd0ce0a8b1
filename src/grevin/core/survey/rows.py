"""What a pass measures of single frames, and where that is kept."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
import numpy.typing as npt

from grevin.core.survey.measures.base import SPOT, Spots

Curve = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Row:
    """What was measured of one frame.

    Attributes:
        frame: its number.
        values: (N,) float32, one for each curve of the pass.
        cut: whether a shot begins with it.
        fault: why it cannot be read, "" where it can.
        spots: array of `SPOT`, single places of damage.
    """

    frame: int
    values: Curve
    cut: bool = False
    fault: str = ""
    spots: Spots = field(default_factory=lambda: np.zeros(0, SPOT))


class MeasuredStore(Protocol):
    """Keeps rows, so that a pass goes on where it was stopped."""

    def measured(self, key: str) -> Iterable[Row]:
        """The rows kept under a key, in the order of frames."""
        ...

    def keep_measured(self, key: str, rows: list[Row]) -> None:
        """Keep more rows."""
        ...
