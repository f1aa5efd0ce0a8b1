"""What a step that changes time makes of a reel."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field, replace
from typing import Any

from grevin.core.picture.format import PictureFormat
from grevin.core.timebase.timeline import Timeline


@dataclass(frozen=True)
class Doubt:
    """A run of frames about which a time step wants a person's word.

    Attributes:
        first, last: frames before the step, both included; the verdict is given on the first.
        words: why.
    """

    first: int
    last: int
    words: str


@dataclass(frozen=True, eq=False)
class Timing:
    """What a time step makes of a reel.

    Attributes:
        timeline: the frame map.
        plan: what the step needs to know of its made frames, by output number.
        notes: sentences for whoever reads the proof.
        field_order: of the output, "" for that of the source.
        doubts: what a person should look at.
        groups: runs of frames before the step of which one each is shown, in order; none for most steps.
    """

    timeline: Timeline
    plan: dict[int, Any] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    field_order: str = ""
    doubts: tuple[Doubt, ...] = ()
    groups: tuple[range, ...] = ()

    def group_words(self, number: int) -> str:
        """Of which group a frame before the step is, "" where there are none."""
        if not self.groups:
            return ""
        place = bisect_right(self.groups, number, key=lambda group: group.start) - 1
        if place < 0 or number not in self.groups[place]:
            return f"Capture {number} belongs to no film frame."
        group = self.groups[place]
        return (
            f"Capture {number - group.start + 1} of {len(group)} of film frame {place} "
            f"(captures {group.start} to {group.stop - 1})."
        )

    def new_format(self, fmt: PictureFormat) -> PictureFormat:
        """The format of the output."""
        return replace(fmt, rate=self.timeline.rate, field_order=self.field_order or fmt.field_order)  # type: ignore[arg-type]
