"""Regions that follow what they lie on: from the frame on which they were drawn, along the motion of the reel itself.

From frame to frame a region goes by the median motion inside it, which what passes before it does not move much. That
is then made exact against a picture a few frames back (Lucas and Kanade 1981), so that errors of single steps do not
add up. It stops at a cut.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.cache import ByteCache
from grevin.core.errors import UnreadableFrameError
from grevin.core.keys import content_key
from grevin.core.treatment.regions import STANDING, Region, Shift
from grevin.core.treatment.shots import Shots
from grevin.core.treatment.window import CachedSource, ChainWindow

SHIFT_BYTES = 64
ANCHOR_FRAMES = 8  # after which another picture is the one to be compared with
STEPS = 4  # of the exact search
MOST_PX = 2.0  # that the exact search may differ from the median motion
SOFT_PX = 1.5  # against noise
ROOM_PX = 4

Grey = npt.NDArray[np.float32]


class Follower:
    """Where regions have gone, over the frames of a reel."""

    def __init__(self, source: CachedSource, shots: Shots, cache: ByteCache) -> None:
        self._source = source
        self._shots = shots
        self._cache = cache

    def shift(self, region: Region, frame: int) -> Shift:
        """(right, down) px from where a region was drawn to where it lies on a frame."""
        start = region.start(frame)
        way = 1 if frame >= start else -1
        places: dict[int, Shift] = {start: STANDING}
        known = frame
        while known != start:
            kept: Shift | None = self._cache.peek(self._key(region, start, known))
            if kept is not None:
                places[known] = kept
                break
            known -= way
        for this in range(known + way, frame + way, way):
            last = this - way
            if not 0 <= this < len(self._source) or not self._shots.same_shot(last, this):
                return places[last]
            anchor = start + way * (abs(last - start) // ANCHOR_FRAMES) * ANCHOR_FRAMES
            if anchor not in places:
                places[anchor] = self.shift(region, anchor)
            places[this] = self._next(region, start, (anchor, places[anchor]), (last, places[last]), this)
            self._cache.put(self._key(region, start, this), places[this], SHIFT_BYTES)
        return places[frame]

    def _key(self, region: Region, start: int, frame: int) -> str:
        drawn = content_key(region.shape, region.width_px, region.outline(start).tolist(), start)
        return f"followed/{self._source.identity}/{self._shots.key()}/{drawn}/{frame}"

    def _next(
        self, region: Region, start: int, anchor: tuple[int, Shift], last: tuple[int, Shift], this: int
    ) -> Shift:  # fmt: skip
        """Where the region lies on a frame, from where it lay on the one before and on one farther away."""
        origin, so_far = np.array(anchor[1]), last[1]
        window = ChainWindow(self._source, last[0], self._shots, self._cache)
        try:
            flow = window.motion(this - last[0], "quick")
            inside = flow[region.mask(flow.shape[:2], start, so_far)]
            if not len(inside):
                return so_far
            guess = np.array(so_far) + np.median(inside, axis=0)
            pictures = self._soft(anchor[0]), self._soft(this)
        except UnreadableFrameError:
            return so_far
        away = _exact(*pictures, region.mask(pictures[0].shape, start, anchor[1]), guess - origin)
        return float(origin[0] + away[0]), float(origin[1] + away[1])

    def _soft(self, number: int) -> Grey:
        luma = ChainWindow(self._source, number, self._shots, self._cache).luma8()
        return np.asarray(cv2.GaussianBlur(luma.astype(np.float32), (0, 0), SOFT_PX), np.float32)


def _exact(
    one: Grey, other: Grey, inside: npt.NDArray[np.bool_], guess: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:  # fmt: skip
    """By how much what lies in a mask of the one picture has moved in the other, near a guess."""
    x, y, width, height = cv2.boundingRect(inside.view(np.uint8))
    if width < 2 * ROOM_PX or height < 2 * ROOM_PX:
        return guess
    part = (slice(y, y + height), slice(x, x + width))
    here, chosen = one[part], inside[part]
    slopes = np.stack([cv2.Sobel(here, cv2.CV_32F, *d, scale=1 / 8)[chosen] for d in ((1, 0), (0, 1))]).astype(
        np.float64
    )
    matrix = slopes @ slopes.T
    if float(np.linalg.det(matrix)) <= 1e-3:
        return guess
    shift = np.array(guess, np.float64)
    for _ in range(STEPS):
        move = np.array([[1.0, 0.0, x + shift[0]], [0.0, 1.0, y + shift[1]]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        there = cv2.warpAffine(other, move, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        apart = (there - here)[chosen].astype(np.float64)
        shift = shift - np.linalg.solve(matrix, slopes @ (apart - np.median(apart)))
    good = float(np.abs(shift - guess).max()) <= MOST_PX
    return shift if good else guess
