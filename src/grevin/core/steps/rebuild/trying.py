"""How much of a made frame the motion may claim: tried on frames that are there.

Where a camera trembles, where people hold nearly still and where a codec holds pictures, the plain mix of both sides
comes nearer to what is missing than either of them moved. Both are tried on the two good frames beside the gap: each
is made anew from its own neighbours, and compared with itself, in the part of the picture where most goes on.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.between import Side, between
from grevin.core.motion.flow import Luma8, estimate_flow
from grevin.core.steps.seen import Window

MOST_PX = 3.0  # that most of the picture goes over a gap; beyond, a mix shows everything twice and is not tried
PART_PX = 384, 320  # across, down: a quarter of a standard-definition picture, tried in a quarter of the time
CELL_PX = 16  # to which differences are summed up, to find where most goes on
ASKED = slice(4, None, 8)  # places of a flow that are asked how far that is
AS_GOOD = (
    0.7  # of the way to what was moved, from which the trial, over a longer gap, says all (ruling clips: .7 to 1.1)
)
NOTHING = 1e-6  # squared levels by which both differ where nothing moves


def moved_share(first: Window, last: Window) -> float:
    """0..1, share of what is moved in a frame between two good ones; the rest is their mix.

    From trials by regression: all of it where the motion came nearer to the frames that are there than the mix did,
    and less the farther off it was.

    Args:
        first: on the good frame before the gap, with another one before it.
        last: on the one after, with another one after it.
    """
    over = last.number - first.number
    way = np.median(first.motion(over, "far")[ASKED, ASKED], axis=(0, 1))
    if float(np.hypot(*way)) > MOST_PX:
        return 1.0
    part = _liveliest(first.luma8(), last.luma8())
    before, one, other, after = (
        np.ascontiguousarray(luma[part]) for luma in (first.luma8(-1), first.luma8(), last.luma8(), last.luma8(1))
    )
    tries = _tried(before, one, other, 1.0 / (over + 1)), _tried(one, other, after, over / (over + 1))
    shared, whole = np.sum(tries, axis=0)
    return float(np.clip(shared / (AS_GOOD * whole), 0.0, 1.0)) if whole > NOTHING else 1.0


def _liveliest(one: Luma8, other: Luma8) -> tuple[slice, slice]:
    """The part of the picture in which two frames differ most."""
    height, width = one.shape
    wide, high = min(width, PART_PX[0]), min(height, PART_PX[1])
    size = max(1, width // CELL_PX), max(1, height // CELL_PX)
    apart = np.square(cv2.resize(cv2.absdiff(one, other), size, interpolation=cv2.INTER_AREA).astype(np.float32))
    cells = max(1, wide // CELL_PX), max(1, high // CELL_PX)
    sums = cv2.boxFilter(apart, -1, cells, anchor=(0, 0), normalize=False, borderType=cv2.BORDER_CONSTANT)
    row, column = np.unravel_index(int(np.argmax(sums)), sums.shape)
    top, left = min(int(row) * CELL_PX, height - high), min(int(column) * CELL_PX, width - wide)
    return slice(top, top + high), slice(left, left + wide)


def _tried(before: Luma8, there: Luma8, after: Luma8, share: float) -> tuple[float, float]:
    """What the way from the mix to what was moved has in common with that to a frame that is there, and with itself.

    Squared 8-bit levels, means.
    """
    flows = estimate_flow(before, after, "far"), estimate_flow(after, before, "far")
    one, other = (
        Side(luma[..., None].astype(np.float32), luma, flow, np.float32(part) * flow)
        for luma, flow, part in ((before, flows[0], share), (after, flows[1], 1.0 - share))
    )
    moved = between(one, other, share).picture.reshape(there.shape)
    mix = cv2.addWeighted(before.astype(np.float32), 1.0 - share, after.astype(np.float32), share, 0.0)
    return _product(moved - mix, there - mix), _product(moved - mix, moved - mix)


def _product(one: npt.NDArray[np.float32], other: npt.NDArray[np.float32]) -> float:
    return float(np.mean(one * other))
