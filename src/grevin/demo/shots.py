"""The four shots of the demo reel, each a function from time to a picture."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Protocol

import cv2
import numpy as np

from grevin.demo.moving_things import (
    coats,
    draw_ferry,
    draw_gull,
    draw_person,
    draw_rowing_boat,
    draw_sailing_boat,
    draw_tram,
    smoke_puffs,
)  # fmt: skip
from grevin.demo.painting import Brush, Colour, Field, Picture, weathered
from grevin.demo.scenery import STONE, TAR, Sky, Water, draw_lighthouse, draw_quay_front, paving

WIDTH, HEIGHT = 960, 720


class Shot(Protocol):
    """One shot of the reel."""

    name: str
    length: int

    def paint(self, time: float) -> Picture:
        """(720, 960, 3) uint8 R'G'B' picture at frame `time` of the shot."""
        ...


def lay_over(frame: Picture, picture: Picture, cover: Field, left: float, top: int = 0) -> None:
    """Lay a wide picture over the frame, moved `left` pixels to the left with sub-pixel precision."""
    move = np.array([[1.0, 0.0, -left], [0.0, 1.0, 0.0]])
    size = (WIDTH, picture.shape[0])
    moved = cv2.warpAffine(picture, move, size, flags=cv2.INTER_LINEAR)
    share = cv2.warpAffine(cover, move, size, flags=cv2.INTER_LINEAR)[..., None]
    part = frame[top : top + picture.shape[0]]
    part[:] = (part * (1 - share) + moved * share).astype(np.uint8)


@dataclass(eq=False)
class HarbourPan:
    """The harbour from the water, a slow pan along the quay."""

    name: str = "Harbour, slow pan"
    length: int = 96
    _sky: Sky = field(default_factory=lambda: Sky(WIDTH, 360, 11))
    _water: Water = field(default_factory=lambda: Water(WIDTH, 360, 12))

    def __post_init__(self) -> None:
        self._front, self._cover = draw_quay_front(WIDTH + 420, 400, 352, 13, 1.0)
        brush, cover = Brush(self._front, 1010, 372), Brush(np.zeros((*self._front.shape[:2], 3), np.uint8), 1010, 372)
        draw_lighthouse(brush.moved(140, 0, 1.35))
        draw_lighthouse(cover.moved(140, 0, 1.35))
        self._cover = np.maximum(self._cover, (cover.canvas.max(axis=2) > 0).astype(np.float32))
        self._front[352:] = weathered(np.random.default_rng(14), np.full_like(self._front[352:], STONE), 14, 0.12)
        self._cover[352:] = 1.0

    def paint(self, time: float) -> Picture:
        """The frame at `time`."""
        frame = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
        pan = 2.1 * time + 6 * math.sin(time * 0.05)
        self._sky.paint(frame, 0.35 * time, -0.2 * pan)
        self._water.paint(frame, 360, time, pan * 0.5)
        lay_over(frame, self._front, self._cover, pan)
        self._reflect(frame)
        brush = Brush(frame)
        for index, coat in enumerate(coats(15, 9)):
            x = 130 * index + (0.9 if index % 2 else -0.7) * time - pan
            draw_person(brush.moved(x, 354), time + 5 * index, coat, 38)
        sails: tuple[tuple[float, float, float, Colour, Colour], ...] = (
            (180, 470, 0.9, (150, 66, 54), (222, 206, 170)), (560, 520, 1.2, (58, 84, 104), (232, 226, 208)),
            (930, 452, 0.8, (196, 176, 128), (188, 108, 78)), (1180, 560, 1.35, (70, 98, 84), (226, 214, 188)),
        )  # fmt: skip
        for index, (x, y, scale, hull, sail) in enumerate(sails):
            bob = 2.5 * math.sin(time * 0.1 + index)
            draw_sailing_boat(brush.moved(x - 1.25 * pan, y + bob, scale), time + 17 * index, hull, sail)
        for index in range(5):
            x = 90 + 210 * index + 3.4 * time - pan * 0.4
            draw_gull(brush.moved(x, 90 + 34 * (index % 3) + 10 * math.sin(time * 0.08 + index), 0.8), time + 3 * index)
        return frame

    @staticmethod
    def _reflect(frame: Picture) -> None:
        mirrored = cv2.GaussianBlur(frame[230:400][::-1], (5, 21), 0)
        share = np.linspace(0.55, 0.0, 170, dtype=np.float32)[:, None, None]
        part = frame[400:570]
        part[:] = (part * (1 - share) + mirrored * share * 0.85).astype(np.uint8)


