"""Camera moves over open photographs: pans, zooms, turns, tremble, and a disc that turns before a moving ground.

The photograph is real texture, the move is known to a fraction of a pixel: the honest case for whatever compares
frames.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import from_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame

WIDTH, HEIGHT = 720, 576
DISC_SHARE = 0.28  # radius of the turning disc, of the picture's height
Photograph = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Move:
    """How the camera moves, a frame.

    Attributes:
        pan: (right, down) px.
        turn: degrees.
        zoom: factor; 1 stands still.
        tremble: standard deviation of a displacement that is new on every frame, px.
        disc: degrees by which a disc before the camera turns; 0 for no disc.
        light: factor of the picture's light: below 1 a dark scene.
        held: frames for which each picture is shown, as in drawn film.
    """

    pan: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    zoom: float = 1.0
    tremble: float = 0.0
    disc: float = 0.0
    light: float = 1.0
    held: int = 1

    @property
    def runs(self) -> bool:
        """Whether every frame shows something new, beyond tremble."""
        return self.held == 1 and bool(any(self.pan) or self.turn or self.disc or self.zoom != 1.0)


def filmed(path: Path, move: Move, frames: range, seed: int = 1) -> list[Frame]:
    """Frames of 720x576, 8-bit 4:2:0, of a camera over a photograph."""
    wide = _photograph(path, move, frames)
    fmt = PictureFormat(WIDTH, HEIGHT, "yuv", 8, chroma="4:2:0", rate=Fraction(25))
    empty = Frame(0, fmt, tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()))
    rng = np.random.default_rng(seed)
    result = []
    for number in frames:
        time = number // move.held
        picture = _seen(wide, move, time, rng.normal(0.0, move.tremble, 2) if move.tremble else np.zeros(2))
        if move.disc:
            picture = _with_disc(picture, wide, move.disc * time)
        result.append(from_rgb(empty.with_number(number), picture * np.float32(move.light)).rounded())
    return result


def pointed_at(path: Path, places: npt.NDArray[np.float64]) -> list[npt.NDArray[np.uint8]]:
    """Luma of 720x576 of a camera over a photograph that points at one place (right, down) px a frame, (N, 2)."""
    still = Move()
    wide = _photograph(path, still, range(1))
    pictures = (cv2.cvtColor(_seen(wide, still, 0, place), cv2.COLOR_RGB2GRAY) for place in places)
    return [np.asarray(255 * picture + 0.5, np.uint8) for picture in pictures]


def _photograph(path: Path, move: Move, frames: range) -> Photograph:
    """(H, W, 3) float32 R'G'B' 0..1, large enough for the way of the camera; finer ones are brought down."""
    read = cv2.imread(str(path), cv2.IMREAD_COLOR)
    if read is None:
        raise ValueError(f"{path.name} is no picture")
    count = frames.stop / move.held
    sizes = zip((WIDTH, HEIGHT), move.pan, read.shape[1::-1], strict=True)
    wanted = max(0.5, *((size + abs(speed) * count + 80) / there for size, speed, there in sizes))
    way = cv2.INTER_AREA if wanted < 1 else cv2.INTER_CUBIC
    sized = cv2.resize(read, None, fx=wanted, fy=wanted, interpolation=way)
    return np.asarray(np.clip(sized[..., ::-1].astype(np.float32) / np.float32(255.0), 0, 1), np.float32)


def _seen(wide: Photograph, move: Move, time: float, tremble: npt.NDArray[Any]) -> Photograph:
    """What the camera sees: the middle of its way over the photograph is reached half way."""
    scale, angle = move.zoom**time, np.deg2rad(move.turn * time)
    cos, sin = np.cos(angle) / scale, np.sin(angle) / scale
    start = np.array([WIDTH / 2 + 40, HEIGHT / 2 + 40])
    rooms = (wide.shape[1] - WIDTH - 80, wide.shape[0] - HEIGHT - 80)
    start += [max(0.0, room) * (speed < 0) for room, speed in zip(rooms, move.pan, strict=True)]
    middle = start + time * np.array(move.pan) + tremble
    matrix = np.array([[cos, -sin, 0.0], [sin, cos, 0.0]])
    matrix[:, 2] = middle - matrix[:, :2] @ np.array([WIDTH / 2, HEIGHT / 2])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    seen = cv2.warpAffine(wide, matrix, (WIDTH, HEIGHT), flags=flags, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(np.clip(seen, 0, 1), np.float32)


def _with_disc(picture: Photograph, wide: Photograph, degrees: float) -> Photograph:
    """A disc with another part of the photograph on it, turned."""
    radius, middle = DISC_SHARE * HEIGHT, (WIDTH * 0.45, HEIGHT * 0.52)
    turn = cv2.getRotationMatrix2D((wide.shape[1] / 2, wide.shape[0] / 2), degrees, 1.0)
    turn[:, 2] += [middle[0] - wide.shape[1] / 2, middle[1] - wide.shape[0] / 2]
    mirrored, border = wide[:, ::-1], cv2.BORDER_REFLECT_101
    face = cv2.warpAffine(mirrored, turn, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=border)
    shape = np.zeros((HEIGHT, WIDTH), np.float32)
    cv2.circle(shape, (round(middle[0]), round(middle[1])), round(radius), 1.0, -1, cv2.LINE_AA)
    shape = np.asarray(cv2.GaussianBlur(shape, (0, 0), 0.7), np.float32)[..., None]
    return np.asarray(np.clip(picture * (1 - shape) + face * shape, 0, 1), np.float32)
