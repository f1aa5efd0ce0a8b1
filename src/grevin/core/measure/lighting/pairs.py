"""What two frames say of the light: the levels of the same things in both, along the motion.

Matching the levels of corresponding pixels by quantiles: midway equalisation (Delon 2004) restricted to pixels that
both frames show, as gain and offset are by Roosmalen, Lagendijk and Biemond 1999 (both from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, estimate_flow, positions, sample
from grevin.core.picture.colour import rgb_affine, to_rgb
from grevin.core.picture.frame import Frame, Mask

Levels = npt.NDArray[np.float32]

WIDTH_PX = 240  # of the picture that is looked at: light has no fine detail, and noise falls with the area
DISTANCES = (1, 2, 4, 8)  # frames between two that are compared: far ones hold a chain of near ones together
NORMALISED_PX = 13  # side of the surroundings in which brightness is evened out before motion is looked for
LEAST_SPREAD = 2.0  # 8-bit levels of contrast that are not amplified any more
BACK_PX = 0.8  # px of disagreement there and back, of the small picture
BY_STEPS_PX = 2.0  # px by which motion looked for at once may differ from that in two steps, whose errors add up
DARKEST, BRIGHTEST = 3.0, 250.0  # 8-bit levels; what is clipped says nothing of the light
SOFT_PX = 1.0  # standard deviation: noise does not widen the distribution of levels
KNOTS = 25  # quantiles that are compared
FIRST_QUANTILE, LAST_QUANTILE = 0.02, 0.98
STEPS_A_LEVEL = 32  # of the histograms that quantiles are read from
LEAST_PIXELS = 400  # below this a pair of frames says nothing
LEAST_SEEN = 0.12  # share of the picture: below it motion was not found (33 open clips: .25 and up; upright slats .02)
STANDS = 0.6  # correlation of two pictures as they lie that is enough where motion cannot be found
OFF = 3.0  # times the spread of what is left: such pixels do not show the same thing
SAMPLED = 3  # one pixel in so many tells how a pair of frames differs as a whole
CHANNELS = 4  # luma, then R'G'B'


@dataclass(frozen=True, eq=False)
class SmallPicture:
    """A frame as it is looked at.

    Attributes:
        levels: (4, h, w) float32 luma, red, green and blue in 8-bit levels, a little softened.
        shapes: (h, w) uint8, brightness evened out: what motion is looked for in.
        clipped: share of the frame that is clipped white.
        seen: (h, w) uint8, 1 where the light is to be looked at; None for everywhere.
    """

    levels: Levels
    shapes: Luma8
    clipped: float
    seen: npt.NDArray[np.uint8] | None = None


def small_size(width: int, height: int) -> tuple[int, int]:
    """(width, height) of the picture that is looked at."""
    share = min(1.0, WIDTH_PX / width)
    return max(16, round(width * share)), max(16, round(height * share))


def small_picture(frame: Frame, seen: Mask | None = None) -> SmallPicture:
    """A frame as it is looked at; `seen` is (H, W) bool, where alone its light is, None for everywhere."""
    size = small_size(frame.format.width, frame.format.height)
    plain, rgb = _small_planes(frame, size)
    planes = (plain, *cv2.split(rgb * np.float32(255.0)))
    levels = np.stack([np.asarray(cv2.GaussianBlur(plane, (0, 0), SOFT_PX), np.float32) for plane in planes])
    part = None
    if seen is not None:
        part = np.asarray(cv2.resize(seen.view(np.uint8), size, interpolation=cv2.INTER_NEAREST), np.uint8)
    return SmallPicture(levels, _shapes(plain), float(np.mean(plain >= BRIGHTEST)), part)


def _small_planes(frame: Frame, size: tuple[int, int]) -> tuple[Levels, Levels]:
    """(h, w) luma in 8-bit levels and (h, w, 3) R'G'B' 0..1; means of code values are those of their colours."""
    fmt = frame.format
    if fmt.model != "yuv":
        rgb = cv2.resize(to_rgb(frame), size, interpolation=cv2.INTER_AREA)
        luma = cv2.resize(frame.luma8(), size, interpolation=cv2.INTER_AREA)
        return luma.astype(np.float32), np.asarray(rgb, np.float32)
    small = [_shrunk(plane, size) for plane in frame.planes[:3]]
    rgb = cv2.transform(cv2.merge(small), rgb_affine(fmt))
    return small[0] * np.float32(1.0 / (1 << (fmt.bit_depth - 8))), np.asarray(rgb, np.float32)


