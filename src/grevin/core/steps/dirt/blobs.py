"""Connected parts of a picture above several thresholds: a tree of blobs.

A large plain speck may touch places that the motion explains badly. At a low threshold both are one blob, at a higher
one the speck stands alone: each is looked at, and the best judged is taken (component tree: Salembier, Oliveras,
Garrido 1998, "Antiextensive connected operators", from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Luma8, places_of
from grevin.core.picture.masks import above

Values = npt.NDArray[np.float64]

SEED_SHARE = 0.75  # a threshold is this share of what a blob's seed has to reach (hysteresis)
STEPS = (1.0, 2.0, 3.6, 6.5)  # thresholds, times the lowest; own trials: more of them find nothing more
HARDLY_BETTER = 2.0  # difference of scores of a whole speck and its core
LEAST_SHRINK = 0.5  # a blob that keeps more of its pixels at the next threshold is the same blob


@dataclass(frozen=True, eq=False)
class Blobs:
    """Blobs of all thresholds, those of the lowest first.

    Attributes:
        rows, columns: (P,) int32 pixels, blob after blob.
        starts: (N,) int64, first pixel of each.
        level: (N,) int64, of which threshold.
        parent: (N,) int64, the blob of a lower threshold that holds it; -1 for none.
    """

    rows: npt.NDArray[np.int32]
    columns: npt.NDArray[np.int32]
    starts: npt.NDArray[np.int64]
    level: npt.NDArray[np.int64]
    parent: npt.NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.starts)

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return 8 * (len(self.rows) + 3 * len(self))

    @property
    def place(self) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
        """(rows, columns) of all pixels."""
        return self.rows, self.columns

    @property
    def sizes(self) -> npt.NDArray[np.int64]:
        """(N,) pixels of each."""
        return np.diff(np.append(self.starts, len(self.rows)))

    def total(self, values: npt.NDArray[Any]) -> Values:
        """(N,) sums of (P,) values of the pixels."""
        if not len(self):
            return np.zeros(0)
        return np.add.reduceat(values.astype(np.float64), self.starts)

    def mean(self, values: npt.NDArray[Any]) -> Values:
        """(N,) means of (P,) values of the pixels."""
        return self.total(values) / np.maximum(self.sizes, 1)

    def extreme(self, values: npt.NDArray[Any], most: bool) -> npt.NDArray[Any]:
        """(N,) largest or smallest of (P,) values of the pixels."""
        if not len(self):
            return values[:0]
        return (np.maximum if most else np.minimum).reduceat(values, self.starts)

    def pixels_of(self, chosen: npt.NDArray[np.bool_]) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
        """(rows, columns) of the pixels of the blobs that are chosen, (N,) bool."""
        inside = np.repeat(chosen, self.sizes)
        return self.rows[inside], self.columns[inside]

    def numbered(self, chosen: npt.NDArray[np.bool_], shape: tuple[int, ...]) -> npt.NDArray[np.uint16]:
        """(H, W) uint16, 1 + number of a chosen blob's place among the chosen, 0 elsewhere."""
        picture = np.zeros(shape, np.uint16)
        numbers = np.minimum(np.cumsum(chosen), np.iinfo(np.uint16).max).astype(np.uint16)
        inside = np.repeat(chosen, self.sizes)
        picture[self.rows[inside], self.columns[inside]] = np.repeat(numbers, self.sizes)[inside]
        return picture

    def best(self, score: Values) -> npt.NDArray[np.bool_]:
        """(N,) bool: blobs with no better one inside them and no better one around; no two of them overlap.

        A blob that is good enough, with a score above 0, goes before a hardly better one inside it: that is its core.
        """
        own, below = score.copy(), np.full(len(self), -np.inf)
        for level in range(len(STEPS) - 1, 0, -1):
            here = np.flatnonzero((self.level == level) & (self.parent >= 0))
            np.maximum.at(below, self.parent[here], np.maximum(own[here], below[here]))
        top = (own >= below) | (own > 0) & (own >= below - HARDLY_BETTER)
        covered = np.zeros(len(self), np.bool_)
        for level in range(1, len(STEPS)):
            here = np.flatnonzero((self.level == level) & (self.parent >= 0))
            covered[here] = (top | covered)[self.parent[here]]
        return np.asarray(top & ~covered)


def find_blobs(spike: Luma8, excess: Luma8, threshold: float) -> Blobs:
    """Blobs at all thresholds.

    Args:
        spike: (H, W) uint8; a blob's pixels are above its threshold, holes and gaps of a pixel closed.
        excess: (H, W) uint8; its seed has to be above that over `SEED_SHARE`.
        threshold: the lowest that a seed has to reach.
    """
    found: list[_Level] = []
    owner = np.full(spike.shape, -1, np.int64)
    sizes: npt.NDArray[np.int64] = np.zeros(0, np.int64)
    for level, step in enumerate(STEPS):
        rows, columns, counts = _seeded(spike, excess, threshold * step)
        if not len(counts):
            break
        starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
        parent = owner[rows[starts], columns[starts]]
        if level:
            kept = (parent < 0) | (counts < LEAST_SHRINK * sizes[np.maximum(parent, 0)])
            inside = np.repeat(kept, counts)
            rows, columns, counts, parent = rows[inside], columns[inside], counts[kept], parent[kept]
        found.append(_Level(rows, columns, counts, parent))
        owner[rows, columns] = np.repeat(np.arange(len(sizes), len(sizes) + len(counts)), counts)
        sizes = np.concatenate([sizes, counts])
    return _joined(found)


@dataclass(frozen=True, eq=False)
class _Level:
    """Blobs of one threshold: their pixels, how many each has, what holds it."""

    rows: npt.NDArray[np.int32]
    columns: npt.NDArray[np.int32]
    counts: npt.NDArray[np.int64]
    parent: npt.NDArray[np.int64]


def _seeded(
    spike: Luma8, excess: Luma8, threshold: float
) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32], npt.NDArray[np.int64]]:  # fmt: skip
    """Rows, columns, pixels a blob, of connected parts with a seed."""
    standing_out = above(spike, SEED_SHARE * threshold).view(np.uint8)
    joined = cv2.morphologyEx(standing_out, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    place = places_of(np.asarray(joined.view(np.bool_)))
    seeds = excess[place] > threshold
    if not seeds.any():
        nothing = np.zeros(0, np.int32)
        return nothing, nothing, np.zeros(0, np.int64)
    count, labels = cv2.connectedComponents(joined, connectivity=8)
    label = labels[place]
    holds = np.zeros(count, np.bool_)
    holds[label[seeds]] = True
    inside = holds[label]
    rows, columns, label = place[0][inside], place[1][inside], label[inside]
    order = np.argsort(label, kind="stable")
    counts = np.bincount(label, minlength=count)[holds]
    return rows[order], columns[order], counts.astype(np.int64)


def _joined(found: list[_Level]) -> Blobs:
    if not found:
        nothing, none = np.zeros(0, np.int32), np.zeros(0, np.int64)
        return Blobs(nothing, nothing, none, none, none)
    counts = np.concatenate([one.counts for one in found])
    return Blobs(
        np.concatenate([one.rows for one in found]), np.concatenate([one.columns for one in found]),
        np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64),
        np.repeat(np.arange(len(found)), [len(one.counts) for one in found]).astype(np.int64),
        np.concatenate([one.parent for one in found]),
    )  # fmt: skip
