"""What stands still in Port Ellery: sky, water, houses, quay, lighthouse."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np

from grevin.demo.painting import Brush, Colour, Field, Picture, gradient, noise, weathered

PLASTER: tuple[Colour, ...] = (
    (206, 172, 118), (188, 112, 84), (222, 208, 182), (122, 142, 152), (176, 150, 128), (214, 186, 150), (150, 96, 82),
)  # fmt: skip
ROOF: tuple[Colour, ...] = ((112, 66, 54), (92, 74, 70), (128, 84, 60))
GLASS: Colour = (58, 70, 78)
FRAME: Colour = (232, 224, 206)
STONE: Colour = (136, 126, 112)
TAR: Colour = (44, 40, 40)


def draw_house(brush: Brush, rng: np.random.Generator, width: float, height: float, colour: Colour) -> None:
    """A gabled house; the origin is its foot at the left."""
    roof = ROOF[int(rng.integers(len(ROOF)))]
    brush.shape([(-3, -height), (width / 2, -height - 0.42 * width), (width + 3, -height)], roof)
    brush.box(0.66 * width, -height - 0.38 * width, 0.1 * width, 0.26 * width, (104, 72, 60))
    brush.box(0, -height, width, height, colour)
    shade = tuple(0.82 * part for part in colour)
    brush.box(0, -height, 0.06 * width, height, (shade[0], shade[1], shade[2]))
    rows, columns = max(2, int(height / 44)), max(2, int(width / 34))
    wide, high = width / columns, (height - 46) / rows
    for row in range(rows):
        for column in range(columns):
            left, top = (column + 0.24) * wide, -height + 10 + row * high
            _window(brush, left, top, 0.52 * wide, 0.66 * high, rng)
    door = 0.3 * width * rng.uniform(0.4, 2.0)
    brush.box(door, -36, 17, 36, (78, 54, 44))
    brush.box(door + 3, -32, 11, 10, GLASS)
    if rng.random() < 0.6:
        _awning(brush, 0.08 * width, width * 0.84, rng)


def _window(brush: Brush, left: float, top: float, width: float, height: float, rng: np.random.Generator) -> None:
    brush.box(left - 1.5, top - 1.5, width + 3, height + 3, FRAME)
    lit = rng.uniform(0.8, 1.5)
    brush.box(left, top, width, height, (GLASS[0] * lit, GLASS[1] * lit, GLASS[2] * lit))
    brush.box(left + width / 2 - 0.7, top, 1.4, height, FRAME)
    brush.box(left, top + height * 0.45, width, 1.3, FRAME)
    brush.box(left - 3, top + height + 1.5, width + 6, 2.5, (150, 138, 120))


def _awning(brush: Brush, left: float, width: float, rng: np.random.Generator) -> None:
    strong = PLASTER[int(rng.integers(len(PLASTER)))]
    count = 8
    for stripe in range(count):
        colour = strong if stripe % 2 else (226, 218, 200)
        x, step = left + stripe * width / count, width / count
        brush.shape([(x, -46), (x + step, -46), (x + step + 2, -34), (x + 2, -34)], colour)


def draw_lighthouse(brush: Brush) -> None:
    """The lighthouse on its mole; the origin is the middle of its foot, its height about 190."""
    brush.shape([(-34, 0), (-24, -26), (24, -26), (34, 0)], (112, 104, 94))
    brush.shape([(-19, -24), (-12, -150), (12, -150), (19, -24)], (224, 216, 200))
    for low, high in ((-56, -84), (-114, -136)):
        left, right = 19 + low / 24, 19 + high / 24
        brush.shape([(-left, low), (-right, high), (right, high), (left, low)], (168, 74, 58))
    brush.box(-17, -156, 34, 6, (70, 66, 64))
    brush.box(-9, -176, 18, 20, (196, 202, 188))
    brush.shape([(-12, -176), (0, -192), (12, -176)], (120, 60, 50))
    for y in (-70, -100, -128):
        brush.box(-2.5, y, 5, 9, GLASS)


def draw_quay_front(width: int, height: int, foot: float, seed: int, scale: float) -> tuple[Picture, Field]:
    """A row of houses over the quay wall.

    Returns:
        (H, W, 3) picture and (H, W) float32 coverage 0..1.
    """
    rng = np.random.default_rng(seed)
    picture, cover = np.zeros((height, width, 3), np.uint8), np.zeros((height, width, 3), np.uint8)
    x = -20.0
    while x < width:
        wide, high = rng.uniform(78, 128), rng.uniform(110, 190)
        colour = PLASTER[int(rng.integers(len(PLASTER)))]
        state = rng.bit_generator.state
        draw_house(Brush(picture, x, foot, scale), rng, wide, high, colour)
        rng.bit_generator.state = state
        outline = Brush(cover, x, foot, scale)
        white = (255.0, 255.0, 255.0)
        outline.shape([(-3, -high), (wide / 2, -high - 0.42 * wide), (wide + 3, -high)], white)
        outline.box(0.66 * wide, -high - 0.38 * wide, 0.1 * wide, 0.26 * wide, white)
        outline.box(0, -high, wide, high, white)
        rng.random()
        x += (wide + rng.uniform(0, 6)) * scale
    return weathered(rng, picture, 26, 0.07), np.asarray(cover[..., 0], np.float32) / 255.0


@dataclass(eq=False)
class Sky:
    """A pale summer sky with clouds that drift."""

    width: int
    height: int
    seed: int
    cover: float = 0.35
    _clouds: Field = field(init=False)
    _base: Picture = field(init=False)

    def __post_init__(self) -> None:
        rng = np.random.default_rng(self.seed)
        field_ = noise(rng, self.height, self.width + 400, 150, 6)
        flat = cv2.resize(field_, (self.width + 400, self.height))
        self._clouds = np.asarray(np.clip((flat - 0.6 + self.cover) * 0.7, 0, 1), np.float32)
        self._base = gradient(self.height, self.width, (126, 160, 188), (214, 208, 186))

    def paint(self, frame: Picture, drift: float, shift: float = 0.0) -> None:
        """Fill the top of the frame; `drift` in pixels to the right."""
        move = np.array([[1.0, 0.0, drift - 200 + shift], [0.0, 1.0, 0.0]])
        clouds = cv2.warpAffine(self._clouds, move, (self.width, self.height), borderMode=cv2.BORDER_REFLECT)
        share = clouds[..., None]
        sky = self._base * (1 - share) + np.array([240, 234, 220], np.float32) * share
        frame[: self.height] = sky.astype(np.uint8)


@dataclass(eq=False)
class Water:
    """Harbour water in perspective: two wave fields that run against each other, and sparkle."""

    width: int
    height: int
    seed: int
    near: Colour = (62, 88, 92)
    far: Colour = (128, 150, 148)
    _waves: Field = field(init=False)
    _across: Field = field(init=False)
    _down: Field = field(init=False)
    _base: Picture = field(init=False)

    def __post_init__(self) -> None:
        rng = np.random.default_rng(self.seed)
        tile = noise(rng, 512, 512, 24, 5)
        self._waves = np.tile(0.5 * (tile + np.roll(tile[::-1, ::-1], 256, (0, 1))), (2, 2)).astype(np.float32)
        depth = 26.0 / (np.arange(self.height, dtype=np.float32)[:, None] + 9.0)
        columns = np.arange(self.width, dtype=np.float32)[None] - self.width / 2
        self._across = np.asarray(260.0 + columns * (0.35 + depth), np.float32)
        rows = np.cumsum(2.2 * (0.35 + depth), axis=0)
        self._down = np.asarray(np.broadcast_to(rows, self._across.shape), np.float32)
        self._base = gradient(self.height, self.width, self.far, self.near)

    def paint(self, frame: Picture, top: int, time: float, shift: float = 0.0) -> None:
        """Fill the frame from row `top` down; `time` in frames, `shift` the camera's sideways movement."""
        first = self._sample(0.9 * time + shift, 0.8 * time)
        second = self._sample(-0.6 * time + shift + 97, 0.5 * time + 61)
        waves = first + second
        height = min(self.height, frame.shape[0] - top)
        light = 15.0 * waves[:height] + 70.0 * np.clip(waves[:height] - 1.5, 0, 1)
        frame[top : top + height] = np.clip(self._base[:height] + light[..., None], 0, 255).astype(np.uint8)

    def _sample(self, across: float, down: float) -> Field:
        return np.asarray(
            cv2.remap(
                self._waves, np.mod(self._across + np.float32(across), 512), np.mod(self._down + np.float32(down), 512),
                cv2.INTER_LINEAR,
            ),
            np.float32,
        )  # fmt: skip


def paving(width: int, height: int, seed: int) -> Picture:
    """The quay's paving, seen flat, with setts."""
    rng = np.random.default_rng(seed)
    ground = weathered(rng, gradient(height, width, (146, 136, 122), (122, 112, 100)), 30, 0.06)
    brush = Brush(ground)
    y = 0.0
    row = 0
    while y < height:
        step = 7 + 9 * y / height
        brush.line([(0, y), (width, y)], (104, 96, 86), 1)
        for x in np.arange((row % 2) * step, width, 2 * step):
            brush.line([(float(x), y), (float(x), y + step)], (108, 100, 90), 1)
        y += step
        row += 1
    return weathered(rng, ground, 9, 0.05)