def _shrunk(plane: npt.NDArray[Any], size: tuple[int, int]) -> Levels:
    return np.asarray(cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_AREA), np.float32)


def _shapes(plain: Levels) -> Luma8:
    """Brightness over that of the surroundings, in units of their contrast: what a change of light leaves alone."""
    kernel = (NORMALISED_PX, NORMALISED_PX)
    mean = cv2.blur(plain, kernel)
    spread = np.sqrt(np.maximum(cv2.blur(plain * plain, kernel) - mean * mean, 0.0))
    return np.clip(128.0 + 40.0 * (plain - mean) / (spread + np.float32(LEAST_SPREAD)), 0, 255).astype(np.uint8)


@dataclass(frozen=True, eq=False)
class Way:
    """Motion between two frames.

    Attributes:
        there: (h, w, 2) from the first to the second.
        back: (h, w, 2) from the second to the first.
    """

    there: Flow
    back: Flow

    def returns(self) -> npt.NDArray[np.bool_]:
        """(h, w) where the way back leads to where the way there began."""
        returned = sample(self.back, *positions(self.there))
        error = cv2.magnitude(self.there[..., 0] + returned[..., 0], self.there[..., 1] + returned[..., 1])
        return np.asarray(error < BACK_PX)

    def then(self, next_one: Way) -> Way:
        """This way and another after it; worked out on every other pixel, for motion is smooth."""
        return Way(_one_after_another(self.there, next_one.there), _one_after_another(next_one.back, self.back))


def _one_after_another(one: Flow, other: Flow) -> Flow:
    size = one.shape[1::-1]
    across, down = (np.ascontiguousarray(place[::2, ::2]) for place in positions(one))
    total = one[::2, ::2] + sample(other, across, down)
    return np.asarray(cv2.resize(total, size, interpolation=cv2.INTER_LINEAR), np.float32)


def way_between(
    here: SmallPicture, there: SmallPicture, steps: tuple[Way, Way] | None = None
) -> tuple[Way, npt.NDArray[np.bool_]]:
    """Motion between two frames, and (h, w) where it is to be trusted.

    Looked for at once it is finer; but a flow that looks far finds what merely looks alike, and is then wrong all over
    in both directions. What comes by two smaller steps tells where.

    Args:
        here: the first frame.
        there: the second.
        steps: the way to a frame half-way, and from there; None where the two are neighbours.
    """
    one, other = here.shapes, there.shapes
    way = Way(estimate_flow(one, other, "glance"), estimate_flow(other, one, "glance"))
    sure = way.returns()
    if float(sure.mean()) < LEAST_SEEN and _stands(one, other):
        return Way(np.zeros_like(way.there), np.zeros_like(way.back)), np.ones_like(sure)
    if steps is None:
        return way, sure
    slow = steps[0].then(steps[1])
    apart = way.there - slow.there
    sure &= cv2.magnitude(apart[..., 0], apart[..., 1]) < BY_STEPS_PX
    other_sure = slow.returns()
    return (way, sure) if int(sure.sum()) >= int(other_sure.sum()) else (slow, other_sure)


def _stands(one: Luma8, other: Luma8) -> bool:
    """Whether two pictures are alike as they lie: even lines are found again anywhere along themselves, or nowhere."""
    found = cv2.matchTemplate(one, other, cv2.TM_CCOEFF_NORMED)
    return float(found[0, 0]) > STANDS


