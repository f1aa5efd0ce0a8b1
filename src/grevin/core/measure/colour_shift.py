"""How far colour lies beside the edges it belongs to.

Changes of brightness and of colour are compared at every distance from each other; where they are most alike, colour
belongs (aligning planes by their gradients is common practice, no source). A parabola through whole samples draws what
lies between them to these; so colour is laid back by what was found, and looked at again. Pictures whose colour is
right differ by up to .7 samples of colour, for colour and brightness need not change at one place.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.resampling import KERNELS, resized

SHARPENED = 2  # times; a third one changes nothing
REACH = 8  # samples of colour that are looked at on both sides
SOFT = 0.8  # standard deviation of the low-pass before changes are taken, in samples: noise is finer
STRONGEST = 99  # percentile at which changes are cut off, so that one edge does not decide
AROUND = 31  # samples over which changes are levelled out
LEAST_SIDE = 64  # samples of a plane: in smaller ones chance looks alike too
LEAST_ALIKE = 0.1  # correlation: open clips of which colour changes at all reach .11 to .93
NEAR, ELSEWHERE = 2.5, 0.87  # samples round the peak, and the share of it that other places may reach: on clips whose
# things repeat they reach .9 and more, and colour seems to lie at several places
LEAST_OVER = 0.03  # correlation over that of other places: open clips .044 and more, a lattice before one .018
LEAST_CURVED = (
    0.025  # share of the correlation: grass and sand, all in one direction, .014 and .023; others .028 and more
)
AGREES = 0.3  # samples by which frames of a shot may differ, in the middle

Plane = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Shift:
    """Of a shot.

    Attributes:
        right, down: samples of colour; NaN where it cannot be told.
        alike: correlation at that distance.
        apart: by which the frames differ, in samples.
        elsewhere: largest correlation farther off, over that.
        curved: how much of it is lost one sample off, one of the frame, in the way in which it is lost least.
    """

    right: float
    down: float
    alike: float = 0.0
    apart: float = 0.0
    elsewhere: float = 0.0
    curved: float = 1.0

    @property
    def is_known(self) -> bool:
        """Whether it can be told at all."""
        strong = self.alike >= LEAST_ALIKE and self.alike * (1 - self.elsewhere) >= LEAST_OVER
        single = self.elsewhere <= ELSEWHERE and self.curved >= LEAST_CURVED
        return bool(np.isfinite(self.right)) and strong and single and self.apart <= AGREES


def likeness(luma: Plane, colours: list[Plane]) -> Plane:
    """(2 REACH + 1, 2 REACH + 1) correlation of changes at each distance, down and across; 0 for small pictures.

    Args:
        luma: (H, W) float32.
        colours: both colour differences, at their own size.
    """
    if min(colours[0].shape) < LEAST_SIDE:
        return np.zeros((2 * REACH + 1, 2 * REACH + 1), np.float32)
    own, other = changes_of(luma, colours)
    inner = np.ascontiguousarray(own[REACH:-REACH, REACH:-REACH])
    found = cv2.matchTemplate(other, inner, cv2.TM_CCOEFF_NORMED)
    return np.asarray(np.nan_to_num(found, nan=0.0, posinf=0.0, neginf=0.0), np.float32)


def changes_of(luma: Plane, colours: list[Plane]) -> tuple[Plane, Plane]:
    """(H, W) float32, changes of brightness at the size of colour, and the larger ones of both colour differences."""
    shape = colours[0].shape[0], colours[0].shape[1]
    own = _levelled(_changes(resized(luma, shape, KERNELS["cubic"])))
    return own, _levelled(np.maximum(*(_changes(plane) for plane in colours)))


def shift_of(maps: list[Plane], lines: float = 1.0) -> Shift:
    """The shift that maps of `likeness` of several frames tell together; `lines` of a frame are one: 2 of fields."""
    together = np.asarray(np.mean(maps, axis=0), np.float32)
    right, down, alike = _place(together)
    single = [(x, y) for x, y, _ in map(_place, maps) if np.isfinite(x)]
    if not single or not np.isfinite(right):
        return Shift(float("nan"), float("nan"))
    apart = np.abs(np.array(single) - (right, down)).max(axis=1)
    y, x = np.mgrid[-REACH : REACH + 1, -REACH : REACH + 1]
    elsewhere = float(together[np.hypot(x - right, y - down) >= NEAR].max()) / alike
    row, column = divmod(int(together.argmax()), together.shape[1])
    across, along = together[row, [column - 1, column + 1]].mean(), together[[row - 1, row + 1], column].mean()
    curved = min(1 - float(across) / alike, (1 - float(along) / alike) / lines**2)
    return Shift(right, down, alike, float(np.median(apart)), elsewhere, curved)


def sharpened(shift: Shift, planes: Iterable[tuple[Plane, list[Plane]]]) -> Shift:
    """A shift told more finely: colour is laid back by it, and what is left is added.

    Args:
        shift: of the shot, known.
        planes: luma and both colour differences of the frames that told it.
    """
    maps = [
        likeness(luma, [moved(plane, -shift.right, -shift.down) for plane in colours]) for luma, colours in planes
    ]  # fmt: skip
    right, down, _ = _place(np.asarray(np.mean(maps, axis=0), np.float32))
    if not max(abs(right), abs(down)) <= 1.0:  # another place altogether, or none
        return shift
    return replace(shift, right=shift.right + right, down=shift.down + down)


def moved(plane: Plane, right: float, down: float) -> Plane:
    """(H, W) float32, a plane moved by parts of samples; its last ones are repeated at the sides."""
    way = np.array([[1.0, 0.0, -right], [0.0, 1.0, -down]])
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    made = cv2.warpAffine(plane, way, plane.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def _place(alike: Plane) -> tuple[float, float, float]:
    """(right, down, correlation) of the peak, between samples by the parabola through three; NaN at the ends."""
    row, column = divmod(int(alike.argmax()), alike.shape[1])
    last = alike.shape[0] - 1
    if row in {0, last} or column in {0, last} or alike[row, column] <= 0:
        return float("nan"), float("nan"), 0.0
    across, down = alike[row, column - 1 : column + 2], alike[row - 1 : row + 2, column]
    return column - REACH + _between(across), row - REACH + _between(down), float(alike[row, column])


def _between(three: Plane) -> float:
    before, here, behind = (float(one) for one in three)
    return (before - behind) / (2 * min(before - 2 * here + behind, -1e-9))


def _changes(plane: Plane) -> Plane:
    soft = cv2.GaussianBlur(plane, (0, 0), SOFT)
    across, down = np.zeros_like(soft), np.zeros_like(soft)
    across[:, 1:-1] = soft[:, 2:] - soft[:, :-2]
    down[1:-1] = soft[2:] - soft[:-2]
    return np.asarray(cv2.magnitude(across, down), np.float32)


def _levelled(changes: Plane) -> Plane:
    cut = np.minimum(changes, np.float32(np.percentile(changes, STRONGEST)))
    return np.asarray(cut - cv2.blur(cut, (AROUND, AROUND)), np.float32)
