"""Luma made larger: plain, what a network adds, and held to the source.

What is made is brought down again and compared with the source, and what is missing is added, enlarged plainly
(iterated back-projection, Irani and Peleg 1991). So the result is the source at its own size, and what the network
leaves out of it, noise above all, comes back as it was, no sharper.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import BT709_LUMA, Frame
from grevin.core.picture.levels import Plane, level_unit, levels_of, with_levels
from grevin.core.picture.resampling import KERNELS, resized
from grevin.core.steps.enlarge.network import Known, Network, added
from grevin.core.steps.enlarge.part import Part

AROUND = np.ones((3, 3), np.uint8)  # pixels of the source in which the sides of an edge are looked for
BACK = 2  # times that the result is brought down and compared: a second one halves what is left,
BACK_AGAIN = 3  # where it was doubled twice: the network's second doubling is held to nothing else
FIRST_SCALE = 2  # of the network
BRIDGED = 1.26  # times that interpolation may bridge: a third of a doubling, on a scale of powers
PLAIN, BETWEEN = KERNELS["lanczos"], KERNELS["linear"]


@dataclass(frozen=True)
class How:
    """How a doubled picture is finished.

    Attributes:
        again: doubles a picture that was made, where twice is not enough.
        left_out: 0..1 of what it leaves out that is not brought back.
        rounding: 8-bit levels to which the source is known: half a code value. Less is not brought back.
        overshoot: share of an edge by which its sides may go beyond.
    """

    again: Callable[[Plane], Plane]
    left_out: float
    rounding: float
    overshoot: float


def doubled(luma: Plane, known: Known, amount: float, network: Network = Network.FULL) -> Plane:
    """(2 H, 2 W) float32: luma at twice its size, with so much (0..1) of what the network adds."""
    plain = resized(luma, (2 * luma.shape[0], 2 * luma.shape[1]), PLAIN)
    return plain + np.float32(amount) * added(luma, known, network)


def finished(luma: Plane, made: Plane, part: Part, how: How) -> Plane:
    """(H, W) float32, 8-bit levels: luma at the size that is asked for.

    Args:
        luma: float32, 8-bit levels, what is given of it.
        made: the same, doubled.
        part: of the picture; all of it, or some of it with its surroundings.
        how: it is finished.
    """
    scale = FIRST_SCALE
    while part.times(scale) > BRIDGED:
        made = how.again(made)
        scale *= 2
    made = part.up(made, PLAIN, scale)
    kept = np.float32(1.0 - how.left_out)
    rounds = BACK if scale == FIRST_SCALE else BACK_AGAIN
    for _ in range(rounds if kept > 0 else 0):
        missing = luma - part.down(made)
        missing -= np.clip(missing, -how.rounding, how.rounding)
        made += kept * part.up(missing, PLAIN)
    return without_halos(made, luma, part, how.overshoot)


def without_halos(made: Plane, luma: Plane, part: Part, overshoot: float) -> Plane:
    """(H, W) float32: what was made, beside edges no brighter or darker than their sides but for a share of them.

    What is thin or grainy may go beyond, as far as it stands out of its surroundings in the source (the top-hats of
    Serra 1982): a line that the source's samples flattened was brighter than any of them.

    Args:
        made: 8-bit levels.
        luma: of the source.
        part: of the picture that both are.
        overshoot: share of the difference between both sides.
    """
    highest, lowest = cv2.dilate(luma, AROUND), cv2.erode(luma, AROUND)
    more = np.float32(overshoot) * (highest - lowest)
    above = cv2.dilate(luma - cv2.morphologyEx(luma, cv2.MORPH_OPEN, AROUND), AROUND)
    below = cv2.dilate(cv2.morphologyEx(luma, cv2.MORPH_CLOSE, AROUND) - luma, AROUND)
    limits = (np.asarray(one, np.float32) for one in (lowest - more - below, highest + more + above))
    low, high = (part.up(limit, BETWEEN) for limit in limits)
    return np.asarray(np.clip(made, low, high), np.float32)


def rounding_of(fmt: PictureFormat) -> float:
    """8-bit levels to which pictures of a format are known: half a code value; none in floating point."""
    return 0.0 if fmt.sample == "half" else 0.5 / level_unit(fmt)


def brightness(levels: list[Plane], fmt: PictureFormat) -> Plane:
    """Luma, or that of R'G'B', 8-bit levels."""
    if fmt.model != "rgb":
        return levels[0]
    return np.asarray(sum(np.float32(part) * plane for part, plane in zip(BT709_LUMA, levels, strict=True)), np.float32)


def with_brightness(plain: Frame, made: Plane) -> Frame:
    """A picture with another brightness, 8-bit levels; its colour differences stay."""
    levels = levels_of(plain)
    if plain.format.model != "rgb":
        return with_levels(plain, levels, {0: made})
    more = made - brightness(levels, plain.format)
    return with_levels(plain, levels, {place: plane + more for place, plane in enumerate(levels)})
