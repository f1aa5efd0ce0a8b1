"""How the light changes from frame to frame: for flicker, flashes and fades."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt

from grevin.core.survey.measures.base import Depth, Series, Sight

BLACK_LIMITED = 16.0  # code value of black in limited range, 8 bit: BT.601-7, table 3
DARK, WHITE = 24, 250  # 8-bit levels above black, code value: what is darker or clipped tells little about the light
SAME_PLACE = 25  # 8-bit levels: a larger difference is another thing, not another light
FEWEST = 100  # points
STRIPS = 12  # parts of the picture's height and width whose light is looked at
FEWEST_IN_STRIP = 40  # points


class Light:
    """Median ratio of places that the motion joins: motion-safe, so a passing tram is no flicker.

    Beside that of the whole frame, by how much rows and columns of it depart from it: a band changes rows only.
    """

    series: ClassVar[tuple[Series, ...]] = (
        Series("light_change", "%", "change of the light against the frame before"),
        Series("light_rows", "%", "rms by which parts of the height depart from that change"),
        Series("light_columns", "%", "rms by which parts of the width depart from that change"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        moved = sight.moved_before
        if moved is None:
            return NOTHING
        black = 0.0 if sight.here.frame.format.full_range else BLACK_LIMITED
        here, there = sight.here.half[::2, ::2].astype(np.float32), moved[::2, ::2].astype(np.float32)
        shift = float(np.median(here - there))
        good = (here > black + DARK) & (here < WHITE) & (there > black + DARK) & (there < WHITE)
        good &= np.abs(here - there - shift) < SAME_PLACE
        if np.count_nonzero(good) < FEWEST:
            return NOTHING
        change = np.full(here.shape, np.nan, np.float32)
        change[good] = np.log((here[good] - black) / (there[good] - black))
        whole = float(np.median(change[good]))
        return 100.0 * float(np.expm1(whole)), *(_apart(strips, whole) for strips in (change, change.T))


NOTHING = (float("nan"),) * len(Light.series)


def _apart(change: npt.NDArray[np.float32], whole: float) -> float:
    """Percent by which strips of rows depart from the whole, rms; NaN where too few say anything."""
    middles = []
    for strip in np.array_split(change, STRIPS):
        known = strip[np.isfinite(strip)]
        if len(known) >= FEWEST_IN_STRIP:
            middles.append(float(np.median(known)) - whole)
    return 100.0 * float(np.sqrt(np.mean(np.square(middles)))) if len(middles) > STRIPS // 2 else float("nan")
