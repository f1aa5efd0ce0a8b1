"""Reels of Port Ellery under noise, each with what is true of it.

The lighthouse ferry at dusk on pushed film, whose grain is coarse and strongest in the middle tones; the quay by night
from a camcorder whose noise stands for several frames, with blotches of colour.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Frame
from grevin.demo.time_reels import FERRY, PAL, QUAY, SEED, TimeReel, as_frame, painted

Rgb = npt.NDArray[np.float32]

LENGTH = 60
DUSK, NIGHT = (0.52, 0.52, 0.66), (0.46, 0.42, 0.34)  # of the day's red, green and blue
HAZE = 0.06  # light that lies over the dusk, of white
LAMP = (0.5, 0.12, 0.34, 0.9)  # of the night: place across and down, reach, and brightness over that of the rest
GRAIN_LEVELS, GRAIN_PX, GRAIN_IN_COLOUR = 9.0, 0.9, 0.5  # 8-bit levels in the middle tones; of its strength
HELD_FRAMES, HELD_LEVELS, BLOTCH_LEVELS, BLOTCH_PX = 4, 7.0, 4.0, 3.0


def dusk(number: int) -> Rgb:
    """(H, W, 3) float32 0..1: the ferry at dusk without grain."""
    return np.asarray(painted(FERRY, number, PAL) * np.array(DUSK, np.float32) + np.float32(HAZE), np.float32)


def night(number: int) -> Rgb:
    """(H, W, 3) float32 0..1: the quay by night without noise, under a lamp."""
    x, y, reach, bright = LAMP
    down, across = np.mgrid[0 : PAL.height, 0 : PAL.width].astype(np.float32)
    away = np.hypot(across / PAL.width - x, (down / PAL.height - y) * PAL.height / PAL.width) / reach
    light = 1.0 + bright * np.exp(-np.square(away))[..., None]
    return np.asarray(painted(QUAY, number, PAL) * np.array(NIGHT, np.float32) * light, np.float32)


def _even(seed: tuple[int, ...], px: float, channels: int) -> Rgb:
    """(H, W, channels) noise with a standard deviation of 1."""
    white = np.random.default_rng(seed).standard_normal((PAL.height, PAL.width, channels)).astype(np.float32)
    blurred = np.asarray(cv2.GaussianBlur(white, (0, 0), px), np.float32).reshape(white.shape)
    return np.asarray(blurred / blurred.std(), np.float32)


def _pushed(number: int) -> Frame:
    picture = dusk(number)
    common, own = _even((SEED, number, 11), GRAIN_PX, 1), _even((SEED, number, 12), GRAIN_PX, 3)
    together = np.sqrt(1 - GRAIN_IN_COLOUR**2) * common + GRAIN_IN_COLOUR * own
    level = picture.mean(axis=2, keepdims=True)
    strength = GRAIN_LEVELS / 255 * np.sqrt(np.clip(4 * level * (1 - level), 0.05, 1))
    return as_frame(number, np.asarray(picture + strength * together, np.float32), PAL)


def _camcorder(number: int) -> Frame:
    hold = number // HELD_FRAMES
    noise = HELD_LEVELS * _even((SEED, hold, 13), 0.5, 1) + BLOTCH_LEVELS * _even((SEED, hold, 14), BLOTCH_PX, 3)
    return as_frame(number, np.asarray(night(number) + noise / np.float32(255), np.float32), PAL)


def _reel(name: str, make: Callable[[int], Frame], truth: dict[str, Any]) -> TimeReel:
    return TimeReel(name, PAL, LENGTH, make, truth)


def noise_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    return (
        _reel("lighthouse-at-dusk", _pushed, {"noise": GRAIN_LEVELS, "grain_px": GRAIN_PX}),
        _reel("quay-by-night", _camcorder, {"noise": HELD_LEVELS, "renews_every_frames": HELD_FRAMES}),
    )
