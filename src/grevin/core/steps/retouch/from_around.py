"""Building what a stroke hides from its surroundings, piece by piece from places that go on in the same way.

From the rim inwards: the piece with most known round it is filled from the place nearby whose known part fits best
(Criminisi, Perez, Toyama 2004, doi:10.1109/TIP.2004.833105, the order by what is known alone).
"""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.spreading import inpainted

LEAST_PX, MOST_PX = 9, 31  # side of a piece
PIECES_ACROSS = 6.0  # of a stroke, at most: larger ones get larger pieces
SEARCH_PX = 40  # round a stroke, where is looked for what goes on in the same way
INPAINT_PX = 4.0  # radius, where no place is found
SLOW_SIDES = 1.0  # of a piece: what changes more slowly is that of the rim continued, whatever the pieces bring along
FAR = np.float32(1e9)


def built_from_around(picture: Rgb, box: tuple[slice, slice], inside: Mask, damaged: Mask) -> Rgb:
    """(h, w, 3) what may lie under a stroke.

    Args:
        picture: (H, W, 3) R'G'B'.
        box: rows and columns of the stroke.
        inside: (h, w) bool.
        damaged: (H, W) bool, all strokes: nothing is taken from there.
    """
    rows, columns = (
        slice(max(0, part.start - SEARCH_PX), min(size, part.stop + SEARCH_PX))
        for part, size in zip(box, damaged.shape, strict=True)
    )
    own = (
        slice(box[0].start - rows.start, box[0].stop - rows.start),
        slice(box[1].start - columns.start, box[1].stop - columns.start),
    )
    near = np.ascontiguousarray(picture[rows, columns])
    hidden = damaged[rows, columns].copy()
    wanted = np.zeros_like(hidden)
    wanted[own] = inside
    hidden |= wanted
    side = int(np.clip(np.sqrt(float(inside.sum())) / PIECES_ACROSS, LEAST_PX, MOST_PX)) | 1
    plain = inpainted(near, hidden, INPAINT_PX)
    if min(near.shape[:2]) < 2 * side or not _places(hidden, side).any():
        return plain[own]
    made = _filled(near, wanted, hidden, side)
    apart = np.where((hidden & ~wanted)[..., None], np.float32(0), plain - made)  # other strokes have no say
    slow = cv2.GaussianBlur(apart, (0, 0), side * SLOW_SIDES)
    return np.asarray(np.where(wanted[..., None], made + slow, near)[own], np.float32)


def _places(hidden: Mask, side: int) -> Mask:
    """(h, w) bool, left and top of the pieces of which nothing is hidden."""
    sums = cv2.integral(hidden.view(np.uint8))
    held = sums[side:, side:] - sums[:-side, side:] - sums[side:, :-side] + sums[:-side, :-side]
    return np.asarray(held == 0)


def _filled(near: Rgb, wanted: Mask, hidden: Mask, side: int) -> Rgb:
    clean = _places(hidden, side)
    made, left = near.copy(), wanted.copy()
    unknown = hidden.copy()  # other strokes stay unknown
    half = side // 2
    height, width = left.shape
    while left.any():
        row, column = _next(left, unknown, side)
        top, start = int(np.clip(row - half, 0, height - side)), int(np.clip(column - half, 0, width - side))
        part = slice(top, top + side), slice(start, start + side)
        known = ~unknown[part]
        there = _like(made, part, known, clean, near)
        piece = near[there[0] : there[0] + side, there[1] : there[1] + side]
        shift = np.median((made[part] - piece)[known], axis=0) if known.any() else np.zeros(3, np.float32)
        fresh = left[part].copy()
        made[part][fresh] = (piece + shift)[fresh]
        left[part] = False
        unknown[part] &= ~fresh
    return made


def _next(left: Mask, unknown: Mask, side: int) -> tuple[int, int]:
    """The place that is wanted and has most known round it."""
    known = cv2.boxFilter((~unknown).astype(np.float32), -1, (side, side), borderType=cv2.BORDER_CONSTANT)
    row, column = divmod(int(np.argmax(np.where(left, known, -1.0))), int(left.shape[1]))
    return row, column


def _like(made: Rgb, part: tuple[slice, slice], known: Mask, clean: Mask, near: Rgb) -> tuple[int, int]:
    """Top and left of the clean piece whose known part fits best."""
    weights = np.repeat(known.astype(np.float32)[..., None], 3, axis=2)
    apart = cv2.matchTemplate(near, np.ascontiguousarray(made[part]), cv2.TM_SQDIFF, mask=weights)
    top, start = divmod(int(np.argmin(np.where(clean, apart, FAR))), int(clean.shape[1]))
    return top, start
