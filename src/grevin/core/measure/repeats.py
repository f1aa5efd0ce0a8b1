"""How a frame differs from the one before it: the same, nearly the same, new with old noise, or new.

A repeat that was compressed or dubbed again is no longer equal sample for sample; it shows as a dip of the
largest local change against the frames around it. Noise that stays while the picture moves (a camera's low-light
mode, a noise reducer) shows as a correlation of the fine residue at zero displacement where the picture moved.
Rules and limits: own measurements on eight open clips under six kinds of compression and noise.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, estimate_flow

Residue = npt.NDArray[np.float32]
Kind = Literal["repeat", "near repeat", "held noise", "new"]

BLOCK_PX = 16
TOP_SHARE = 0.02  # the largest change counts, so that one walking person is enough to make a frame new
DIP = 0.3  # a near repeat changes less than this share of what the frames on both sides change (measured, F .986)
STEP_SCALE = 2  # pictures are brought down by it, so that noise counts less
STEP_SHARE = 0.1  # of the blocks, those that change most
# Of a change that one displacement explains: repeats .09 at most in 95 of 100, more in half of the frames of a camera
# held in hand that a dip alone takes for repeats (ruling clips and photographs)
DISPLACED_SHARE = 0.1
CONTEXT = 5  # frames on either side that a dip is judged against
HELD_CORRELATION = 0.25  # open clips: renewed noise reached .21, held noise of 2 levels .26 at least (measured)
MOVED_PX = 1.2  # picture points that moved at least this far tell held noise from a still picture
FLAT_GRADIENT = 12.0  # 8-bit levels a pixel: texture is left out, it would correlate with itself
FEWEST_SAMPLES = 400  # fewer flat moving points say nothing about noise
LEAST_NOISE = 0.4  # 8-bit levels: below this the residue is rounding, not noise
ASIDE_PX = 2  # fine texture correlates nearly as well this far aside, noise does not
ROOM_PX = 12  # round what moved, so that filters see their surroundings
FLOW_WIDTH = 360  # width at which motion is looked for; half of SD


@dataclass(frozen=True)
class Change:
    """What changed from one frame to the next.

    Attributes:
        equal: every luma sample is the same.
        largest: mean of the largest block changes, 8-bit levels.
        displaced: share of the change that one displacement of the whole picture explains, 0..1.
        noise_correlation: of the fine residue where the picture moved, beyond what fine texture explains, -1..1;
            None where that cannot be told.
    """

    equal: bool
    largest: float
    displaced: float
    noise_correlation: float | None


@dataclass(frozen=True)
class Judgement:
    """What a frame is to the one before it, with the figure that says so."""

    kind: Kind
    figure: str

    def words(self) -> str:
        """For people."""
        return f"{self.kind}, {self.figure}"


def change_between(last: Luma8, this: Luma8, motion: Flow | None = None) -> Change:
    """Measure the change between two luma pictures, (H, W) uint8 each.

    Args:
        last: the picture before.
        this: the picture.
        motion: flow of `this` to `last` at any smaller size, where it is known already.
    """
    if np.array_equal(last, this):
        return Change(True, 0.0, 0.0, None)
    motion = _small_motion(last, this) if motion is None else motion
    correlation = _noise_correlation(last, this, motion)
    return Change(False, largest_change(last, this), displaced_share(last, this), correlation)


def _small_motion(last: Luma8, this: Luma8) -> Flow:
    height, width = this.shape
    share = min(1.0, FLOW_WIDTH / width)
    size = (max(32, round(width * share)), max(32, round(height * share)))
    small = [cv2.resize(picture, size, interpolation=cv2.INTER_AREA) for picture in (last, this)]
    return estimate_flow(np.asarray(small[1], np.uint8), np.asarray(small[0], np.uint8), "quick")


def largest_change(last: Luma8, this: Luma8) -> float:
    """Mean of the largest block changes, 8-bit levels, between two pictures or fields, (H, W) uint8 each."""
    if np.array_equal(last, this):
        return 0.0
    first, second = (cv2.GaussianBlur(picture, (0, 0), 1.0) for picture in (last, this))
    height, width = this.shape
    grid = (max(1, width // BLOCK_PX), max(1, height // BLOCK_PX))
    blocks = cv2.resize(cv2.absdiff(first, second).astype(np.float32), grid, interpolation=cv2.INTER_AREA).ravel()
    count = max(1, round(TOP_SHARE * blocks.size))
    return float(np.partition(blocks, -count)[-count:].mean())


def step_done(before: Luma8, last: Luma8, this: Luma8, after: Luma8) -> tuple[float, float]:
    """How much of the way from the frame before the last one to the frame after this one is done from last to this.

    A repeat does nothing of it, however its noise or its compression differ; a frame of its own does a third where
    things move evenly, and its part where they come in pulses. The noise of the two frames is not that of the other
    two, so it cancels out.

    Args:
        before: (H, W) uint8 luma of the first of four frames in a row.
        last: of the second.
        this: of the third.
        after: of the fourth.

    Returns:
        What the step and the way have in common, and the way with itself: squared 8-bit levels, means over the blocks
        that change most. Their quotient is the share that is done.
    """
    size = max(1, this.shape[1] // STEP_SCALE), max(1, this.shape[0] // STEP_SCALE)
    four = (before, last, this, after)
    small = [cv2.resize(one, size, interpolation=cv2.INTER_AREA).astype(np.float32) for one in four]
    step, way = small[2] - small[1], small[3] - small[0]
    grid = (max(1, this.shape[1] // BLOCK_PX), max(1, this.shape[0] // BLOCK_PX))
    shared, whole = (cv2.resize(one, grid, interpolation=cv2.INTER_AREA).ravel() for one in (step * way, way * way))
    count = max(1, round(STEP_SHARE * whole.size))
    moved = np.argpartition(whole, -count)[-count:]
    return float(shared[moved].mean()), float(whole[moved].mean())


def displaced_share(last: Luma8, this: Luma8) -> float:
    """Share of the change that one small displacement of the whole picture explains, 0..1; 0 for equal pictures.

    Noise and compression displace nothing; a camera held in hand does on every frame, however little.

    Args:
        last: (H, W) uint8 luma of the picture before.
        this: of the picture.
    """
    return displacement(last, this)[1]


def displacement(last: Luma8, this: Luma8) -> tuple[float, float]:
    """How much of the change one small displacement of the whole picture explains, and which share of it that is.

    The change is regressed on the picture's slopes (Lucas and Kanade 1981), at half the size and smoothed. Noise of
    both pictures hardly counts in the first: two unknowns follow next to none of it.

    Args:
        last: (H, W) uint8 luma of the picture before.
        this: of the picture.

    Returns:
        Squared 8-bit levels, mean over the picture; 0..1.
    """
    size = max(1, this.shape[1] // STEP_SCALE), max(1, this.shape[0] // STEP_SCALE)
    small = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (last, this))
    first, second = (cv2.GaussianBlur(one.astype(np.float32), (0, 0), 1.0) for one in small)
    change, mean = second - first, 0.5 * (first + second)
    right, down = (0.5 * cv2.Sobel(mean, cv2.CV_32F, *way, ksize=1) for way in ((1, 0), (0, 1)))
    across, below, both = _product(right, right), _product(down, down), _product(right, down)
    along_right, along_down = _product(change, right), _product(change, down)
    spread = across * below - both * both
    if spread <= 0:
        return 0.0, 0.0
    explained = along_right**2 * below - 2 * along_right * along_down * both + along_down**2 * across
    explained /= spread
    return explained / change.size, min(1.0, explained / max(_product(change, change), 1e-6))


def _product(first: Residue, second: Residue) -> float:
    return float(np.dot(first.ravel(), second.ravel()))


def _noise_correlation(last: Luma8, this: Luma8, motion: Flow) -> float | None:
    height, width = this.shape
    share = motion.shape[1] / width
    moved = (np.hypot(motion[..., 0], motion[..., 1]) > MOVED_PX * share).view(np.uint8)
    if cv2.countNonZero(moved) < FEWEST_SAMPLES * share * share:
        return None
    moved = cv2.resize(moved, (width, height), interpolation=cv2.INTER_NEAREST) > 0
    part = _part_of(moved)
    moved, last, this = moved[part], last[part], this[part]
    smooth = cv2.GaussianBlur(this, (0, 0), 2.0)
    steps = [np.abs(cv2.Sobel(smooth, cv2.CV_16S, *way)) for way in ((1, 0), (0, 1))]
    chosen = moved & (steps[0] + steps[1] < FLAT_GRADIENT)
    chosen[:ASIDE_PX], chosen[-ASIDE_PX:], chosen[:, :ASIDE_PX], chosen[:, -ASIDE_PX:] = False, False, False, False
    if np.count_nonzero(chosen) < FEWEST_SAMPLES:
        return None
    first, second = _residue(last), _residue(this)[chosen]
    if first[chosen].std() < LEAST_NOISE or second.std() < LEAST_NOISE:
        return None
    aside = [(0, ASIDE_PX), (0, -ASIDE_PX), (ASIDE_PX, 0), (-ASIDE_PX, 0)]
    texture = max(_correlation(np.roll(first, offset, (0, 1))[chosen], second) for offset in aside)
    return _correlation(first[chosen], second) - max(0.0, texture)


def _part_of(mask: npt.NDArray[np.bool_]) -> tuple[slice, slice]:
    """The box round a mask, with some room."""
    x, y, width, height = cv2.boundingRect(mask.view(np.uint8))
    rows = slice(max(0, y - ROOM_PX), y + height + ROOM_PX)
    return rows, slice(max(0, x - ROOM_PX), x + width + ROOM_PX)


def _correlation(first: Residue, second: Residue) -> float:
    return float(np.corrcoef(first, second)[0, 1])


def _residue(picture: Luma8) -> Residue:
    fine = picture.astype(np.float32)
    return np.asarray(fine - cv2.GaussianBlur(fine, (0, 0), 1.2), np.float32)


def judge(changes: Mapping[int, Change], number: int) -> Judgement:
    """What frame `number` is, from its own change and those of up to five frames on either side.

    Args:
        changes: change from the frame before, by frame number; must hold `number`.
        number: the frame.
    """
    change = changes[number]
    if change.equal:
        return Judgement("repeat", "every sample equal")
    before = [changes[n].largest for n in range(number - CONTEXT, number) if n in changes]
    after = [changes[n].largest for n in range(number + 1, number + CONTEXT + 1) if n in changes]
    levels = f"{change.largest:.1f} levels"
    dips = before and after and change.largest < DIP * min(max(before), max(after))
    if dips and change.displaced <= DISPLACED_SHARE:
        return Judgement("near repeat", levels)
    if change.noise_correlation is not None and change.noise_correlation > HELD_CORRELATION:
        return Judgement("held noise", f"{change.noise_correlation:.0%} the same")
    return Judgement("new", levels)
