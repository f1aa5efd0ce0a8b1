"""Whether a line goes where the picture beside it goes, to a part of a px.

What stands in the picture goes with it, however slowly a camera pans or trembles, and stays where the camera stands. A
scratch goes with the film: it wanders by itself, and the picture trembles beneath it. How far the picture goes is told
by block matching with a parabola through the least error and its neighbours (common practice), on rows that were
averaged; how far the line goes by its own mean profile, in which the picture averages out.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.steps.scratch.paths import Path
from grevin.core.steps.scratch.responses import BAND, HOP, Map
from grevin.core.steps.scratch.sight import Sight

AWAY = (-6, -2, 2, 6)  # frames at which it is looked where both went
MOST_PX = 4  # to either side
BLOCK_PX, EVERY_PX = 17, 4  # columns of a block, whose rows are those of a band, and from one to the next
NEAR_PX, FAR_PX = 22, 32  # from the line to the middles of the blocks beside it
PROFILE_PX, INNER_PX, OUTER_PX = (
    14,
    9,
    4,
)  # of a line's profile: half of it, half of what is compared, and of its flanks
OFFSETS = np.arange(-PROFILE_PX, PROFILE_PX + 1)  # px from the middle of a line
FLANK_PX = PROFILE_PX - (OUTER_PX - 1) / 2  # from the middle of a line to that of a flank
LEAST_TOLD_PX, MOST_ASIDE_PX = 0.05, 3.0  # of a way: less is noise of measuring, more tells no more
TOGETHER_PX = 0.25  # apart by which both go together
CLEAR, MOST_CLEAR = 1.0, 10.0  # times its least error that a block's mean error lies above that: from where it tells
FLOOR = 0.5  # squared levels
UNTOLD = (0.4, 0.3)  # what is said where the picture has no texture

Values = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Ways:
    """Where the picture of a frame goes to on another one.

    Attributes:
        px: (B, W/EVERY_PX) to the right, at the middles of bands.
        clear: (B, W/EVERY_PX) how clearly that is told.
    """

    px: Map
    clear: Map


class Company:
    """Of the frames of a stretch; what was told once is kept."""

    def __init__(self, sights: list[Sight]) -> None:
        self._sights = sights
        self._ways = cache(self._told)

    def _told(self, place: int, other: int) -> Ways:
        if other < place:  # the way back: a few px aside, of blocks that are wider
            forth = self._ways(other, place)
            return Ways(-forth.px, forth.clear)
        return ways_of(self._sights[place].channels[0], self._sights[other].channels[0])

    def measures(self, place: int, path: Path, channel: int) -> tuple[float, float, float, float]:
        """How much of the picture beside a line goes with it, how far it goes from that and at all, how much tells.

        Args:
            place: of its frame in the stretch.
            path: the line.
            channel: in which it is looked at.

        Returns:
            Share of the picture beside it that goes where it goes, 0 to 1; logarithm of the px by which it goes
            elsewhere, for the root of the frames between; the same of the px by which it goes at all; share of the
            blocks that tell.
        """
        own_channel = self._sights[place].channels[channel]
        rows, centre = path.middles(len(own_channel))
        across = np.clip(centre[:, None] + OFFSETS[None, :], 0, own_channel.shape[1] - 1)
        own, beside = _profile(own_channel, rows, across), _Beside.of(path, self._sights[place].channels[0].shape)
        apart, weights, aside, gone = [], [], [], list[float]()
        for away in AWAY:
            other = place + away
            if not 0 <= other < len(self._sights):
                continue
            goes = _shift(own, _profile(self._sights[other].channels[channel], rows, across))
            gone.append(abs(goes) / np.sqrt(abs(away)))
            if abs(goes) >= MOST_PX:  # farther than is looked, or nowhere
                continue
            differs, weight = beside.differs(self._ways(place, other), goes)
            apart.append(differs)
            weights.append(weight)
            if weight.any():
                aside.append(min(_middle(differs, weight), MOST_ASIDE_PX) / np.sqrt(abs(away)))
        total, far = float(np.sum(weights)) if weights else 0.0, _even(float(np.mean(gone)) if gone else 0.0)
        if total <= 0:
            return UNTOLD[0], _even(UNTOLD[1]), far, 0.0
        share = float((np.stack(weights) * np.exp(-np.square(np.stack(apart) / TOGETHER_PX))).sum()) / total
        return share, _even(float(np.mean(aside))), far, float((np.stack(weights) > 0).mean())


def _even(px: float) -> float:
    """A way as its logarithm, from what can be told on."""
    return float(np.log(LEAST_TOLD_PX + px))


def ways_of(one: Map, other: Map) -> Ways:
    """Where the picture of one frame goes to on another; both (H, W) float32 levels."""
    wide = cv2.copyMakeBorder(other, 0, 0, MOST_PX, MOST_PX, cv2.BORDER_REPLICATE)
    errors = []
    for px in range(2 * MOST_PX + 1):
        apart = cv2.subtract(one, wide[:, px : px + one.shape[1]])
        squares = cv2.sqrBoxFilter(apart, cv2.CV_32F, (BLOCK_PX, BAND))
        errors.append(np.maximum(squares[BAND // 2 :: HOP, ::EVERY_PX], 0))  # running sums may end below nothing
    stack = np.stack(errors)
    best = stack.argmin(axis=0)
    inner = np.clip(best, 1, 2 * MOST_PX - 1)
    below, least, above = (np.take_along_axis(stack, (inner + by)[None], 0)[0] for by in (-1, 0, 1))
    bend = below - 2 * least + above
    part = np.clip(0.5 * (below - above) / np.maximum(bend, 1e-6), -0.5, 0.5)
    px = np.where(best == inner, inner - MOST_PX + part, best - MOST_PX)
    lowest = stack.min(axis=0)
    clear = (stack.mean(axis=0) - lowest) / (lowest + FLOOR)
    clear[(best == 0) | (best == 2 * MOST_PX)] = 0  # farther than is looked
    return Ways(np.asarray(px, np.float32), np.asarray(clear, np.float32))


@dataclass(frozen=True, eq=False)
class _Beside:
    """The places beside a line where it is looked where the picture goes: (2, 2, N), left and right, near and farther.

    Attributes:
        rows, columns: of `Ways`.
        inside: bool, whether blocks there lie on the picture.
    """

    rows: npt.NDArray[np.int64]
    columns: npt.NDArray[np.int64]
    inside: npt.NDArray[np.bool_]

    @classmethod
    def of(cls, path: Path, shape: tuple[int, ...]) -> _Beside:
        """Of a line, in channels of (H, W)."""
        lines, width = len(range(BAND // 2, shape[0], HOP)), -(-shape[1] // EVERY_PX) * EVERY_PX
        aside = np.array([[-NEAR_PX, -FAR_PX], [NEAR_PX, FAR_PX]])
        at = np.rint(path.across).astype(int) + aside[..., None]
        inside = (at >= BLOCK_PX // 2) & (at < width - BLOCK_PX // 2)
        rows = np.broadcast_to(np.clip(path.bands, 0, lines - 1), at.shape)
        return cls(rows, np.clip(at, 0, width - 1) // EVERY_PX, inside)

    def differs(self, ways: Ways, goes: float) -> tuple[Values, Values]:
        """(2, N) px by which the picture beside each band goes elsewhere than the line, and the weights of that.

        Where both sides tell, it is their mean: what a zoom or a turn makes of both cancels.
        """
        told = np.where(self.inside, ways.clear[self.rows, self.columns], 0.0)
        clear = np.where(told > CLEAR, np.minimum(told, MOST_CLEAR), 0.0)
        left, right = clear > 0
        sides = ways.px[self.rows, self.columns]
        off = np.abs(sides - goes)
        both = np.abs((sides[0] + sides[1]) / 2 - goes)
        apart = np.where(left & right, both, np.where(left, off[0], off[1]))
        return apart.astype(np.float64), np.maximum(clear[0], clear[1]).astype(np.float64)


def _middle(values: Values, weights: Values) -> float:
    """Weighted median."""
    order = np.argsort(values, axis=None)
    sums = np.cumsum(weights.ravel()[order])
    return float(values.ravel()[order][np.searchsorted(sums, 0.5 * sums[-1])])


def _profile(channel: Map, rows: npt.NDArray[np.int64], across: npt.NDArray[np.int64]) -> Values:
    """(2 PROFILE_PX + 1,) mean across a line, (N, 2 PROFILE_PX + 1), less the line through both of its flanks."""
    mean = channel[rows[:, None], across].mean(axis=0).astype(np.float64)
    left, right = mean[:OUTER_PX].mean(), mean[-OUTER_PX:].mean()
    return np.asarray(mean - np.interp(OFFSETS, (-FLANK_PX, FLANK_PX), (left, right)))


def _shift(own: Values, other: Values) -> float:
    """By how many px to the right a profile has gone."""
    places = np.arange(PROFILE_PX - INNER_PX, PROFILE_PX + INNER_PX + 1)
    errors = [float(np.square(own[places] - other[places + px]).sum()) for px in range(-MOST_PX, MOST_PX + 1)]
    best = int(np.argmin(errors))
    if best in {0, 2 * MOST_PX}:
        return float(best - MOST_PX)
    below, least, above = errors[best - 1 : best + 2]
    bend = below - 2 * least + above
    return best - MOST_PX + (0.5 * (below - above) / bend if bend > 1e-9 else 0.0)
