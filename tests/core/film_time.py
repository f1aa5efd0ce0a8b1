"""Reels for the tests of time: pictures in some order, fields, capture sets."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.verdicts import Verdicts
from tests.conftest import moving_frames

RATE = Fraction(25)


def chain(source: MemorySource, step: str, settings: dict | None = None, verdicts: Verdicts | None = None) -> Chain:
    return Chain(source, Treatment(steps=(TreatmentStep.make(step, settings or {}),)), verdicts=verdicts)


def in_order(order: list[int], rate: Fraction = RATE, speed: float = 3.0, name: str = "order") -> MemorySource:
    """Frames of a pan in some order; the same number is the same picture, sample for sample."""
    clean = moving_frames(max(order) + 1, 320, 240, speed=speed)
    fmt = replace(clean.format, rate=rate)
    return MemorySource([replace(clean.frame(n), format=fmt) for n in order], name)


def same(one: Frame, other: Frame) -> bool:
    return all(np.array_equal(a, b) for a, b in zip(one.planes, other.planes, strict=True))


def source_of(lumas: list[np.ndarray], rate: Fraction, name: str, order: str = "progressive") -> MemorySource:
    height, width = lumas[0].shape
    fmt = PictureFormat(width, height, "yuv", 8, chroma="4:2:2", rate=rate, field_order=order)
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])
    return MemorySource([Frame(n, fmt, (luma, *chroma)) for n, luma in enumerate(lumas)], name)


def captures(lengths: list[int], transitions: bool, seed: int = 1) -> tuple[list[np.ndarray], list[range]]:
    """Captures of a running film, each frame several times, jittering a little; and the true sets."""
    rng = np.random.default_rng(seed)
    film = [
        moving_frames(len(lengths) + 1, 320, 240, speed=7.0).frame(n).planes[0].astype(np.float32)
        for n in range(len(lengths) + 1)
    ]
    shots: list[np.ndarray] = []
    sets: list[range] = []
    for n, length in enumerate(lengths):
        sets.append(range(len(shots), len(shots) + length))
        for _ in range(length):
            move = np.array([[1, 0, rng.normal(0, 0.25)], [0, 1, rng.normal(0, 0.25)]])
            taken = cv2.warpAffine(film[n], move, (320, 240), borderMode=cv2.BORDER_REPLICATE)
            shots.append(taken * (1 + rng.normal(0, 0.012)) + rng.normal(0, 3, taken.shape))
        if transitions and n + 1 < len(lengths):
            share = rng.uniform(0.3, 0.7)
            shots.append(film[n] * (1 - share) + film[n + 1] * share + rng.normal(0, 3, film[n].shape))
    return [np.clip(np.rint(one), 0, 255).astype(np.uint8) for one in shots], sets


BAR = [20 + 45 * n for n in range(7)]  # left edge of the bar in `jumping_bar`


def jumping_bar(number: int) -> Frame:
    """A bright bar, 8 px wide, that jumps 45 px a frame over a textured ground: no search finds its motion."""
    rng = np.random.default_rng(3)
    ground = cv2.GaussianBlur(rng.uniform(40, 200, (240, 320)).astype(np.float32), (0, 0), 2)
    luma = np.clip((ground - ground.mean()) * 4 + 110, 20, 220)
    cv2.rectangle(luma, (BAR[number], 60), (BAR[number] + 8, 180), 235, -1)
    frame = moving_frames(1, 320, 240).frame(0)
    grey = tuple(np.full_like(plane, 128) for plane in frame.planes[1:])
    return replace(frame, number=number, planes=(luma.astype(np.uint8), *grey))


def woven_film(film: list[np.ndarray], count: int, bottom_first: bool = False) -> list[np.ndarray]:
    """Two and three fields of each picture in turn."""
    fields = [n for n in range(len(film)) for _ in range(2 + n % 2)]
    frames = []
    for number in range(count):
        pair = fields[2 * number : 2 * number + 2]
        top, bottom = pair[::-1] if bottom_first else pair
        picture = film[top].copy()
        picture[1::2] = film[bottom][1::2]
        frames.append(picture)
    return frames
