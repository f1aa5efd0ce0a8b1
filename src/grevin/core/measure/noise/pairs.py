"""Samples of noise: the difference of two frames in plain places, along the motion.

What two frames show alike falls out of their difference and stays in their sum. Places are chosen by the sum, in which
the noise is independent of that in the difference: so the choice does not prefer places with little noise, as one by
the flatness of a single picture does, and grain that is correlated from pixel to pixel is measured in full.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import COSINES, PART
from grevin.core.measure.one_light import difference_in_one_light
from grevin.core.motion.flow import Flow
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.levels import Plane, levels_of

Blocks = npt.NDArray[np.float32]

SIDE = 16  # px of a place
PLAIN_SHARE = 0.15  # of the places, the plainest at each level: in them the noise is measured
DRAWN_SHARE = 0.6  # the same where a person drew where to measure
LINE_SHARE = 0.6  # of the places, the plainer at each level: from them it is told what texture adds
LEVEL_BINS = 8  # of the range, each with its own plain places
DARKEST, BRIGHTEST = 20.0, 240.0  # 8-bit levels between which nothing of the noise is clipped
LEAST_PLACES = 12  # of a pair of frames
FEWEST_PLAIN = 2  # of a pair of frames; a shot needs many more
CLIPPED_SHARE = 0.02  # of a place's pixels that may be clipped
AGREE_PX = 1.0  # px by which motion may vary over a place
# Correlation of what changes in a place from one frame to the next and then to the one after. Noise that is new each
# time gives -1/2, since the frame between belongs to both; noise that stands for frames, 0; what goes on changing, up
# to 1: a dissolve, a fade, texture that the motion misses. Over the 256 pixels of a place it is told within .06.
GOES_ON = 0.1
MOST_GOING = 0.55  # of the places, above which the whole picture dissolves, and what does not seem to tells nothing
LEAST_CHANGE = 1e-3  # squared 8-bit levels: a place that rests says nothing


@dataclass(frozen=True, eq=False)
class Samples:
    """Plain places of a pair of frames.

    Attributes:
        level: (N,) 8-bit luma.
        power: (N, 3, PART, PART) squared spectrum of the noise of luma and both chroma planes there, 8-bit levels;
            the chroma of a grey picture is zero.
        parts: (3,) how many blocks each is the mean of.
        texture: (N,) variance of the mean of both frames there, without slopes: noise, and what the picture shows.
        plain: (N,) whether a place is one of the plainest of its level in its pair.
        together: (3, 3) how much the noise of the planes goes together in plain places, brightness at the size of
            colour: sums of products.
        light: 8-bit levels by which the light changed between both frames.
    """

    level: npt.NDArray[np.float32]
    power: Blocks
    parts: tuple[int, int, int]
    texture: npt.NDArray[np.float32]
    plain: npt.NDArray[np.bool_]
    together: npt.NDArray[np.float64]
    light: float = 0.0


def samples_of(
    here: Frame, there: Frame, flow: Flow, seen: Mask | None = None, after: Frame | None = None
) -> Samples | None:  # fmt: skip
    """Samples from two frames; None for none.

    So where too little of one is seen in the other, they are the same picture, or one dissolves into the other.

    Args:
        here: a frame.
        there: another one of the same shot.
        flow: (H, W, 2) from the first to the second.
        seen: (H, W) bool, where alone places are looked for in the first; None for everywhere.
        after: the frame after both, by which what goes on changing is told from noise; None for none.
    """
    ours, theirs = levels_of(here), levels_of(there)
    one, other = ours[0], theirs[0]
    rows, columns = one.shape[0] // SIDE, one.shape[1] // SIDE
    if rows * columns < LEAST_PLACES:
        return None
    shift, steady = _shifts(flow, rows, columns)
    y, x = np.mgrid[0:rows, 0:columns] * SIDE
    inside = steady & (x + shift[..., 0] >= 0) & (x + shift[..., 0] + SIDE <= one.shape[1])
    inside &= (y + shift[..., 1] >= 0) & (y + shift[..., 1] + SIDE <= one.shape[0])
    if seen is not None:
        cut = seen[: rows * SIDE, : columns * SIDE].reshape(rows, SIDE, columns, SIDE)
        inside &= cut.all(axis=(1, 3))
    at, to = (y[inside], x[inside]), (y[inside] + shift[inside, 1], x[inside] + shift[inside, 0])
    first, second = _cut(one, at, SIDE), _cut(other, to, SIDE)
    level = 0.5 * (first.mean(axis=(1, 2)) + second.mean(axis=(1, 2)))
    good = (level > DARKEST) & (level < BRIGHTEST) & (np.ptp(first - second, axis=(1, 2)) > 0)
    good &= ((first < 1) | (first > 254)).mean(axis=(1, 2)) < CLIPPED_SHARE
    if after is not None:
        going = _going(first, second, levels_of(after)[0], to, shift[inside])
        if going.size and going.mean() > MOST_GOING:
            return None
        good &= ~going
    rest = flatness(first + second)
    shares = (LINE_SHARE, PLAIN_SHARE) if seen is None else (1.0, DRAWN_SHARE)
    chosen, plain = (_plainest(rest, level, good, share) for share in shares)
    if int(plain.sum()) < FEWEST_PLAIN:
        return None
    differing, changed = difference_in_one_light(first, second, good)
    luma = differing[chosen]
    colours = [_colour(ours, theirs, plane, at, to, chosen) for plane in (1, 2)]
    parts = (SIDE // PART) ** 2, *((colour.shape[-1] // PART) ** 2 for colour in colours)
    power = np.stack([_power(one) for one in (luma, *colours)], axis=1)
    together = _together([luma, *colours], plain[chosen])
    return Samples(level[chosen], power, parts, rest[chosen], plain[chosen], together, changed)


def _going(
    first: Blocks, second: Blocks, after: npt.NDArray[np.float32], to: tuple[npt.NDArray[Any], npt.NDArray[Any]],
    shift: npt.NDArray[np.int64],
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """(N,) which places go on changing where they come to in the frame after: as they went, or at rest from there."""
    onward, resting, change = (to[0] + shift[:, 1], to[1] + shift[:, 0]), to, _without_plane(second - first)
    return _goes_on(change, second, after, onward) | _goes_on(change, second, after, resting)


def _goes_on(
    change: Blocks, second: Blocks, after: npt.NDArray[np.float32], at: tuple[npt.NDArray[Any], npt.NDArray[Any]]
) -> npt.NDArray[np.bool_]:
    """(N,) which places go on changing in the frame after; those that cannot be told do not.

    Args:
        change: (N, SIDE, SIDE) what changed in places up to the second frame.
        second: these places of it.
        after: (H, W) luma of the frame after.
        at: rows and columns of the places there.
    """
    down, across = at
    told = (down >= 0) & (across >= 0) & (down + SIDE <= after.shape[0]) & (across + SIDE <= after.shape[1])
    third = _cut(after, (down[told], across[told]), SIDE)
    apart = [one.reshape(-1, SIDE * SIDE) for one in (change[told], _without_plane(third - second[told]))]
    both, one, other = (np.einsum("np,np->n", *pair) for pair in (apart, apart[:1] * 2, apart[1:] * 2))
    result = np.zeros(len(second), np.bool_)
    result[told] = both > GOES_ON * np.sqrt(one * other) + LEAST_CHANGE * SIDE * SIDE
    return result


def _shifts(flow: Flow, rows: int, columns: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.bool_]]:
    """(rows, columns, 2) whole pixels of motion of each place, even for the sake of chroma; and where it is even."""
    cut = flow[: rows * SIDE, : columns * SIDE].reshape(rows, SIDE, columns, SIDE, 2)
    middle = cut[:, SIDE // 4 :: SIDE // 2, :, SIDE // 4 :: SIDE // 2]
    spread = np.ptp(middle, axis=(1, 3)).max(axis=-1)
    return 2 * np.rint(middle.mean(axis=(1, 3)) / 2).astype(np.int64), spread < AGREE_PX


def _cut(plane: npt.NDArray[np.float32], at: tuple[Any, Any], side: int) -> Blocks:
    """(N, side, side) blocks with their first rows and columns at some places."""
    windows = np.lib.stride_tricks.sliding_window_view(plane, (side, side))
    return np.asarray(windows[at[0], at[1]], np.float32)


def _plainest(
    rest: npt.NDArray[np.float32], level: npt.NDArray[np.float32], good: npt.NDArray[np.bool_], share: float
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """A share of the places at each level, those with the least texture."""
    chosen = np.zeros(len(level), np.bool_)
    bins = np.minimum((level / 256 * LEVEL_BINS).astype(int), LEVEL_BINS - 1)
    for one in range(LEVEL_BINS):
        inside = good & (bins == one)
        if inside.any():
            chosen |= inside & (rest <= np.quantile(rest[inside], share))
    return chosen


def flatness(sums: Blocks) -> npt.NDArray[np.float32]:
    """(N,) variance of the mean of two frames in places, without slopes; `sums` are (N, SIDE, SIDE) of both frames."""
    return np.asarray(_without_plane(sums).var(axis=(1, 2)) / 2, np.float32)


def _without_plane(blocks: Blocks) -> Blocks:
    """Without their means and slopes."""
    ramp = np.arange(blocks.shape[-1], dtype=np.float32) - np.float32((blocks.shape[-1] - 1) / 2)
    size = float(ramp @ ramp) * blocks.shape[-1]
    across = np.einsum("nyx,x->n", blocks, ramp) / size
    down = np.einsum("nyx,y->n", blocks, ramp) / size
    flat = blocks - blocks.mean(axis=(1, 2), keepdims=True)
    return np.asarray(flat - across[:, None, None] * ramp - down[:, None, None] * ramp[:, None], np.float32)


def _power(difference: Blocks) -> Blocks:
    """(N, PART, PART) mean squared cosine spectrum of the noise of one frame in blocks of a place."""
    count, side = len(difference), difference.shape[-1]
    parts = difference.reshape(count, side // PART, PART, side // PART, PART).transpose(0, 1, 3, 2, 4)
    squares = np.square(COSINES @ parts @ COSINES.T) * 0.5
    return np.asarray(squares.mean(axis=(1, 2)), np.float32)


def _together(differences: list[Blocks], plain: npt.NDArray[np.bool_]) -> npt.NDArray[np.float64]:
    """(3, 3) sums of products of the planes' differences in plain places, all at the size of the smallest."""
    side = min(one.shape[-1] for one in differences)
    small = []
    for one in differences:
        by = one.shape[-1] // side
        means = one[plain].reshape(-1, side, by, side, by).mean(axis=(2, 4))
        small.append((means - means.mean(axis=(1, 2), keepdims=True)).ravel().astype(np.float64))
    return np.array([[float(first @ second) for second in small] for first in small])


def _colour(
    ours: list[Plane], theirs: list[Plane], plane: int, at: Any, to: Any, chosen: npt.NDArray[np.bool_]
) -> Blocks:  # fmt: skip
    """What two frames differ by in another plane, under the chosen places of the first; zero where there is none."""
    if len(ours) < 3:
        return np.zeros((int(chosen.sum()), PART, PART), np.float32)
    one, other = ours[plane], theirs[plane]
    down, across = (round(a / b) for a, b in zip(ours[0].shape, one.shape, strict=True))
    side = max(PART, SIDE // max(down, across))

    def under(places: tuple[Any, Any]) -> tuple[Any, Any]:
        sizes = zip(places, (down, across), one.shape, strict=True)
        return tuple(np.minimum(place[chosen] // by, size - side) for place, by, size in sizes)

    first, second = _cut(one, under(at), side), _cut(other, under(to), side)
    return difference_in_one_light(first, second, np.ones(len(first), np.bool_))[0]
