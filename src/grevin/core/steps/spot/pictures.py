"""The pictures from which the marks of a shot are learned: its frames, or one field of each, drawn out to a frame.

The two fields of a frame are two moments: what moves is torn in the frame, and no motion fits it. A mark is the same on
both, so that one field tells it.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, estimate_flow, straightened
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.picture.resampling import KERNELS, lines_at
from grevin.core.steps.seen import Shotwise
from grevin.core.steps.spot.passing import MOST_FRAMES
from grevin.core.steps.spot.shadow import FLOW_BENT_PX


class Pictures:
    """Pictures of a shot and the motion between them."""

    def __init__(self, shot: Shotwise) -> None:
        self._shot = shot
        self._where = lru_cache(MOST_FRAMES)(shot.where)
        self._fields = shot.window(shot.frames.start).format.has_fields

    def rgb(self, number: int) -> Rgb:
        """(H, W, 3) R'G'B' of a frame."""
        picture = self._shot.window(number).rgb()
        return _drawn_out(picture) if self._fields else picture

    def luma8(self, number: int) -> Luma8:
        """(H, W) uint8 of a frame."""
        picture = self._shot.window(number).luma8()
        return np.rint(_drawn_out(picture)).astype(np.uint8) if self._fields else picture

    def flow(self, number: int, other: int) -> Flow:
        """(H, W, 2) from a frame to another one, straight under all circles of both."""
        if self._fields:
            way = estimate_flow(self.luma8(number), self.luma8(other), "quick")
        else:
            way = self._shot.window(number).motion(other - number, "quick")
        circles = [one for one in (self._where(number), self._where(other)) if one is not None]
        bent: Mask = np.logical_or.reduce([np.zeros(way.shape[:2], np.bool_), *circles])
        return straightened(way, grow(bent, FLOW_BENT_PX))


def _drawn_out(picture: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """The lines of the upper field, and between them what lies between two."""
    return lines_at(picture[::2].astype(np.float32), np.arange(len(picture)) / 2, KERNELS["linear"])
