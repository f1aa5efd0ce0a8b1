"""A picture between two others: both moved along the motion to a moment in between, occlusion handled.

A pixel's way to the moment is straight, or a parabola through where it was one frame further away (`bent`). The
motion is splatted forward to the moment, not the colours, so that no holes tear the picture; both pictures are
then read backward along it (in the manner of softmax splatting: Niklaus and Liu 2020, from memory). Where the two do
not agree, or the motion there and back does not, their plain mix takes over.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample

Picture = npt.NDArray[np.float32]
Weights = npt.NDArray[np.float32]

COARSE = 2  # the motion is splatted on a grid this much coarser: no finer one is what it was estimated on
RESIDUE_LEVELS = 16.0  # 8-bit levels of disagreement that take a motion's weight down to 1/e; tried on the open clips
BACK_PX = 8.0  # pixels of disagreement there and back that do the same; tried likewise
SMOOTH_PX = 2.0  # standard deviation over which disagreement is looked at
HOLE_PX = 5.0  # standard deviation of the blur that fills what no motion reaches
LEAST = 1e-4  # weight of a motion that nothing speaks for
NOTHING = 1e-6  # of a place that no motion leads to
LED_FIRST = 1000.0  # times the weight of a way that a person led: it covers what else lands there
BEND_LEVELS = 8.0  # 8-bit levels of misfit to the frame beyond that take a bend down to 1/e; tried on the open clips
BEND_SMOOTH_PX = 3.0  # standard deviation over which bends are evened out
MOST_BENT = 0.5  # of the motion over the gap
TRUST_LEVELS = 30.0  # 8-bit levels by which both moved pictures may differ; beyond it the mix takes over


@dataclass(frozen=True, eq=False)
class Side:
    """One side of a gap.

    Attributes:
        picture: (H, W, C) float32.
        luma: (H, W) uint8 of it.
        flow: (H, W, 2) pixels, motion to the other side.
        way: (H, W, 2) pixels, where each pixel goes until the moment that is wanted.
        led: (H, W) 0..1, how much of the way is a person's word; None for none of it.
    """

    picture: Picture
    luma: Luma8
    flow: Flow
    way: Flow
    led: Weights | None = None


@dataclass(frozen=True, eq=False)
class Between:
    """A picture made.

    Attributes:
        picture: (H, W, C) float32, in the units of what it was made from.
        trust: (H, W) float32 0..1, share of the picture moved along the motion; the rest is the plain mix.
    """

    picture: Picture
    trust: Weights


def _disagreement(here: Luma8, there: Luma8, flow: Flow, back: Flow) -> Weights:
    """(H, W) float32 0..1 weight of each motion, by what it leaves unexplained and by the way back."""
    across, down = positions(flow)
    residue = left_over(here, there, flow)
    returned = sample(back, across, down)
    error = np.hypot(flow[..., 0] + returned[..., 0], flow[..., 1] + returned[..., 1])
    return np.asarray(np.exp(-(residue / RESIDUE_LEVELS + error / BACK_PX)), np.float32)


def left_over(here: Luma8, there: Luma8, flow: Flow) -> Weights:
    """(H, W) float32 8-bit levels that a motion leaves unexplained, evened out over some pixels."""
    residue = cv2.absdiff(here, np.asarray(sample(there, *positions(flow)), np.uint8)).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(residue, (0, 0), SMOOTH_PX), np.float32)


def bent(here: Luma8, beyond: Luma8, away: Flow, there: Flow, gap: float, share: float) -> Flow:
    """How far the way to a moment departs from the straight one, from one more good frame on this side.

    The parabola through three places of each pixel (Lagrange): where it was in the frame beyond, where it is, where
    it will be behind the gap. It counts as far as the motion to the frame beyond explains that frame, and no more
    than a share of the whole motion.

    Args:
        here: (H, W) uint8 luma of the good frame beside the gap.
        beyond: luma of the one before it (after it, on the other side).
        away: (H, W, 2) flow from here to the one beyond.
        there: flow from here to the good frame on the other side of the gap.
        gap: frames from here to there.
        share: 0..1, where the moment lies between them.

    Returns:
        (H, W, 2) float32 pixels.
    """
    time = gap * share
    near, far = time * (time - gap) / (1 + gap), time * (time + 1) / (gap * (gap + 1)) - share
    bend = cv2.GaussianBlur(np.float32(near) * away + np.float32(far) * there, (0, 0), BEND_SMOOTH_PX)
    trust = np.exp(-left_over(here, beyond, away) / BEND_LEVELS)
    size = np.maximum(np.hypot(bend[..., 0], bend[..., 1]), 1e-6)
    most = MOST_BENT * np.hypot(there[..., 0], there[..., 1])
    return np.asarray(bend * (trust * np.minimum(1.0, most / size))[..., None], np.float32)


def splatted(way: Flow, weight: Weights) -> tuple[Flow, Weights]:
    """Ways to a moment as seen from that moment: (H, W, 2) pixels, and (H, W) 0..1, how well each is known.

    What is known least is still more than nothing: a place that no way leads to is behind all others.
    """
    height, width = weight.shape
    size = (max(1, width // COARSE), max(1, height // COARSE))
    small = cv2.resize(way, size, interpolation=cv2.INTER_AREA)
    sure = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    scale = np.array([size[0] / width, size[1] / height], np.float32)
    moved, known = _splatted_coarse(np.asarray(small, np.float32), np.asarray(sure, np.float32), scale)
    wide = cv2.resize(moved, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(wide, np.float32), np.asarray(
        cv2.resize(known, (width, height), interpolation=cv2.INTER_LINEAR), np.float32
    )


def _splatted_coarse(flow: Flow, weight: Weights, scale: npt.NDArray[np.float32]) -> tuple[Flow, Weights]:
    """The same on a grid of its own, in pixels of the full one; `scale` (right, down) leads from those to these."""
    height, width = weight.shape
    rows, columns = np.indices((height, width), dtype=np.float32)
    x, y = columns + scale[0] * flow[..., 0], rows + scale[1] * flow[..., 1]
    left, top = np.floor(x), np.floor(y)
    sums = [np.zeros(height * width) for _ in range(4)]
    for dx in (0, 1):
        for dy in (0, 1):
            to_x, to_y = left + dx, top + dy
            near = (1 - np.abs(x - to_x)) * (1 - np.abs(y - to_y))
            inside = (to_x >= 0) & (to_x < width) & (to_y >= 0) & (to_y < height)
            place = (to_y[inside] * width + to_x[inside]).astype(np.int64)
            landed = near[inside]
            part = landed * weight[inside]
            values = (part, part * flow[..., 0][inside], part * flow[..., 1][inside], landed)
            for total, value in zip(sums, values, strict=True):
                total += np.bincount(place, value, minlength=height * width)
    known, across, down, landed = (total.reshape(height, width).astype(np.float32) for total in sums)
    wide = [cv2.GaussianBlur(plane, (0, 0), HOLE_PX / COARSE) for plane in (known, across, down)]
    reached = known > LEAST
    total = np.where(reached, known, np.maximum(wide[0], 1e-9))
    filled = [
        np.where(reached, plane, blurred) / total for plane, blurred in zip((across, down), wide[1:], strict=True)
    ]
    return np.stack(filled, -1).astype(np.float32), np.minimum(known + LEAST * landed, 1.0)


def between(one: Side, other: Side, share: float) -> Between:
    """The picture at a share (0..1) of the way from one side of a gap to the other."""
    sure = (_sureness(one, other), _sureness(other, one))
    moved: list[Picture] = []
    weights: list[Weights] = []
    lumas: list[Picture] = []
    for side, known, mix in zip((one, other), sure, (1.0 - share, share), strict=True):
        way, reached = splatted(side.way, known)
        across, down = positions(np.asarray(-way, np.float32))
        read = cv2.remap(side.picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        moved.append(np.asarray(read, np.float32).reshape(side.picture.shape))
        lumas.append(np.asarray(sample(side.luma, across, down), np.float32))
        off = outside(across, down, reached.shape)
        weights.append(np.where(off, NOTHING, mix * (reached + NOTHING)).astype(np.float32))
    total = weights[0] + weights[1]
    along = (moved[0] * weights[0][..., None] + moved[1] * weights[1][..., None]) / total[..., None]
    apart = cv2.GaussianBlur(np.abs(lumas[0] - lumas[1]), (0, 0), SMOOTH_PX)
    one_sided = np.minimum(weights[0], weights[1]) < 0.1 * np.maximum(weights[0], weights[1])
    trust = np.where(one_sided, 1.0, np.exp(-np.square(apart / TRUST_LEVELS))).astype(np.float32)
    trust = np.asarray(cv2.GaussianBlur(trust, (0, 0), SMOOTH_PX), np.float32)
    plain = one.picture * np.float32(1.0 - share) + other.picture * np.float32(share)
    return Between(np.asarray(plain + trust[..., None] * (along - plain), np.float32), trust)


def _sureness(here: Side, there: Side) -> Weights:
    """(H, W) 0..1 weight of each way: how well the motion is explained, and a person's word where there is one."""
    found = _disagreement(here.luma, there.luma, here.flow, there.flow)
    return found if here.led is None else np.asarray(found * (1 + LED_FIRST * here.led), np.float32)
