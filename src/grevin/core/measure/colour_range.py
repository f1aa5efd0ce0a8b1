"""A range of colours: which pixels of a frame fall into it, and how steadily over frames.

What is keyed, masked or counted by its colour is as steady as the colour itself; noise makes its rim boil.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from grevin.core.measure.area import Box
from grevin.core.picture.colour import LUMA_COEFFICIENTS, Rgb, to_rgb
from grevin.core.picture.frame import Frame, Mask

LUMA_SHARE = 0.33  # of a difference in brightness that counts: a colour goes on in light and shade
LEAST_REACH, MOST_REACH, FIRST_REACH = 2.0, 80.0, 16.0  # 8-bit levels


@dataclass(frozen=True)
class ColourRange:
    """Colours near one.

    Attributes:
        red, green, blue: R'G'B' of the middle, 0..255.
        reach: 8-bit levels by which a pixel may differ.
    """

    red: float
    green: float
    blue: float
    reach: float = FIRST_REACH


@dataclass(frozen=True)
class Steadiness:
    """How steady a selection is.

    Attributes:
        share: of the picture that is selected, 0..1, in the mean of the frames.
        flips: share of what is selected on one of two frames in a row that is not selected on the other, 0..1.
    """

    share: float
    flips: float


def range_of(frame: Frame, box: Box, reach: float = FIRST_REACH) -> ColourRange:
    """The colours near the mean of a box."""
    part = to_rgb(frame)[box.y : box.y + box.height, box.x : box.x + box.width]
    red, green, blue = (round(255.0 * float(value), 1) for value in part.mean(axis=(0, 1)))
    return ColourRange(red, green, blue, reach)


def selected(frame: Frame, colours: ColourRange) -> Mask:
    """(H, W) bool, pixels whose colour falls into the range; brightness counts by a third."""
    return _within(to_rgb(frame), colours)


def _within(rgb: Rgb, colours: ColourRange) -> Mask:
    red, blue = LUMA_COEFFICIENTS["bt709"]
    weights = np.array([red, 1.0 - red - blue, blue], np.float32)
    away = rgb * np.float32(255.0) - np.array([colours.red, colours.green, colours.blue], np.float32)
    light = away @ weights
    colour = away - light[..., None]
    far = np.square(colour).sum(axis=-1) + np.square(np.float32(LUMA_SHARE) * light)
    return np.asarray(far < colours.reach**2, np.bool_)


def steadiness(masks: Iterable[Mask]) -> Steadiness:
    """Of selections on frames in a row."""
    shares: list[float] = []
    apart, whole = 0, 0
    for first, second in pairwise(_noted(masks, shares)):
        apart += int(np.count_nonzero(first != second))
        whole += int(np.count_nonzero(first | second))
    return Steadiness(float(np.mean(shares)) if shares else 0.0, apart / whole if whole else 0.0)


def _noted(masks: Iterable[Mask], shares: list[float]) -> Iterable[Mask]:
    for mask in masks:
        shares.append(float(mask.mean()))
        yield mask
