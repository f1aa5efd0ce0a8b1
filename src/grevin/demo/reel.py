"""The demo reel as a source of clean frames: shots, then what film and camera add."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import cached_property

import cv2
import numpy as np

from grevin.core.keys import content_key
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.demo.painting import Field, Picture
from grevin.demo.shots import HEIGHT, WIDTH, Shot, make_shots

DEMO_FORMAT = PictureFormat(
    WIDTH, HEIGHT, "yuv", 8, chroma="4:2:0", matrix="bt709", rate=Fraction(24), field_order="progressive",
    colour_tags=(1, 1, 1, 1),
)  # fmt: skip
GRAIN_SIGMA = 3.0  # 8-bit levels at mid grey
GRAIN_BLUR = 0.6  # pixels: grain of a scanned small-gauge film is a little larger than a pixel
GRAIN_MARGIN = 64
SEED = 1962


class DemoReel:
    """A FrameSource of the undamaged reel; every frame is drawn when it is asked for."""

    @cached_property
    def _shots(self) -> tuple[Shot, ...]:
        return make_shots()

    @property
    def format(self) -> PictureFormat:
        """8-bit 4:2:0, 960x720 square pixels, 24 frames/s."""
        return DEMO_FORMAT

    @property
    def identity(self) -> str:
        """The same for every demo reel of this version."""
        return content_key("demo", SEED, len(self))

    def __len__(self) -> int:
        return sum(shot.length for shot in self._shots)

    @property
    def first_frames(self) -> tuple[int, ...]:
        """First frame of each shot."""
        return tuple(int(n) for n in np.cumsum([0, *(shot.length for shot in self._shots[:-1])]))

    @property
    def shot_names(self) -> tuple[str, ...]:
        """What each shot shows."""
        return tuple(shot.name for shot in self._shots)

    def frame(self, number: int) -> Frame:
        """Frame `number`, drawn anew; the same picture each time."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        index = int(np.searchsorted(self.first_frames, number, "right")) - 1
        picture = self._shots[index].paint(number - self.first_frames[index])
        rgb = self.on_film(picture, number)
        blank = Frame(number, DEMO_FORMAT, tuple(np.zeros(s, np.uint8) for s in DEMO_FORMAT.plane_shapes()))
        return Frame(number, DEMO_FORMAT, from_rgb(blank, rgb).rounded().planes)

    def clean_run(self, numbers: range) -> MemorySource:
        """A run of clean frames held in memory."""
        return MemorySource([self.frame(number) for number in numbers], "demo")

    @cached_property
    def _grain(self) -> Field:
        rng = np.random.default_rng(SEED)
        size = (HEIGHT + GRAIN_MARGIN, WIDTH + GRAIN_MARGIN, 3)
        common = rng.standard_normal((*size[:2], 1))
        own = rng.standard_normal(size)
        field = cv2.GaussianBlur((0.8 * common + 0.6 * own).astype(np.float32), (0, 0), GRAIN_BLUR)
        return np.asarray(field / field.std(), np.float32)

    @cached_property
    def _falloff(self) -> Field:
        down, across = np.mgrid[-1 : 1 : HEIGHT * 1j, -1 : 1 : WIDTH * 1j]
        return np.asarray(1.0 - 0.16 * (across**2 + down**2) ** 1.2, np.float32)[..., None]

    def on_film(self, picture: Picture, number: int) -> Field:
        """Lens, gate weave, falloff, the dye's warm tone and grain; (H, W, 3) float32 0..1."""
        weave = np.array([[1.0, 0.0, 0.35 * math.sin(number * 1.3)], [0.0, 1.0, 0.45 * math.sin(number * 0.9 + 1.0)]])
        soft = cv2.GaussianBlur(picture, (0, 0), 0.8)
        moved = cv2.warpAffine(soft, weave, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT_101)
        film = moved.astype(np.float32) * self._falloff
        film = film * np.array([0.98, 0.95, 0.88], np.float32) + np.array([10, 9, 12], np.float32)
        rng = np.random.default_rng((SEED, number))
        top, left = rng.integers(0, GRAIN_MARGIN, 2)
        grain = self._grain[top : top + HEIGHT, left : left + WIDTH]
        turned = grain[:: 1 if rng.random() < 0.5 else -1, :: 1 if rng.random() < 0.5 else -1]
        return np.asarray(np.clip(film + GRAIN_SIGMA * turned, 0, 255) / np.float32(255.0), np.float32)
