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

from grevin.core.motion.flow import Flow, Luma8, outside, positions, sample, stretched

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
ONE_SIDED = 0.1  # a side with less than this share of the other's weight has no say, so both need not agree
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


def _agreement(here: Side, there: Side) -> Weights:
    """(h, w) 0..1 on the coarse grid, weight of each motion, by what it leaves unexplained and by the way back."""
    size = _coarse_size(here.luma)
    residue = cv2.resize(left_over(here.luma, there.luma, here.flow), size, interpolation=cv2.INTER_AREA)
    flow, back = (_coarse(side.flow) for side in (here, there))
    scale = _coarse_scale(here.luma)
    returned = sample(back, *positions(stretched(flow, scale)))
    error = cv2.magnitude(flow[..., 0] + returned[..., 0], flow[..., 1] + returned[..., 1])
    return np.asarray(cv2.exp(-(residue / RESIDUE_LEVELS + error / BACK_PX)), np.float32)


def _coarse_size(luma: Luma8) -> tuple[int, int]:
    """(width, height) of the coarse grid."""
    return max(1, luma.shape[1] // COARSE), max(1, luma.shape[0] // COARSE)


def _coarse_scale(luma: Luma8) -> Weights:
    """(right, down), from pixels to those of the coarse grid."""
    width, height = _coarse_size(luma)
    return np.array([width / luma.shape[1], height / luma.shape[0]], np.float32)


def _coarse(plane: Picture) -> Picture:
    size = (max(1, plane.shape[1] // COARSE), max(1, plane.shape[0] // COARSE))
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.float32)


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
    over = _coarse(there)
    bend = cv2.addWeighted(_coarse(away), near, over, far, 0)
    bend = np.asarray(cv2.GaussianBlur(bend, (0, 0), BEND_SMOOTH_PX / COARSE), np.float32)
    trust = cv2.exp(-_coarse(left_over(here, beyond, away)) / np.float32(BEND_LEVELS))
    size = np.maximum(cv2.magnitude(bend[..., 0], bend[..., 1]), np.float32(1e-6))
    most = np.float32(MOST_BENT) * cv2.magnitude(over[..., 0], over[..., 1])
    held = np.asarray(bend * (trust * np.minimum(np.float32(1.0), most / size))[..., None], np.float32)
    return np.asarray(cv2.resize(held, here.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def splatted(side: Side, weight: Weights) -> tuple[Flow, Weights]:
    """Ways to a moment as seen from that moment: (H, W, 2) pixels, and (H, W) 0..1, how well each is known.

    What is known least is still more than nothing: a place that no way leads to is behind all others.
    """
    size = side.luma.shape[1], side.luma.shape[0]
    moved, known = _splatted_coarse(_coarse(side.way), weight, _coarse_scale(side.luma))
    wide, sure = (cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR) for plane in (moved, known))
    return np.asarray(wide, np.float32), np.asarray(sure, np.float32)


def _splatted_coarse(flow: Flow, weight: Weights, scale: npt.NDArray[np.float32]) -> tuple[Flow, Weights]:
    """The same on a grid of its own, in pixels of the full one; `scale` (right, down) leads from those to these."""
    height, width = weight.shape
    rows, columns = np.indices((height, width), dtype=np.float32)
    # what leads off the grid lands on a frame round it, two cells wide on the right and below
    x = np.clip(columns + scale[0] * flow[..., 0], -1, width)
    y = np.clip(rows + scale[1] * flow[..., 1], -1, height)
    left, top = np.floor(x), np.floor(y)
    right, below = x - left, y - top
    framed = height + 3, width + 3
    first = ((top.astype(np.intp) + 1) * framed[1] + left.astype(np.intp) + 1).ravel()
    carried = np.stack([weight, weight * flow[..., 0], weight * flow[..., 1], np.ones_like(weight)]).reshape(4, -1)
    sums = np.zeros((4, framed[0] * framed[1]))
    for dx, wide in ((0, 1 - right), (1, right)):
        for dy, high in ((0, 1 - below), (1, below)):
            place, share = first + (dy * framed[1] + dx), (wide * high).ravel()
            for total, values in zip(sums, carried, strict=True):
                total += np.bincount(place, share * values, minlength=len(total))
    inner = (total.reshape(framed)[1 : height + 1, 1 : width + 1] for total in sums)
    known, across, down, landed = (np.asarray(total, np.float32) for total in inner)
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
    lumas: list[Luma8] = []
    for side, known, mix in zip((one, other), sure, (1.0 - share, share), strict=True):
        way, reached = splatted(side, known)
        across, down = positions(np.asarray(-way, np.float32))
        read = cv2.remap(side.picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        moved.append(np.asarray(read, np.float32).reshape(side.picture.shape))
        lumas.append(np.asarray(sample(side.luma, across, down), np.uint8))
        off = outside(across, down, reached.shape)
        weights.append(np.where(off, NOTHING, mix * (reached + NOTHING)).astype(np.float32))
    first = weights[0] / (weights[0] + weights[1])
    along = cv2.blendLinear(moved[0], moved[1], first, 1 - first)
    apart = cv2.GaussianBlur(cv2.absdiff(*lumas).astype(np.float32), (0, 0), SMOOTH_PX)
    one_sided = np.minimum(first, 1 - first) < ONE_SIDED * np.maximum(first, 1 - first)
    trust = np.where(one_sided, np.float32(1.0), cv2.exp(-np.square(apart / np.float32(TRUST_LEVELS))))
    trust = np.asarray(cv2.GaussianBlur(trust, (0, 0), SMOOTH_PX), np.float32)
    plain = cv2.addWeighted(one.picture, 1.0 - share, other.picture, share, 0)
    return Between(np.asarray(cv2.blendLinear(along, plain, trust, 1 - trust), np.float32), trust)


def _sureness(here: Side, there: Side) -> Weights:
    """(h, w) weight of each way on the coarse grid: how well the motion is explained, and a person's word."""
    found = _agreement(here, there)
    return found if here.led is None else np.asarray(found * (1 + LED_FIRST * _coarse(here.led)), np.float32)
