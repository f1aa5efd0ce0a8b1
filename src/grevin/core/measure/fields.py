"""Whether a reel is interlaced, and which field comes first, measured from the picture itself.

In a moving picture the lines of a bottom field fit between the lines of the top field that was taken nearest in
time. Three pairings tell everything: within the frame, with the next frame's top field, and the other way round.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from grevin.core.motion.flow import Luma8
from grevin.core.picture.frame import Mask

Scan = Literal["progressive", "top_first", "bottom_first", "unknown"]

MOVING_LEVELS = 12.0  # 8-bit levels between frames: only moving places tell
FEWEST_MOVING = 0.002  # share of the picture that has to move
CLEARLY = 0.88  # one pairing fits better than another when its misfit is below this share of the other's
WHOLE = 0.80  # a progressive frame fits itself at least this much better than any field of another frame
FEWEST_VOTES = 3
COMB_LEVELS = 6.0  # 8-bit levels by which a tooth stands out; tried on the open clips interlaced, so that plain ones
COMB_BOX_PX = (9, 9)  # show next to none: teeth are counted over this area (width, height)
COMB_DENSITY = 0.3  # share of it that they take where it combs


@dataclass(frozen=True)
class FieldVotes:
    """How many pairs of frames speak for what.

    Attributes:
        progressive, top_first, bottom_first: votes.
        silent: pairs without motion enough, or without a clear winner.
    """

    progressive: int = 0
    top_first: int = 0
    bottom_first: int = 0
    silent: int = 0

    @property
    def scan(self) -> Scan:
        """The verdict: the kind with the most votes, if there are enough and it has at least twice the others'."""
        votes: dict[Scan, int] = {
            "progressive": self.progressive, "top_first": self.top_first, "bottom_first": self.bottom_first,
        }  # fmt: skip
        best = max(votes, key=lambda scan: votes[scan])
        others = sum(votes.values()) - votes[best]
        return best if votes[best] >= FEWEST_VOTES and votes[best] >= 2 * others else "unknown"


def _misfit(top: np.ndarray, bottom: np.ndarray, moving: np.ndarray) -> float:
    """Mean distance of bottom lines from the mean of the top lines above and below, where the picture moves; or 0."""
    rows = min(len(top) - 1, len(bottom))
    between = (top[:rows] + top[1 : rows + 1]) * np.float32(0.5)
    apart = np.abs(bottom[:rows] - between)[moving[:rows]]
    return float(apart.mean()) if apart.size else 0.0


def vote(this: Luma8, following: Luma8) -> Scan:
    """What one pair of successive luma pictures, (H, W) uint8, speaks for; "unknown" if for nothing."""
    first, second = (picture.astype(np.float32) for picture in (this, following))
    moved = cv2.GaussianBlur(cv2.absdiff(this, following), (0, 0), 1.5) > MOVING_LEVELS
    moving = moved[1::2]
    rows = min(len(first[0::2]) - 1, len(moving))
    if np.count_nonzero(moving[:rows]) < FEWEST_MOVING * moving.size:
        return "unknown"
    own = _misfit(first[0::2], first[1::2], moving)
    top_first = _misfit(second[0::2], first[1::2], moving)
    bottom_first = _misfit(first[0::2], second[1::2], moving)
    if own < WHOLE * min(top_first, bottom_first):
        return "progressive"
    if top_first < CLEARLY * bottom_first:
        return "top_first"
    return "bottom_first" if bottom_first < CLEARLY * top_first else "unknown"


def combing(luma: Luma8) -> Mask:
    """(H, W) bool, where the lines of two moments stand side by side like the teeth of a comb.

    A line differs from both lines around it the same way, by more than noise and more than they from each other
    (the product test of motion-adaptive deinterlacers, common practice); single pixels do not count.
    """
    picture = luma.astype(np.float32)
    above, here, below = picture[:-2], picture[1:-1], picture[2:]
    product = np.sign(here - above) * np.sign(here - below) * np.minimum(np.abs(here - above), np.abs(here - below))
    teeth = np.zeros(luma.shape, np.uint8)
    teeth[1:-1] = (product > COMB_LEVELS) & (np.abs(above - below) < product)
    density = cv2.boxFilter(teeth.astype(np.float32), -1, COMB_BOX_PX)
    return np.asarray(density > COMB_DENSITY)


def count_votes(votes: Sequence[Scan]) -> FieldVotes:
    """Votes of many pairs."""
    return FieldVotes(
        votes.count("progressive"), votes.count("top_first"), votes.count("bottom_first"), votes.count("unknown")
    )
