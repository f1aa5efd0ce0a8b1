"""The worst misses and the worst false alarms, with pictures, for a page that a person looks through."""

from __future__ import annotations

import base64
import heapq
from dataclasses import dataclass, field

import cv2
import numpy as np

from bench.floors import Luma
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Area
from grevin.core.quality.damage.base import Mark
from grevin.core.steps.evidence import Blob

KEPT = 12  # of each kind
MARGIN_PX = 24  # shown around the place
ENLARGED = 3
LEAST_FOUND = 0.25  # share of a mark from which it counts as found, as in `grevin.core.quality.figures`


@dataclass(order=True, frozen=True)
class Sample:
    """One place where the step was wrong.

    Attributes:
        loss: squared error that it leaves or makes, 8-bit levels, summed.
        clip, frame, area: where.
        words: what it was.
        picture: PNG of given, treated and clean side by side.
    """

    loss: float
    clip: str
    frame: int
    area: Area
    words: str
    picture: bytes = field(compare=False, repr=False)

    @property
    def source(self) -> str:
        """The picture as a web address that holds it."""
        return "data:image/png;base64," + base64.b64encode(self.picture).decode()


@dataclass
class Worst:
    """The few worst of many."""

    misses: list[Sample] = field(default_factory=list)
    alarms: list[Sample] = field(default_factory=list)

    def missed(self, clip: str, number: int, mark: Mark, found: float, pictures: tuple[Frame, Frame, Frame]) -> None:
        """A mark of which less than a quarter was found; pictures are the given, the treated, the clean one."""
        if found < LEAST_FOUND:
            words = f"{mark.kind}, {mark.pixels} px, {mark.contrast:+.0f} levels, edge {mark.soft_px:.1f} px"
            _keep(self.misses, clip, number, mark.area, words, pictures)

    def alarmed(self, clip: str, number: int, blob: Blob, pictures: tuple[Frame, Frame, Frame]) -> None:
        """A blob that was taken on clean material."""
        _keep(self.alarms, clip, number, blob.area, blob.words, pictures)

    def add(self, other: Worst) -> None:
        """Keep the worst of both."""
        for mine, theirs in ((self.misses, other.misses), (self.alarms, other.alarms)):
            mine[:] = heapq.nlargest(KEPT, [*mine, *theirs])


def _keep(
    kept: list[Sample], clip: str, number: int, area: Area, words: str, pictures: tuple[Frame, Frame, Frame]
) -> None:
    x, y, width, height = area
    rows, columns = slice(y, y + height), slice(x, x + width)
    treated, clean = (picture.luma8()[rows, columns].astype(np.float64) for picture in pictures[1:])
    loss = float(np.square(treated - clean).sum())
    if len(kept) < KEPT:
        heapq.heappush(kept, Sample(loss, clip, number, area, words, _drawn(area, pictures)))
    elif loss > kept[0].loss:
        heapq.heapreplace(kept, Sample(loss, clip, number, area, words, _drawn(area, pictures)))


def _drawn(area: Area, pictures: tuple[Frame, Frame, Frame]) -> bytes:
    x, y, width, height = area
    rows = slice(max(0, y - MARGIN_PX), y + height + MARGIN_PX)
    columns = slice(max(0, x - MARGIN_PX), x + width + MARGIN_PX)
    parts: list[Luma] = []
    for picture in pictures:
        part = picture.luma8()[rows, columns]
        parts += [part, np.full((part.shape[0], 2), 128, np.uint8)]
    beside = np.hstack(parts[:-1])
    large = cv2.resize(beside, None, fx=ENLARGED, fy=ENLARGED, interpolation=cv2.INTER_NEAREST)
    return bytes(cv2.imencode(".png", large)[1])
