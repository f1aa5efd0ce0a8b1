"""Clean footage that a dirt step is tempted to harm: fast, periodic, sparkling, flashing. Drawn by our own code."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.base import damaged
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.memory_source import MemorySource

WIDTH, HEIGHT, LENGTH = 480, 360, 16
FORMAT = PictureFormat(WIDTH, HEIGHT, "yuv", 8, chroma="4:2:0", rate=Fraction(25))
BLUR_STEPS = 8  # pictures that a blurred one is the mean of: a shutter open half the time

Field = npt.NDArray[np.float32]


def texture(seed: int, width: int = WIDTH, height: int = HEIGHT, sigma: float = 3.0) -> Field:
    """A smooth random picture round mid grey, (height, width) 8-bit levels."""
    field = cv2.GaussianBlur(
        np.random.default_rng(seed).standard_normal((height, width)).astype(np.float32), (0, 0), sigma
    )
    return np.asarray(115 + 28 * field / float(field.std()), np.float32)


def wheel(time: float) -> Field:
    """Twelve spokes that turn by a third of their distance a frame."""
    picture = texture(1)
    middle = (WIDTH / 2, HEIGHT / 2)
    for spoke in range(12):
        angle = 2 * np.pi * (spoke + time / 3) / 12
        end = (middle[0] + 150 * np.cos(angle), middle[1] + 150 * np.sin(angle))
        cv2.line(picture, _point(middle), _point(end), 225.0, 7, cv2.LINE_AA)
    cv2.circle(picture, _point(middle), 150, 40.0, 9, cv2.LINE_AA)
    return picture


def flag(time: float) -> Field:
    """Stripes in a wind."""
    down, across = np.indices((HEIGHT, WIDTH), dtype=np.float32)
    wave = 9 * np.sin(across / 34 - 1.1 * time) * across / WIDTH
    stripes = np.where(((down + wave) // 14) % 2 == 0, 70.0, 205.0)
    light = 18 * np.cos(across / 34 - 1.1 * time)
    return np.asarray(cv2.GaussianBlur(stripes + light, (0, 0), 0.8), np.float32)


def sparkle(time: float) -> Field:
    """Water: glints that live for one frame."""
    picture = texture(3, sigma=6.0) * 0.6 + 20
    rng = np.random.default_rng((3, round(time * 8)))
    for x, y in rng.uniform((0, HEIGHT / 3), (WIDTH, HEIGHT), (160, 2)):
        cv2.ellipse(picture, _point((x, y)), (int(rng.integers(2, 6)), 1), 0, 0, 360, float(rng.uniform(190, 240)), -1)
    return picture


def rain(time: float) -> Field:
    """Streaks that fall 40 px a frame."""
    picture = texture(4)
    rng = np.random.default_rng(4)
    for x, y in rng.uniform((0, 0), (WIDTH, 4 * HEIGHT), (260, 2)):
        fallen = (y + 40 * time) % (4 * HEIGHT)
        cv2.line(picture, _point((x, fallen)), _point((x + 2, fallen + 16)), 190.0, 1, cv2.LINE_AA)
    return picture


def snow(time: float) -> Field:
    """Flakes that drift, each its own way."""
    picture = texture(5)
    rng = np.random.default_rng(5)
    for x, y, speed, size in rng.uniform((0, 0, 4, 1.0), (WIDTH, HEIGHT, 14, 3.2), (150, 4)):
        place = ((x + 3 * np.sin(time / 2 + y)) % WIDTH, (y + speed * time) % HEIGHT)
        cv2.circle(picture, _point(place), max(1, int(size)), 235.0, -1, cv2.LINE_AA)
    return picture


def flash(time: float) -> Field:
    """A lamp goes off on every fifth frame."""
    picture = _pan(6, 2.0, time)
    return np.asarray(picture + 70, np.float32) if int(time) % 5 == 2 else picture


def fast_pan(time: float) -> Field:
    """Thirty pixels a frame: a new strip enters at each."""
    return _pan(7, 30.0, time)


def blurred_throw(time: float) -> Field:
    """A ball that crosses 36 px a frame, blurred by its own motion."""
    picture = texture(8)
    ball = np.zeros_like(picture)
    for part in range(BLUR_STEPS):
        moment = time + 0.5 * part / BLUR_STEPS
        spot = (20 + 36 * moment % (WIDTH - 40), 200 - 90 * np.sin(moment * 0.4))
        layer = np.zeros_like(picture)
        cv2.circle(layer, _point(spot), 11, 1.0, -1, cv2.LINE_AA)
        ball += layer / BLUR_STEPS
    return np.asarray(picture * (1 - ball) + 235 * ball, np.float32)


def hands(time: float) -> Field:
    """Two pale shapes that swing to and fro before a dark ground, half a period every five frames."""
    picture = texture(9) * 0.5
    for side in (-1, 1):
        swing = np.sin(2 * np.pi * time / 10 + side)
        spot = (WIDTH / 2 + side * 90 + 70 * swing, HEIGHT / 2 + 40 * np.cos(2 * np.pi * time / 10))
        cv2.ellipse(picture, _point(spot), (16, 24), 20 * swing, 0, 360, 195.0, -1, cv2.LINE_AA)
    return picture


def cuts(time: float) -> Field:
    """Another picture every four frames."""
    return _pan(20 + int(time) // 4, 3.0, time)


SCENES: dict[str, Callable[[float], Field]] = {
    "wheel": wheel, "flag": flag, "sparkle": sparkle, "rain": rain, "snow": snow, "flash": flash, "fast_pan": fast_pan,
    "blurred_throw": blurred_throw, "hands": hands, "cuts": cuts,
}  # fmt: skip


def scene(name: str) -> MemorySource:
    """A scene with grain, 8-bit 4:2:0."""
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in FORMAT.plane_shapes()[1:])
    drawn = (np.clip(SCENES[name](float(n)), 16, 235).astype(np.uint8) for n in range(LENGTH))
    frames = [Frame(number, FORMAT, (luma, *chroma)) for number, luma in enumerate(drawn)]
    grainy = damaged(MemorySource(frames, name), GrainDamage())
    return MemorySource([grainy.frame(n) for n in range(LENGTH)], name)


def _pan(seed: int, speed: float, time: float) -> Field:
    wide = texture(seed, WIDTH + int(speed * LENGTH) + 8)
    move = np.array([[1.0, 0.0, -speed * time], [0.0, 1.0, 0.0]])
    return np.asarray(cv2.warpAffine(wide, move, (WIDTH, HEIGHT)), np.float32)


def _point(place: tuple[float, float]) -> tuple[int, int]:
    return round(float(place[0])), round(float(place[1]))
