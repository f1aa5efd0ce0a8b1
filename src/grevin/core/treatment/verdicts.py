"""Verdicts: a person's word on single places, which goes before what a step thinks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.keys import content_key
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.steps.evidence import Blob, Evidence

Word = Literal["mend", "leave", "undecided"]

SLACK_PX = 2  # areas of the same speck, found with other settings, differ by about this much


@dataclass(frozen=True)
class Verdict:
    """One word on one place.

    Attributes:
        step: id of the step whose damage it is.
        frame: number in the reel.
        area: (x, y, width, height) in pixels.
        word: what is to be done there; "undecided" takes an earlier word back.
        source: from which of the step's sources it is to be mended (`steps.base.Choosing`); "" for what the step takes.
    """

    step: str
    frame: int
    area: Area
    word: Word
    source: str = ""

    def __post_init__(self) -> None:
        if self.frame < 0 or self.area[2] < 1 or self.area[3] < 1:
            raise ValueError(f"no place: frame {self.frame}, area {self.area}")
        if self.source and self.word != "mend":
            raise ValueError(f"a source for a place that is not mended: {self.source}")


class Verdicts:
    """All verdicts on a reel, the later word on a place going before the earlier one. Immutable."""

    def __init__(self, rows: Iterable[Verdict] = ()) -> None:
        self._places: dict[tuple[str, int], tuple[Verdict, ...]] = {}
        for row in rows:
            place = (row.step, row.frame)
            others = tuple(old for old in self._places.get(place, ()) if not same_place(old.area, row.area))
            self._places[place] = others if row.word == "undecided" else (*others, row)

    def __iter__(self) -> Iterator[Verdict]:
        for rows in self._places.values():
            yield from rows

    def __len__(self) -> int:
        return sum(map(len, self._places.values()))

    def on(self, step: str, frame: int) -> tuple[Verdict, ...]:
        """The verdicts on a step's damage on one frame."""
        return self._places.get((step, frame), ())

    def word_on(self, step: str, frame: int, area: Area) -> Word:
        """The verdict on a place."""
        return next((row.word for row in self.on(step, frame) if same_place(row.area, area)), "undecided")

    def key(self, step: str, frame: int | None = None) -> str:
        """Changes with the verdicts on a step's damage, on one frame or on all; "" for none."""
        places = [(step, frame)] if frame is not None else sorted(place for place in self._places if place[0] == step)
        words = [(row.frame, *row.area, row.word) for place in places for row in self._places.get(place, ())]
        sources = [row.source for place in places for row in self._places.get(place, ()) if row.source]
        return content_key(*(part for word in words for part in word), *sources) if words else ""


def same_place(one: Area, other: Area) -> bool:
    """Whether two areas mean the same speck: the middle of one lies in the other."""
    return _holds(one, other) or _holds(other, one)


def _holds(area: Area, other: Area) -> bool:
    x, y = other[0] + other[2] / 2, other[1] + other[3] / 2
    return (
        area[0] - SLACK_PX <= x <= area[0] + area[2] + SLACK_PX
        and area[1] - SLACK_PX <= y <= area[1] + area[3] + SLACK_PX
    )


def apply_verdicts(
    found: Evidence, verdicts: tuple[Verdict, ...], find_at: Callable[[Area], Evidence]
) -> Evidence:  # fmt: skip
    """The evidence as the person wants it.

    Args:
        found: what the step found by itself.
        verdicts: on this frame.
        find_at: the step's own answer where a person says that it missed something.
    """
    for verdict in verdicts:
        if verdict.word == "leave":
            found = _without(found, verdict.area)
        elif any(same_place(blob.area, verdict.area) for blob in found.blobs):
            found = _settled(found, verdict)
        else:
            found = _with(found, find_at(verdict.area), verdict)
    return found


def _settled(found: Evidence, verdict: Verdict) -> Evidence:
    """Nobody doubts any more what a person agreed to."""
    blobs = tuple(
        replace(blob, doubtful=False, source=verdict.source) if same_place(blob.area, verdict.area) else blob
        for blob in found.blobs
    )
    return replace(found, blobs=blobs)


def _without(found: Evidence, area: Area) -> Evidence:
    gone = tuple(blob for blob in found.blobs if same_place(blob.area, area))
    if not gone:
        return found
    stay = tuple(blob for blob in found.blobs if blob not in gone)
    mask = found.mask & ~_only_of(found.mask, gone, stay)
    return replace(found, mask=mask, weight=_inside(found, mask), blobs=stay, left=(*found.left, *gone))


def _only_of(mask: Mask, gone: tuple[Blob, ...], stay: tuple[Blob, ...]) -> Mask:
    """The pieces of the mask that hold none of the blobs that stay; of a shared piece the part round what goes."""
    _, pieces = cv2.connectedComponents(mask.view(np.uint8), connectivity=8)
    taken = np.zeros_like(mask)
    kept = {int(piece) for blob in stay for piece in np.unique(pieces[_place(blob.area)])}
    for blob in gone:
        own = {int(piece) for piece in np.unique(pieces[_place(blob.area)])} - {0}
        taken |= np.isin(pieces, list(own - kept))
        if own & kept:
            part = np.zeros_like(mask)
            part[_place(blob.area, SLACK_PX)] = True
            for other in stay:
                part[_place(other.area)] = False
            taken |= part
    return taken


def _with(found: Evidence, more: Evidence, verdict: Verdict) -> Evidence:
    mask = found.mask | more.mask
    one, other = (np.ones(mask.shape, np.float32) if e.weight is None else e.weight for e in (found, more))
    weight = np.maximum(np.where(found.mask, one, np.float32(0)), np.where(more.mask, other, np.float32(0)))
    blobs = tuple(replace(blob, by_hand=True, source=verdict.source) for blob in more.blobs)
    passed = tuple(blob for blob in found.passed if not same_place(blob.area, verdict.area))
    return replace(found, mask=mask, weight=weight, blobs=(*found.blobs, *blobs), passed=passed, doubt="")


def _inside(found: Evidence, mask: Mask) -> npt.NDArray[np.float32] | None:
    return None if found.weight is None else np.where(mask, found.weight, np.float32(0))


def _place(area: Area, slack: int = 0) -> tuple[slice, slice]:
    x, y, width, height = area
    rows = slice(max(0, y - slack), y + height + slack)
    return rows, slice(max(0, x - slack), x + width + slack)
