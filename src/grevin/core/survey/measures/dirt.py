"""Dirt, counted: the finder of the dirt step on half-size pictures along quick motion.

Made for counting, not for mending: what is smaller than about two pixels is passed over, and nothing is known of
what flies. Against the damage simulator on open clips it finds two thirds to all specks, nine tenths of what it
finds are some (`grevin bench --suite survey`).
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from grevin.core.steps.dirt.finding import find_blobs
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.step import too_much
from grevin.core.steps.dirt.suspects import find_suspects
from grevin.core.survey.measures.base import SPOT, Depth, Series, Sight, Spots

SETTINGS = DirtSettings(motion="quick", smallest_px=2)
SCALE = 2  # the pictures are halved


class DirtCount:
    """Number of specks and the share of the picture that they cover."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("dirt_count", "specks", "specks of dirt"),
        Series("dirt_area", "% of picture", "covered by dirt"),
    )
    depth: ClassVar[Depth] = "full"
    kind: ClassVar[str] = "dirt"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        return self.spots_of(sight)[0]

    def spots_of(self, sight: Sight) -> tuple[tuple[float, ...], Spots]:
        """The values, and the specks; a frame full of them is told as having none, as the dirt step leaves it alone."""
        nothing = np.zeros(0, SPOT)
        before, after = sight.before, sight.after
        if before is None or after is None or sight.motion is None or sight.motion_on is None:
            return (float("nan"), float("nan")), nothing
        here, ways = sight.here.half, (sight.motion, sight.motion_on)
        first, second = (Neighbour.along(here, side.half, way) for side, way in zip((before, after), ways, strict=True))
        suspects = find_suspects(here, (first, second), SETTINGS)
        if suspects.count == 0:
            return (0.0, 0.0), nothing
        found, likely = find_blobs(suspects, np.zeros(suspects.count, np.bool_), SETTINGS)
        if too_much(found, likely, SETTINGS):
            return (float("nan"), float("nan")), nothing
        number = sight.here.frame.number
        rows = [
            (
                self.kind,
                number,
                *(SCALE * value for value in blob.area),
                SCALE**2 * blob.pixels,
                blob.contrast,
                blob.confidence,
            )
            for blob in found.blobs
        ]
        pixels = sum(blob.pixels for blob in found.blobs)
        return (float(len(rows)), 100.0 * pixels / found.mask.size), np.array(rows, SPOT)
