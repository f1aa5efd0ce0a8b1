"""What lies round a stroke: levels and grain of its surroundings, to which a fill is brought."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.picture.spreading import spread

RING_PX = 5  # width of the clean ring that is looked at
CLEAR_PX = 1  # a stroke's own rim may hold some of the damage
SMOOTH_PX = 2.0  # noise of single pixels of the ring does not run into the fill
OUTLIERS = 3.0  # times the spread of the ring's differences: beyond it the fill shows something else
LEAST_SPREAD = 2.0 / 255
GRAIN_SIGMA_PX = 1.2  # grain is what a blur of this width takes out, as for dirt
SPREAD_OF_MAD = 1.4826  # standard deviation over median absolute deviation of Gaussian noise
PIECE_PX = 32  # of plain surroundings, whose grain is borrowed
LOOK_PX = 48  # so far round a stroke it is looked for
LEAST_GRAIN = 0.25 / 255
UNFIT = 1e-4  # share of a piece that may be damaged
TEXTURE = 1.5  # times the grain of the plainest place: more is texture, no grain


def ring_of(inside: Mask, damaged: Mask) -> Mask:
    """(h, w) bool, the clean ring round a stroke in its box; `damaged` are all strokes."""
    near = grow(inside, CLEAR_PX)
    return np.asarray(grow(near, RING_PX) & ~near & ~damaged)


def levelled(fill: Rgb, picture: Rgb, inside: Mask, ring: Mask, how: str) -> Rgb:
    """A fill brought to the levels round it.

    The differences on the ring are continued smoothly over the stroke: what a gradient-domain composite does (Perez,
    Gangnet, Blake 2003, doi:10.1145/882262.882269), of the slow part of the difference alone.

    Args:
        fill: (h, w, 3) R'G'B' of the box, the fill's own surroundings outside the stroke.
        picture: (h, w, 3) the picture.
        inside: (h, w) bool.
        ring: (h, w) bool.
        how: "rim", "mean", or anything else for the fill as it is.
    """
    if how not in {"rim", "mean"} or not ring.any():
        return fill
    apart = picture - fill
    usual = middle(apart[ring])
    if how == "mean":
        return np.asarray(fill + usual, np.float32)
    far = np.maximum(OUTLIERS * SPREAD_OF_MAD * middle(np.abs(apart[ring] - usual)), LEAST_SPREAD)
    calm = np.clip(apart, usual - far, usual + far)
    shares = ring.astype(np.float32)
    slow = spread(np.asarray(calm * shares[..., None], np.float32), shares)
    return np.asarray(fill + cv2.GaussianBlur(slow, (0, 0), SMOOTH_PX), np.float32)


def middle(values: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """The median down the first axis, the upper one of two; much faster than `np.median` on few values."""
    half = len(values) // 2
    return np.asarray(np.partition(values, half, axis=0)[half])


class Grain:
    """The grain of a picture: how much there is round a stroke, and plain places that lend it."""

    def __init__(self, picture: Rgb) -> None:
        """Look at a picture once, (H, W, 3) R'G'B'."""
        self._fine = _fine(picture)
        height, width = picture.shape[:2]
        self._size = min(PIECE_PX, height, width)
        side = (self._size, self._size)
        crushed = cv2.boxFilter((picture.min(axis=2) <= 0).astype(np.float32), -1, side)  # black holds no grain
        power = cv2.boxFilter(np.square(self._fine).sum(axis=2), -1, side)
        half = self._size // 2  # beside the border a piece would not be whole
        self._power = np.full((height, width), np.inf, np.float32)
        inner = slice(half, height - half + 1), slice(half, width - half + 1)
        self._power[inner] = np.where(crushed > UNFIT, np.inf, power)[inner]

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self._fine.nbytes + self._power.nbytes

    def given(self, fill: Rgb, box: tuple[slice, slice], ring: Mask, damaged: Mask) -> Rgb:
        """A fill with as much grain as its surroundings have; what it lacks is borrowed from a plain place near by.

        Args:
            fill: (h, w, 3) of the box.
            box: rows and columns.
            ring: (h, w) bool.
            damaged: (H, W) bool, no place to borrow from.
        """
        piece = self._plain_piece(box, damaged) if ring.any() else None
        if piece is None:
            return fill
        own = _spread(piece)
        ours = min(_spread(self._fine[box][ring]), TEXTURE * own)
        missing = float(np.sqrt(max(0.0, ours**2 - _spread(_fine(fill)[ring]) ** 2)))
        if missing < LEAST_GRAIN:
            return fill
        mirrored = np.concatenate([piece, piece[::-1]])
        tile = np.concatenate([mirrored, mirrored[:, ::-1]], axis=1)
        height, width = fill.shape[:2]
        times = -(-height // tile.shape[0]), -(-width // tile.shape[1])
        grain = np.tile(tile, (*times, 1))[:height, :width]
        return np.asarray(fill + np.float32(missing / own) * grain, np.float32)

    def _plain_piece(self, box: tuple[slice, slice], damaged: Mask) -> Rgb | None:
        """(n, n, 3) the fine part of the plainest place near a box; None where all of it is damaged."""
        part = (
            slice(max(0, box[0].start - LOOK_PX), box[0].stop + LOOK_PX),
            slice(max(0, box[1].start - LOOK_PX), box[1].stop + LOOK_PX),
        )
        side = (self._size, self._size)
        unfit = cv2.boxFilter(damaged[part].astype(np.float32), -1, side, borderType=cv2.BORDER_REPLICATE)
        near = np.where(unfit > UNFIT, np.inf, self._power[part])
        place = int(np.argmin(near))
        if not np.isfinite(near.flat[place]):
            return None
        row, column = divmod(place, near.shape[1])
        row, column = row + part[0].start - self._size // 2, column + part[1].start - self._size // 2
        return self._fine[row : row + self._size, column : column + self._size]


def _fine(picture: Rgb) -> Rgb:
    return np.asarray(picture - cv2.GaussianBlur(picture, (0, 0), GRAIN_SIGMA_PX), np.float32)


def _spread(values: npt.NDArray[np.float32]) -> float:
    """Standard deviation, as the median tells it."""
    return SPREAD_OF_MAD * float(middle(np.abs(values).ravel()))
