"""Drawn pictures for the survey's tests: texture, pans, frames of them."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.survey.measures.base import Seen, Sight

FORMAT = PictureFormat(320, 240, "yuv", 8, chroma="4:2:0", rate=Fraction(25))


def frame_of(luma: np.ndarray, number: int = 0) -> Frame:
    height, width = luma.shape
    fmt = replace(FORMAT, width=width, height=height)
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])
    return Frame(number, fmt, (np.clip(np.rint(luma), 0, 255).astype(np.uint8), *chroma))


def texture(seed: int = 1, sigma: float = 4.0, width: int = 320, height: int = 240) -> np.ndarray:
    noise = np.random.default_rng(seed).standard_normal((height, width)).astype(np.float32)
    field = cv2.GaussianBlur(noise, (0, 0), sigma)
    return 115 + 30 * field / field.std()


def seen(frame: Frame) -> Sight:
    return Sight(Seen(frame))


def pan(count: int, seed: int = 1, speed: float = 3.0, noise: float = 2.0) -> list[np.ndarray]:
    wide, rng = texture(seed, 3.0, 320 + int(speed * count) + 8), np.random.default_rng(seed)
    moves = (np.array([[1.0, 0, -speed * n], [0, 1.0, 0]]) for n in range(count))
    return [cv2.warpAffine(wide, move, (320, 240)) + rng.normal(0, noise, (240, 320)) for move in moves]


def frames_of(lumas: list[np.ndarray]) -> list[Frame]:
    return [frame_of(luma, number) for number, luma in enumerate(lumas)]
