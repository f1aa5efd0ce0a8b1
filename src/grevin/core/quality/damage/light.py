"""Simulated light that is not as it was: flicker of several kinds, rolling bands, and real changes of light.

All of it acts on R'G'B' as it is stored; gain stands for exposure, offset for the pedestal of a camera, gamma for
development and print. The truth of a frame is the frame before.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, from_rgb, to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import DamagedSource, FrameByFrame, Truth

Flicker = Literal["random", "periodic", "colour", "mains", "patches", "corner"]
Course = Literal["sunrise", "lamp", "fade", "cloud", "swell"]

GAIN, OFFSET, GAMMA = 0.08, 5.0 / 255.0, 0.10  # rms of a badly exposed reel; a common depth in the literature
PULSE = 0.12  # of every eighth frame
COLOUR = 0.05  # rms of each channel's own gain
BEAT, BEAT_FRAMES = 0.06, 3.7  # depth and period of lamps out of step with the camera
PATCH, PATCH_ALL = 0.07, 0.03  # rms of a smooth field, and of the whole frame beside it
PATCH_SPOTS = (5, 4)  # independent places across and down
CORNER, CORNER_SHARE = 0.16, 0.45  # depth of a lamp in a corner, and how far it reaches over the picture
SWELL_FRAMES = 42.0  # of light that swells and fades: leaves, a dimmer, a fire
HARMONICS = (1.0, 0.35, 0.12)  # of a band's shape


@dataclass(frozen=True)
class FlickerDamage:
    """Light that changes from frame to frame.

    Attributes:
        seed: same seed, same flicker.
        what: which kind.
        depth: times the usual strength.
        period: frames, of "periodic".
    """

    kind: ClassVar[str] = "flicker"
    seed: int = 7
    what: Flicker = "random"
    depth: float = 1.0
    period: int = 8

    def over(self, source: FrameSource) -> DamagedSource:
        """The source, flickering."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame in the light of its moment."""
        return _in_light(frame, self._lit(to_rgb(frame), frame.number), self.kind)

    def _lit(self, rgb: Rgb, number: int) -> Rgb:
        rng = np.random.default_rng((self.seed, number, 3))
        depth = self.depth
        if self.what == "periodic":
            return np.asarray(rgb * np.float32(1 + PULSE * depth * (number % self.period == 0)), np.float32)
        if self.what == "mains":
            wave = math.sin(2 * math.pi * number / BEAT_FRAMES + self.seed)
            return np.asarray(rgb * np.float32(1 + BEAT * depth * wave))
        if self.what == "colour":
            return np.asarray(rgb * (1 + COLOUR * depth * rng.standard_normal(3)).astype(np.float32))
        if self.what == "patches":
            field = PATCH * rng.standard_normal(PATCH_SPOTS[::-1]) + PATCH_ALL * rng.standard_normal()
            return np.asarray(rgb * (1 + np.float32(depth) * _spread(field, rgb.shape))[..., None], np.float32)
        if self.what == "corner":
            gain = CORNER * depth * rng.standard_normal() / math.sqrt(2)
            return np.asarray(rgb * (1 + np.float32(gain) * _corner(rgb.shape, self.seed))[..., None], np.float32)
        gain, offset, gamma = (depth * rms * rng.standard_normal() for rms in (GAIN, OFFSET, GAMMA))
        bent = np.power(np.clip(rgb, 0, None), np.float32(math.exp(gamma)))
        return np.asarray(bent * np.float32(1 + gain) + np.float32(offset), np.float32)


def _spread(field: npt.NDArray[np.float64], shape: tuple[int, ...]) -> npt.NDArray[np.float32]:
    wide = cv2.resize(field.astype(np.float32), (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)
    return np.asarray(wide, np.float32)


def _corner(shape: tuple[int, ...], seed: int) -> npt.NDArray[np.float32]:
    """(H, W) 0..1, light of a lamp in one of the corners."""
    rows, columns = np.mgrid[0 : 1 : shape[0] * 1j, 0 : 1 : shape[1] * 1j]
    down, across = (rows if seed % 2 else 1 - rows), (columns if seed % 4 < 2 else 1 - columns)
    far = (np.square(down) + np.square(across)) / (CORNER_SHARE / 2) ** 2
    return np.asarray(np.exp(-0.5 * far), np.float32)


@dataclass(frozen=True)
class BandDamage:
    """A soft dark band that rolls over the picture.

    Attributes:
        seed: of the band's phase and shape.
        depth: share of light missing where it is darkest.
        period: rows from band to band, as a share of the picture's height.
        speed: picture heights a frame, downwards.
        slant: rows a column by which it leans.
        colour: how much of the depth differs between red and blue.
    """

    kind: ClassVar[str] = "bands"
    seed: int = 7
    depth: float = 0.2
    period: float = 0.8
    speed: float = 0.11
    slant: float = 0.0
    colour: float = 0.0

    def over(self, source: FrameSource) -> DamagedSource:
        """The source under the band."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame under the band at its moment."""
        rgb = to_rgb(frame)
        height, width = rgb.shape[:2]
        rng = np.random.default_rng((self.seed, 4))
        phases = rng.uniform(0, 2 * math.pi, len(HARMONICS))
        rows = np.arange(height)[:, None] + self.slant * np.arange(width)[None, :]
        place = rows / (self.period * height) - frame.number * self.speed / self.period
        wave = sum(
            a * np.cos(2 * math.pi * (n + 1) * place + p)
            for n, (a, p) in enumerate(zip(HARMONICS, phases, strict=True))
        )
        dark = self.depth * (wave / sum(HARMONICS) + 1) / 2
        tint = np.array([1 + self.colour, 1.0, 1 - self.colour])
        return _in_light(frame, np.asarray(rgb * (1 - dark[..., None] * tint), np.float32), self.kind)


@dataclass(frozen=True)
class LightCourse:
    """A real change of light, which belongs to the scene.

    Attributes:
        what: which kind.
        length: frames of the shot.
        depth: times the usual strength.
    """

    kind: ClassVar[str] = "light"
    what: Course = "sunrise"
    length: int = 100
    depth: float = 1.0

    def over(self, source: FrameSource) -> DamagedSource:
        """The source in that light."""
        return FrameByFrame(source, self)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """One frame in the light of its moment."""
        share = frame.number / max(1, self.length - 1)
        gain = {
            "sunrise": 0.7 + 0.4 * share, "lamp": 0.75 if share < 0.5 else 1.0,
            "fade": min(1.0, (1 - share) / 0.3), "cloud": 1 - 0.2 * math.sin(math.pi * share) ** 2,
            "swell": 0.85 + 0.15 * math.sin(math.tau * frame.number / SWELL_FRAMES),
        }[self.what]  # fmt: skip
        return _in_light(frame, to_rgb(frame) * np.float32(1 + self.depth * (gain - 1)), self.kind)


def _in_light(frame: Frame, rgb: Rgb, kind: str) -> tuple[Frame, Truth]:
    fmt = frame.format
    made = from_rgb(frame, np.clip(rgb, 0.0, 1.0)).rounded()
    return made, Truth(kind, np.ones((fmt.height, fmt.width), np.bool_), (), frame.number)
