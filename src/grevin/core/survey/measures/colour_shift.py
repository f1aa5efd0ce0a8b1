"""How far colour lies beside its edges: on one frame of four, for what displaced it did so all along."""

from __future__ import annotations

from typing import ClassVar

from grevin.core.measure.colour_shift import likeness, shift_of
from grevin.core.picture.levels import levels_of
from grevin.core.survey.measures.base import Depth, Series, Sight

EVERY = 4  # frames


class ColourShift:
    """Samples of colour by which it lies to the right and down, on one frame."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("colour_right", "samples", "of colour, to the right of the edges it belongs to"),
        Series("colour_down", "samples", "of colour, below the edges it belongs to"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        frame = sight.here.frame
        if frame.number % EVERY or frame.format.model != "yuv":
            return float("nan"), float("nan")
        luma, *colours = levels_of(frame)
        found = shift_of([likeness(luma, colours)])
        return (found.right, found.down) if found.is_known else (float("nan"), float("nan"))
