"""Tools of the painter: noise, textured canvases, and a brush with sub-pixel corners."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
import numpy.typing as npt

Picture = npt.NDArray[np.uint8]  # (H, W, 3), red green blue
Field = npt.NDArray[np.float32]
Colour = tuple[float, float, float]  # 0..255
Point = tuple[float, float]

SUBPIXEL_BITS = 4  # corners are placed to a sixteenth of a pixel, so that slow motion does not step


def noise(rng: np.random.Generator, height: int, width: int, cell: float, octaves: int = 4) -> Field:
    """(H, W) smooth noise, mean 0, standard deviation 1: octaves of random cells, each half as large and strong."""
    total = np.zeros((height, width), np.float32)
    strength = 1.0
    for _ in range(octaves):
        rows, columns = max(2, int(height / cell) + 2), max(2, int(width / cell) + 2)
        grid = rng.standard_normal((rows, columns)).astype(np.float32)
        total += np.float32(strength) * cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
        strength, cell = strength / 2, max(1.0, cell / 2)
    return np.asarray((total - total.mean()) / max(1e-6, float(total.std())), np.float32)


def gradient(height: int, width: int, top: Colour, bottom: Colour) -> Picture:
    """A vertical blend of two colours."""
    share = np.linspace(0.0, 1.0, height, dtype=np.float32)[:, None, None]
    blend = (1 - share) * np.array(top, np.float32) + share * np.array(bottom, np.float32)
    return np.asarray(np.repeat(blend, width, axis=1), np.uint8)


def weathered(rng: np.random.Generator, picture: Picture, cell: float, strength: float) -> Picture:
    """A surface with uneven brightness, as plaster, stone and paint have."""
    height, width = picture.shape[:2]
    field = 1.0 + strength * noise(rng, height, width, cell)
    return np.asarray(np.clip(picture * field[..., None], 0, 255), np.uint8)


class Brush:
    """Draws flat shapes with smooth edges; positions in pixels, moved and scaled as a whole."""

    def __init__(self, canvas: Picture, left: float = 0.0, top: float = 0.0, scale: float = 1.0) -> None:
        self.canvas = canvas
        self._origin = np.array([left, top])
        self._scale = scale

    def moved(self, left: float, top: float, scale: float = 1.0) -> Brush:
        """A brush for a part: its origin lies at (left, top) of this one's."""
        origin = self._origin + self._scale * np.array([left, top])
        return Brush(self.canvas, float(origin[0]), float(origin[1]), self._scale * scale)

    def shape(self, points: Sequence[Point], colour: Colour) -> None:
        """A filled polygon."""
        cv2.fillPoly(self.canvas, [self._fixed(points)], colour, cv2.LINE_AA, SUBPIXEL_BITS)

    def box(self, left: float, top: float, width: float, height: float, colour: Colour) -> None:
        """A filled rectangle."""
        right, bottom = left + width, top + height
        self.shape([(left, top), (right, top), (right, bottom), (left, bottom)], colour)

    def disc(self, x: float, y: float, across: float, down: float, colour: Colour) -> None:
        """A filled ellipse by its radii."""
        angles = np.linspace(0, 2 * np.pi, 28, endpoint=False)
        self.shape([(x + across * np.cos(a), y + down * np.sin(a)) for a in angles], colour)

    def line(self, points: Sequence[Point], colour: Colour, width: float) -> None:
        """A stroke of some width."""
        thick = max(1, round(width * self._scale))
        cv2.polylines(self.canvas, [self._fixed(points)], False, colour, thick, cv2.LINE_AA, SUBPIXEL_BITS)

    def words(self, text: str, left: float, bottom: float, height: float, colour: Colour) -> None:
        """Lettering."""
        place = self._origin + self._scale * np.array([left, bottom])
        size = height * self._scale / 22.0  # the face's capitals are 22 px high at scale 1
        spot = (round(float(place[0])), round(float(place[1])))
        cv2.putText(
            self.canvas, text, spot, cv2.FONT_HERSHEY_DUPLEX, size, colour, max(1, round(size * 2)), cv2.LINE_AA
        )

    def _fixed(self, points: Sequence[Point]) -> npt.NDArray[np.int32]:
        placed = self._origin + self._scale * np.asarray(points, np.float64)
        return np.rint(placed * (1 << SUBPIXEL_BITS)).astype(np.int32)
