"""One frame made anew between two good ones; shared by the steps that make frames."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.between import between
from grevin.core.motion.flow import Luma8
from grevin.core.picture.colour import Rgb, from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.steps.base import Window

Way = Literal["along motion", "mix", "hold"]
GRAIN_SIGMA_PX = 1.0  # what is finer than this counts as grain
# how far aside (down, right) grain is borrowed: not from the place itself, which would show it twice in a row
GRAIN_ASIDE_PX = ((17, 17), (-23, 11), (31, -19), (-13, -37), (41, 29), (-53, 47), (7, 61), (71, -5))


@dataclass(frozen=True)
class Gap:
    """Where a made frame lies.

    Attributes:
        before, after: the good frames around it; the same where there is one only.
        share: 0..1, where between them.
    """

    before: int
    after: int
    share: float


def gaps_for(run: range, length: int, joined: bool) -> dict[int, Gap]:
    """For each frame of a run of bad ones the good frames around it; nothing where the whole reel is bad.

    Args:
        run: the bad frames.
        length: frames of the reel.
        joined: whether the good frames on both sides belong to one shot. Where they do not, a cut lies in the gap,
            nobody knows where: the first half holds what was before, the rest what comes.
    """
    before, after = run.start - 1, run.stop
    if before < 0 and after >= length:
        return {}
    if before < 0 or after >= length:
        held = after if before < 0 else before
        return {number: Gap(held, held, 0.0) for number in run}
    if not joined:
        middle = run.start + len(run) / 2
        return {number: Gap(*(2 * (before if number < middle else after,)), 0.0) for number in run}
    return {number: Gap(before, after, (number - before) / (after - before)) for number in run}


def made_frame(window: Window, gap: Gap, way: Way, grain: bool) -> Frame:
    """A frame in a gap.

    Args:
        window: on any frame of the reel.
        gap: where it lies.
        way: along the motion, a mix of both, or the nearer one held.
        grain: whether the made picture gets the fine noise of the nearer frame back.
    """
    here = window.number
    nearer = gap.before if gap.share <= 0.5 else gap.after
    if gap.before == gap.after or way == "hold":
        return replace(window.frame(nearer - here), number=here, touched="everything")
    one, other = window.at(gap.before - here), window.at(gap.after - here)
    pictures = (one.rgb(), one.luma8()), (other.rgb(), other.luma8())
    if way == "mix":
        picture = pictures[0][0] * np.float32(1 - gap.share) + pictures[1][0] * np.float32(gap.share)
    else:
        there, back = one.motion(gap.after - gap.before, "far"), other.motion(gap.before - gap.after, "far")
        picture = between(pictures[0], pictures[1], there, back, gap.share)
    if grain:
        picture = with_grain(picture, window.at(nearer - here).rgb(), window.at(nearer - here).luma8())
    frame = replace(window.frame(nearer - here), number=here)
    return replace(from_rgb(frame, picture).rounded(), touched="everything")


def with_grain(picture: Rgb, model: Rgb, luma: Luma8) -> Rgb:
    """A picture with as much fine noise as a real frame has: where it lacks some, the real one's is laid over it.

    An average of two frames has less grain than either; the made frame would look smooth between its neighbours.
    Only flat places tell grain from detail, and only the part that is missing is added.
    """
    fine_model, fine_made = (_fine(one) for one in (model, picture))
    flat = _flat(luma)
    if np.count_nonzero(flat) < 100:
        return picture
    wanted, present = float(fine_model[flat].std()), float(fine_made[flat].std())
    lacking = wanted * wanted - present * present
    if lacking <= 0:
        return picture
    weight = np.float32(np.sqrt(lacking) / max(wanted, 1e-6))
    return np.asarray(picture + weight * _borrowed(fine_model, flat), np.float32)


def _borrowed(fine: Rgb, flat: npt.NDArray[np.bool_]) -> Rgb:
    """(H, W, 3) grain for every place, from flat places aside: the first of several displacements that leads to one."""
    grain = np.zeros_like(fine)
    wanting = np.ones(flat.shape, np.bool_)
    for aside in GRAIN_ASIDE_PX:
        taken = wanting & np.roll(flat, aside, (0, 1))
        grain[taken] = np.roll(fine, aside, (0, 1))[taken]
        wanting &= ~taken
    return grain


def _fine(picture: Rgb) -> Rgb:
    return np.asarray(picture - cv2.GaussianBlur(picture, (0, 0), GRAIN_SIGMA_PX), np.float32)


def _flat(luma: Luma8) -> npt.NDArray[np.bool_]:
    """Places without edges: the calmer half of those that are neither black nor white."""
    smooth = cv2.GaussianBlur(luma, (0, 0), 2.0)
    slope = cv2.morphologyEx(smooth, cv2.MORPH_GRADIENT, np.ones((5, 5), np.uint8))
    usable = (smooth > 24) & (smooth < 230)
    if not usable.any():
        return np.zeros(luma.shape, np.bool_)
    return np.asarray(usable & (slope <= np.median(slope[usable])))