@dataclass(eq=False)
class TramPasses:
    """On the quay: people walk, the tram rushes through."""

    name: str = "Quay, the tram"
    length: int = 72
    _sky: Sky = field(default_factory=lambda: Sky(WIDTH, 260, 21, 0.1))

    def __post_init__(self) -> None:
        self._front, self._cover = draw_quay_front(WIDTH + 60, 470, 452, 24, 1.9)
        self._ground = paving(WIDTH, HEIGHT - 440, 23)

    def paint(self, time: float) -> Picture:
        """The frame at `time`."""
        frame = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
        sway = 8 + 3 * math.sin(time * 0.07)
        self._sky.paint(frame, 0.2 * time)
        frame[440:] = self._ground
        lay_over(frame, self._front, self._cover, sway)
        brush = Brush(frame, -sway)
        brush.box(0, 446, WIDTH + 60, 12, (96, 90, 82))
        for index, coat in enumerate(coats(25, 6)):
            step = 1.7 if index % 2 else -1.4
            draw_person(brush.moved(110 + 165 * index + step * time, 492), time + 7 * index, coat, 92, index % 3 != 0)
        for y in (560, 586):
            brush.line([(0, y), (WIDTH + 60, y)], (82, 78, 76), 3)
            brush.line([(0, y - 2), (WIDTH + 60, y - 2)], (176, 170, 160), 1)
        draw_tram(brush.moved(-560 + 21.0 * time, 580, 1.55), time)
        for index, coat in enumerate(coats(26, 4)):
            step = -3.2 if index % 2 else 3.6
            x = 40 + 300 * index + step * time
            draw_person(brush.moved(x, 690 + 8 * (index % 2)), time * 1.1 + 9 * index, coat, 176, index != 2)
        brush.line([(-20, 262), (WIDTH + 80, 274)], (54, 52, 52), 2)
        return frame


@dataclass(eq=False)
class Regatta:
    """The rowing regatta; the camera follows the leading boat."""

    name: str = "Regatta, followed"
    length: int = 84
    _water: Water = field(default_factory=lambda: Water(WIDTH, 500, 31, (54, 82, 90), (116, 142, 144)))
    _sky: Sky = field(default_factory=lambda: Sky(WIDTH, 150, 32, 0.2))

    def __post_init__(self) -> None:
        self._shore, self._cover = draw_quay_front(WIDTH + 900, 240, 218, 33, 0.55)
        self._shore[218:] = TAR
        self._cover[218:232] = 1.0

    def paint(self, time: float) -> Picture:
        """The frame at `time`."""
        frame = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
        pan = 7.5 * time
        self._sky.paint(frame, 0.2 * time)
        self._water.paint(frame, 228, time, pan * 0.55)
        lay_over(frame, self._shore, self._cover, pan)
        brush = Brush(frame)
        for index in range(7):
            buoy = 160 * index + 60 - 1.5 * pan % 160
            brush.disc(buoy, 330 + 2 * math.sin(time * 0.2 + index), 5, 6, (204, 92, 62))
        boats: tuple[tuple[float, float, float, float, Colour, Colour], ...] = (
            (560, 1.4, 390, 1.0, (150, 92, 60), (230, 222, 204)), (420, 0.0, 480, 1.35, (64, 92, 84), (186, 74, 58)),
            (760, -2.2, 610, 1.75, (176, 142, 92), (70, 92, 128)),
        )  # fmt: skip
        for index, (x, gain, y, scale, hull, shirt) in enumerate(boats):
            surge = 5 * math.sin(time * 0.42 + index)
            bob = 1.5 * math.sin(time * 0.3 + index)
            draw_rowing_boat(brush.moved(x + gain * time + surge, y + bob, scale), time + 4 * index, hull, shirt)
        return frame


@dataclass(eq=False)
class FerryLeaves:
    """The lighthouse ferry puts out, gulls behind it."""

    name: str = "Lighthouse ferry"
    length: int = 84
    _sky: Sky = field(default_factory=lambda: Sky(WIDTH, 400, 41, 0.5))
    _water: Water = field(default_factory=lambda: Water(WIDTH, 340, 42))

    def __post_init__(self) -> None:
        self._mole = np.zeros((HEIGHT, WIDTH + 60, 3), np.uint8)
        cover = np.zeros_like(self._mole)
        for canvas in (self._mole, cover):
            brush = Brush(canvas)
            brush.shape([(560, 412), (600, 384), (1020, 380), (1020, 420)], (118, 110, 100))
            draw_lighthouse(brush.moved(770, 384, 1.5))
        self._mole = weathered(np.random.default_rng(43), self._mole, 12, 0.08)
        self._cover = np.asarray(cover.max(axis=2) > 0, np.float32)

    def paint(self, time: float) -> Picture:
        """The frame at `time`."""
        frame = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
        sway = 5 + 3 * math.sin(time * 0.06)
        self._sky.paint(frame, 0.3 * time)
        self._water.paint(frame, 398, time)
        lay_over(frame, self._mole, self._cover, sway)
        brush = Brush(frame, -sway)
        x, y, scale = 250 + 2.6 * time, 520 + 1.6 * math.sin(time * 0.09), 1.45
        self._smoke(frame, x - 27 * scale - sway, y - 146 * scale, time)
        draw_ferry(brush.moved(x, y, scale), time)
        for index in range(8):
            away = x - 260 + 66 * index + 40 * math.sin(time * 0.05 + index)
            height = 300 + 26 * math.sin(time * 0.11 + 1.9 * index) - 22 * (index % 3)
            draw_gull(brush.moved(away, height, 1.0 + 0.15 * (index % 3)), time * 1.2 + 4 * index)
        return frame

    @staticmethod
    def _smoke(frame: Picture, x: float, y: float, time: float) -> None:
        layer = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
        brush = Brush(layer, x, y)
        for across, down, radius, opacity in smoke_puffs(time):
            brush.disc(across, down, radius, radius * 0.8, (255 * opacity,) * 3)
        top = slice(0, 420)
        share = cv2.GaussianBlur(layer[top, :, 0], (0, 0), 5).astype(np.float32)[..., None] / 255.0
        frame[top] = (frame[top] * (1 - share) + 96 * share).astype(np.uint8)


def make_shots() -> tuple[Shot, ...]:
    """The shots in order."""
    return HarbourPan(), TramPasses(), Regatta(), FerryLeaves()
