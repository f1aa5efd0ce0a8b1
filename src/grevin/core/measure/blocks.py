"""The grid of blocks that codecs of cosine transforms leave: where its borders lie, also after the picture was scaled.

Steps between neighbouring pixels that stand out from those beside them, in smooth places, summed down the picture: on
the borders of blocks there are more of them than elsewhere, evenly apart. The sums of many frames are looked at by
their frequencies, at which a grid stands out with several overtones (the idea of Li, Yuan, Yu 2009, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

SMOOTH_LEVELS = 8  # 8-bit levels by which neighbours differ at most where steps are counted
MOST_STEP = 6.0  # levels that a single step counts at most: edges of things are no borders of blocks
PERIODS_PX = 3.7, 14.2  # between borders: of 8, in a field's lines of 4, scaled by up to 1.75
FINENESS = 16  # times by which frequencies are looked at more finely than the length gives
PLAIN = 8.0, 4.0  # px between borders as codecs make them; 4 lines in a field
OVERTONES = 3
AROUND = 0.25  # of a frequency, on both sides, among which it has to stand out
LEAST_BORDERS = 10  # along an axis
STANDS_OUT = 3.0  # times the median of the frequencies around, the weakest of the overtones, from which it is a grid
STANDS_BESIDE = 2.0  # the same along one axis, once the other has a grid of blocks of 8
SCALED_STANDS_OUT = 4.5  # the same of both axes together, of a grid that no codec has as it is: scaling leaves its own

Profile = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Grid:
    """Borders along an axis.

    Attributes:
        period: px between them; 0 where there are none.
        offset: px of one from the edge of the picture, below the period.
        clearness: times by which it stands out; what is found by chance reaches about 2.
        step: 8-bit levels by which steps over its borders are larger than others, in smooth places.
    """

    period: float = 0.0
    offset: float = 0.0
    clearness: float = 0.0
    step: float = 0.0

    def __bool__(self) -> bool:
        return self.period > 0


def steps_across(luma: npt.NDArray[np.uint8]) -> Profile:
    """(W - 3,) mean step over each border of columns above those beside it; the first lies before column 2."""
    picture = luma.astype(np.int16)
    steps = np.abs(np.diff(picture, axis=1))
    here, before, behind = steps[:, 1:-1], steps[:, :-2], steps[:, 2:]
    smooth = (before < SMOOTH_LEVELS) & (behind < SMOOTH_LEVELS)
    above = np.clip(here - (before + behind) * np.float32(0.5), -MOST_STEP, MOST_STEP) * smooth
    count = np.maximum(smooth.sum(axis=0), 0.05 * len(luma))
    return np.asarray(above.sum(axis=0) / count, np.float64)


def grid_of(profile: Profile) -> Grid:
    """The grid that shows in a mean profile of `steps_across`, over as many frames as can be had."""
    length = len(profile)
    if length < LEAST_BORDERS * 8:
        return Grid()
    even = profile - _middled(profile)
    bins = FINENESS * length
    spectrum = np.fft.rfft(even, bins)
    size = np.abs(spectrum)
    lowest, highest = int(bins / PERIODS_PX[1]), int(bins / PERIODS_PX[0])
    places = np.arange(lowest, min(highest, (len(size) - 1) // OVERTONES))
    rise = _above_around(size)
    together = np.min([rise[places * overtone] for overtone in range(1, OVERTONES + 1)], axis=0)
    best = int(together.argmax())
    return _settled(profile, even, bins / float(places[best]), float(together[best]))


def grids_of(across: Profile, down: Profile) -> tuple[Grid, Grid]:
    """The grids along both axes that are believed: as codecs make them, or scaled; none where nothing stands out.

    Args:
        across: mean profile of `steps_across`.
        down: that of the pictures turned.
    """
    pair = grid_of(across), grid_of(down)
    plain = [one.period in PLAIN and one.clearness >= STANDS_OUT for one in pair]
    if any(plain):
        known = [
            own or (one.period in PLAIN and one.clearness >= STANDS_BESIDE)
            for own, one in zip(plain, pair, strict=True)
        ]
        return tuple(one if own else Grid() for own, one in zip(known, pair, strict=True))  # type: ignore[return-value]
    together = (pair[0].clearness * pair[1].clearness) ** 0.5
    return pair if together >= SCALED_STANDS_OUT else (Grid(), Grid())


def _middled(profile: Profile) -> Profile:
    """The running median: what textures at one side of the picture bring is no grid."""
    wide = 17
    padded = np.pad(profile, wide // 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, wide), axis=1))


def _above_around(size: Profile) -> Profile:
    """Each frequency's size over the median of those in reach."""
    places = np.unique(np.geomspace(8, len(size) - 1, 160).astype(int))
    middles = [np.median(size[int(p * (1 - AROUND)) : int(p * (1 + AROUND)) + 1]) for p in places]
    around = np.interp(np.arange(len(size)), places, middles)
    return np.asarray(size / np.maximum(around, 1e-9))


def _settled(profile: Profile, even: Profile, period: float, clearness: float) -> Grid:
    """Period and offset at which the borders hold most; 8 and 4, that codecs have, before what is as good."""
    length = len(profile)
    candidates = [near for near in PLAIN if abs(near - period) * length / period < period] or list(
        period * (1 + np.linspace(-0.5, 0.5, 9) / (length / period))  # less than one block in all
    )
    best = max(((*_best_offset(even, one), one) for one in candidates), key=lambda found: found[0])
    step = float(_at_borders(profile, best[1], best[2]).mean() - np.median(profile))
    return Grid(float(best[2]), float(best[1]), clearness, max(0.0, step))


def _at_borders(profile: Profile, offset: float, period: float) -> Profile:
    """The profile at the borders; its first value lies 2 px from the edge."""
    borders = np.arange(offset, len(profile) + 2, period) - 2
    borders = borders[(borders >= 0) & (borders <= len(profile) - 1)]
    return np.asarray(np.interp(borders, np.arange(len(profile)), profile))


def _best_offset(profile: Profile, period: float) -> tuple[float, float]:
    """(mean over the borders, offset)."""
    offsets = np.arange(0.0, period, 0.5 if period != int(period) else 1.0)
    means = [_at_borders(profile, float(offset), period).mean() for offset in offsets]
    best = int(np.argmax(means))
    return float(means[best]), float(offsets[best])


def nearness(length: int, offset: float, period: float) -> npt.NDArray[np.float32]:
    """(length,) float32, how near pixels lie to a border of blocks: 1 at it, falling evenly to 0 in their middle.

    Args:
        length: pixels.
        offset: px of a border, which lies between pixels: 0 is the edge of the picture.
        period: px between borders.
    """
    phase = (np.arange(length) + 0.5 - offset) / period
    return np.asarray(2 * np.abs(phase - np.floor(phase) - 0.5), np.float32)