@dataclass(frozen=True, eq=False)
class Pair:
    """Two frames, pixel by pixel.

    Attributes:
        way: motion between them.
        moved: (4, h, w) float32 levels of the second where the first has them.
        both: (h, w) bool, where what one shows is seen in the other, neither dark nor clipped.
        same: (h, w) bool, of those the places that follow the common change of light.
        apart: 8-bit levels, robust standard deviation by which single pixels of those depart from it: noise, twice.
    """

    way: Way
    moved: Levels
    both: npt.NDArray[np.bool_]
    same: npt.NDArray[np.bool_]
    apart: float

    def unsure(self, pixels: float) -> float:
        """8-bit levels that the mean of so many pixels of one frame is uncertain by."""
        alone = max(1.0, pixels / (4.0 * np.pi * SOFT_PX**2))  # pixels of a softened picture are not each on their own
        return float(self.apart / np.sqrt(2.0 * alone))


def pair_of(here: SmallPicture, there: SmallPicture, steps: tuple[Way, Way] | None = None) -> Pair:
    """What of one frame is seen in another; for the steps see `way_between`."""
    way, same = way_between(here, there, steps)
    places = positions(way.there)
    moved = np.moveaxis(np.asarray(sample(np.ascontiguousarray(np.moveaxis(there.levels, 0, -1)), *places)), -1, 0)
    for plane in (here.levels[0], moved[0]):
        same &= (plane > DARKEST) & (plane < BRIGHTEST)
    height, width = same.shape
    x, y = places
    same &= (x >= 0) & (x <= width - 1) & (y >= 0) & (y <= height - 1)
    if here.seen is not None:
        same &= here.seen > 0
    if there.seen is not None:
        same &= sample(there.seen, *places) > 0
    return Pair(way, moved, same, *_without_others(here.levels[0], moved[0], same))


def _without_others(
    here: Levels, there: Levels, same: npt.NDArray[np.bool_]
) -> tuple[npt.NDArray[np.bool_], float]:  # fmt: skip
    """Without what does not follow the common change of light, such as covered places; and how far the rest is off."""
    spread = 0.0
    for _ in range(2):
        some = np.flatnonzero(same)[::SAMPLED]
        one, other = here.ravel()[some], there.ravel()[some]
        if len(one) < LEAST_PIXELS // SAMPLED:
            return same, spread
        slope, offset = _line(one, other)
        left = there - (slope * here + offset)
        inside = other - (slope * one + offset)
        middle = np.median(inside)
        spread = 1.4826 * float(np.median(np.abs(inside - middle)))
        same = same & (np.abs(left - middle) < max(1.0, OFF * spread))
    return same, spread


def _line(one: Levels, other: Levels) -> tuple[np.float32, np.float32]:
    """Slope and offset of a straight line through pairs of levels."""
    middle, where = one.mean(), other.mean()
    away = one - middle
    variance = float(np.dot(away, away)) / len(one)
    slope = np.float32(float(np.dot(away, other - where)) / len(one) / variance if variance > 1.0 else 1.0)
    return slope, np.float32(where - slope * middle)


def matched_levels(here: SmallPicture, pair: Pair) -> Levels | None:
    """(4, KNOTS, 2) levels that stand for each other in both frames; None where too little is seen in both."""
    looked_at = pair.same.size if here.seen is None else int(np.count_nonzero(here.seen))
    if int(pair.same.sum()) < max(LEAST_PIXELS, LEAST_SEEN * looked_at):
        return None
    places = np.flatnonzero(pair.same)
    found = np.empty((CHANNELS, KNOTS, 2), np.float32)
    for channel in range(CHANNELS):
        found[channel, :, 0] = _quantiles(here.levels[channel].ravel()[places])
        found[channel, :, 1] = _quantiles(pair.moved[channel].ravel()[places])
    return found


def _quantiles(levels: Levels) -> Levels:
    """Quantiles read from a fine histogram, between its steps by straight lines."""
    counts = np.bincount(
        np.clip(levels * STEPS_A_LEVEL, 0, 256 * STEPS_A_LEVEL - 1).astype(np.int32), minlength=256 * STEPS_A_LEVEL
    )
    total = np.cumsum(counts)
    wanted = np.linspace(FIRST_QUANTILE, LAST_QUANTILE, KNOTS) * total[-1]
    place = np.searchsorted(total, wanted)
    before = total[place] - counts[place]
    return np.asarray((place + (wanted - before) / np.maximum(counts[place], 1)) / STEPS_A_LEVEL, np.float32)
