"""What happens before a camera and is no damage: flashes, an exposure that is looked for, fades, near poles, credits.

Twigs in the wind and striped cloth. And what is laid over a picture or joined to it: a test card, a leader that counts
down, a running time, words that go along the bottom, a small picture within another, one shot that dissolves into the
next. Laid over clean footage with its frames' own numbers, so that the result is right as it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, from_rgb, to_rgb
from grevin.core.picture.frame import Frame

Share = npt.NDArray[np.float32]  # (H, W, 1) how much of a place is covered

FLASHES = (4, 10)  # frames
FLASH_GAIN, FLASH_OFFSET = 1.35, 0.1  # of R'G'B'
HUNTING_SHARE, HUNTING_FRAMES = 0.15, 5.7  # of light either way, and frames of a wave
FADE_FRAMES, FADE_BEGINS = (5, 10), (1, 4)  # how long a fade is, and with which frame it begins
POLES = 6
POLE_PX, POLE_SPEED = (1.0, 4.0), (0.5, 3.0)  # width, and px a frame
CREDITS = ("The harbour master", "Cameras", "J. Orrin and P. Vale", "Lights", "The ferry company", "Port Ellery")
CREDIT_SPEED, CREDIT_LINE = (1.0, 8.0), 0.14  # px a frame, and of the picture's height from line to line
CREDIT_INK = 0.94
CARD_EVERY, CARD_STEPS, CARD_GROUND, CARD_LINES = (20, 61), 10, 0.43, 0.78  # px; of white
CARD_NOISE = 0.5 / 255  # standard deviation
MESH_PX, WIRE_PX, FENCE_LEVEL = (14.0, 34.0), (0.7, 1.8), 0.23  # of a lattice: across, half a wire; of white
TWIGS, TWIG_LEVEL, TWIG_PX, TWIG_LEAVES = 25, 0.12, (0.8, 2.5), 6  # how many, of white, wide, and leaves on each
TWIG_LENGTH, TWIG_SWAY_PX, TWIG_SWAY_FRAMES = (0.2, 0.5), (3.0, 9.0), 19.5  # of the height; either way; of a swing
LEAF_PX, LEAF_TURN_DEG = (6, 3), 8.0  # half its axes, and by how much it turns for each px that its twig sways
STRIPE_PX, STRIPE_SPEED, STRIPE_LEVELS = (4.0, 11.0), (0.6, 6.0), (0.3, 0.75)  # from stripe to stripe; px a frame
STRIPE_ROUND, STRIPE_FOLD_PX, STRIPE_HARD = 0.28, 2.0, 3.0  # of the width; of its folds; how hard stripes end
RATE = 25  # frames in a second of the running time
TIME_PX, TIME_INK, TIME_BOX, BOX_PX = 215.0, 0.95, 0.02, (30.0, 10.0, 6.0)  # at 600 lines: wide; above, below, beside
ALONG = "PORT ELLERY: FERRY TIMES CHANGE ON MONDAY - HARBOUR CLOSED TO TRAFFIC - REGATTA AT NOON - "
BAR, ALONG_BASE = (0.86, 0.95), 0.925  # of the height: from its top to its bottom, and where the words stand
BAR_LEVEL, ALONG_INK = (0.05, 0.3), 0.92
DISSOLVE_FRAMES, DISSOLVE_BEGINS = (5, 10), (1, 4)
LEADER_FRAMES, LEADER_GROUND, LEADER_HAND = (16, 25), (0.3, 0.7), 0.6  # a turn of its hand, and the light it leaves
LEADER_INK, LEADER_RINGS, LEADER_RING_LEVEL, LEADER_FROM = 0.05, (0.36, 0.42), 0.92, 8
INSET_SIZE, INSET_FRAME_PX, INSET_INK = 0.45, 2, 0.9
FINE = 4  # times by which covers are drawn more finely


def flashes(frames: list[Frame], _seed: int) -> list[Frame]:
    """Two frames in the light of a flash."""
    return [
        _again(frame, to_rgb(frame) * np.float32(FLASH_GAIN) + np.float32(FLASH_OFFSET)) if place in FLASHES else frame
        for place, frame in enumerate(frames)
    ]


def hunting(frames: list[Frame], seed: int) -> list[Frame]:
    """A camera that looks for its exposure."""
    waves = (math.sin(math.tau * place / HUNTING_FRAMES + seed) for place in range(len(frames)))
    return [
        _again(frame, to_rgb(frame) * np.float32(1 + HUNTING_SHARE * wave))
        for frame, wave in zip(frames, waves, strict=True)
    ]


def fade(frames: list[Frame], seed: int) -> list[Frame]:
    """Out of black or white, into it, or through it."""
    rng = np.random.default_rng((seed, 4))
    ground, way = np.float32(rng.integers(2)), rng.choice(["in", "out", "through"])
    begins, takes = rng.integers(*FADE_BEGINS), rng.integers(*FADE_FRAMES)
    shown = np.clip((np.arange(len(frames)) - begins) / takes, 0.0, 1.0)
    shown = {"in": shown, "out": 1.0 - shown, "through": np.abs(2.0 * shown - 1.0)}[way].astype(np.float32)
    return [
        _again(frame, ground + share * (to_rgb(frame) - ground)) for frame, share in zip(frames, shown, strict=True)
    ]


def poles(frames: list[Frame], seed: int) -> list[Frame]:
    """Near upright things that pass, of any brightness, leaning a little."""
    rng = np.random.default_rng((seed, 5))
    speed = float(rng.uniform(*POLE_SPEED) * rng.choice([-1, 1]))
    height, width = frames[0].format.height, frames[0].format.width
    drawn = [
        (rng.uniform(0, width), rng.uniform(*POLE_PX), rng.uniform(0.08, 0.9), rng.uniform(-0.05, 0.05))
        for _ in range(POLES)
    ]

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        for across, wide, level, lean in drawn:
            top = across + speed * place
            cover = np.zeros((height, FINE * width), np.uint8)
            ends = (round(FINE * top), 0), (round(FINE * (top + lean * height)), height)
            cv2.line(cover, *ends, 255, max(1, round(FINE * wide)))
            yield _share(cover, (width, height)), level

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def going_up(frames: list[Frame], seed: int) -> list[Frame]:
    """Words that go up over the picture."""
    rng = np.random.default_rng((seed, 6))
    speed = float(rng.uniform(*CREDIT_SPEED))
    height, width = frames[0].format.height, frames[0].format.width

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        lines = [
            (words, (0.15 * width, height * (0.3 + CREDIT_LINE * line) - speed * place))
            for line, words in enumerate(CREDITS)
        ]
        yield _words(lines, height / 600, (width, height)), CREDIT_INK

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def card(frames: list[Frame], seed: int) -> list[Frame]:
    """A test card before the picture begins: a grid, a circle, steps of grey and bars that grow finer; all stands."""
    rng = np.random.default_rng((seed, 7))
    height, width = frames[0].format.height, frames[0].format.width
    every, line = int(rng.integers(*CARD_EVERY)), int(rng.integers(1, 3))
    drawn = np.full((height, width), CARD_GROUND, np.float32)
    for place in range(CARD_STEPS):
        left, right = (width * (place + side) // CARD_STEPS for side in (0, 1))
        drawn[height // 6 : height // 3, left:right] = (place + 0.5) / CARD_STEPS
        bars = np.sign(np.sin(np.pi * np.arange(right - left) / (CARD_STEPS - place)))
        drawn[height // 2 : 2 * height // 3, left:right] = 0.5 + 0.4 * bars
    for first in range(line):
        drawn[first + every // 2 :: every], drawn[:, first + every // 2 :: every] = CARD_LINES, CARD_LINES
    cv2.circle(drawn, (width // 2, height // 2), int(0.45 * height), CARD_LINES, 2, cv2.LINE_AA)
    return [_again(frame, _noisy(drawn, rng)) for frame in frames]


def fence(frames: list[Frame], seed: int) -> list[Frame]:
    """A lattice of wire near the camera, that it goes past."""
    rng = np.random.default_rng((seed, 8))
    every, wire, speed = rng.uniform(*MESH_PX), rng.uniform(*WIRE_PX), rng.uniform(*POLE_SPEED)
    height, width = frames[0].format.height, frames[0].format.width
    down, across = np.mgrid[0 : FINE * height, 0 : FINE * width].astype(np.float32) / FINE

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        ways = (np.abs((across + side * down - speed * place) % every - every / 2) for side in (-1, 1))
        yield _share((255 * (np.minimum(*ways) < wire)).astype(np.uint8), (width, height)), FENCE_LEVEL

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def twigs(frames: list[Frame], seed: int) -> list[Frame]:
    """Twigs with leaves near the camera, in the wind."""
    rng = np.random.default_rng((seed, 40))
    height, width = frames[0].format.height, frames[0].format.width
    drawn = [
        (rng.uniform(0, width), rng.uniform(-0.1, 0.5) * height, rng.uniform(*TWIG_LENGTH) * height,
         rng.uniform(0, math.tau), rng.uniform(*TWIG_PX), rng.uniform(0, math.tau), rng.uniform(*TWIG_SWAY_PX))
        for _ in range(TWIGS)
    ]  # fmt: skip

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        cover = np.zeros((FINE * height, FINE * width), np.uint8)
        for x, y, length, way, wide, phase, most in drawn:
            sway = most * math.sin(phase + math.tau * place / TWIG_SWAY_FRAMES)
            end = x + length * math.cos(way) + 2 * sway, y + length * math.sin(way) + sway
            cv2.line(cover, _fine(x, y), _fine(*end), 255, max(1, round(FINE * wide)), cv2.LINE_AA)
            for leaf in range(TWIG_LEAVES):
                along, turn = 0.3 + 0.14 * leaf, 2.1 * leaf
                at = _fine(x + along * (end[0] - x) + LEAF_PX[0] * math.cos(turn),
                           y + along * (end[1] - y) + LEAF_PX[0] * math.sin(turn))  # fmt: skip
                axes = FINE * LEAF_PX[0], FINE * LEAF_PX[1]
                cv2.ellipse(cover, at, axes, 70 * leaf + LEAF_TURN_DEG * sway, 0, 360, 255, cv2.FILLED, cv2.LINE_AA)
        yield _share(cover, (width, height)), TWIG_LEVEL

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def stripes(frames: list[Frame], seed: int) -> list[Frame]:
    """A large round thing of striped cloth that goes by and folds."""
    rng = np.random.default_rng((seed, 38))
    height, width = frames[0].format.height, frames[0].format.width
    every, way, speed = rng.uniform(*STRIPE_PX), rng.uniform(0, math.pi), rng.uniform(*STRIPE_SPEED)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        right, down = x - np.float32(width / 2 + speed * place), y - np.float32(0.55 * height)
        inside = np.clip(STRIPE_ROUND * width - np.hypot(right, 0.8 * down), 0.0, 1.0)
        fold = STRIPE_FOLD_PX * np.sin(y / 40 + place / 6)
        wave = np.sin(math.tau * (right * math.cos(way) + y * math.sin(way) + fold) / every)
        yield np.asarray(inside[..., None], np.float32), STRIPE_LEVELS[0]
        yield np.asarray((inside * (0.5 + 0.5 * np.tanh(STRIPE_HARD * wave)))[..., None], np.float32), STRIPE_LEVELS[1]

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def running_time(frames: list[Frame], seed: int) -> list[Frame]:
    """A running time, as viewing copies have it, before a dark box or without one."""
    rng = np.random.default_rng((seed, 11))
    height, width = frames[0].format.height, frames[0].format.width
    at, scale = (rng.uniform(0.05, 0.4) * width, float(rng.choice([0.12, 0.93])) * height), height / 600
    start, boxed = int(rng.integers(0, 25 * 3600 * 2)), bool(rng.integers(2))
    above, below, beside = (scale * px for px in BOX_PX)
    box = np.zeros((height, width), np.uint8)
    if boxed:
        low = round(at[0] + scale * TIME_PX), round(at[1] + below)
        cv2.rectangle(box, (round(at[0] - beside), round(at[1] - above)), low, 255, cv2.FILLED)

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        seconds, part = divmod(start + place, RATE)
        words = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{part:02d}"
        yield _share(box, (width, height)), TIME_BOX
        yield _words([(words, at)], scale, (width, height)), TIME_INK

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def going_along(frames: list[Frame], seed: int) -> list[Frame]:
    """Words that go along the bottom of the picture on a bar."""
    rng = np.random.default_rng((seed, 13))
    speed, level = float(rng.uniform(*CREDIT_SPEED)), float(rng.uniform(*BAR_LEVEL))
    height, width = frames[0].format.height, frames[0].format.width
    bar = np.zeros((height, width), np.uint8)
    bar[round(BAR[0] * height) : round(BAR[1] * height)] = 255

    def covers(place: int) -> Iterator[tuple[Share, float]]:
        yield _share(bar, (width, height)), level
        yield _words([(ALONG, (-speed * place, ALONG_BASE * height))], height / 600, (width, height)), ALONG_INK

    return [_covered(frame, covers(place)) for place, frame in enumerate(frames)]


def dissolve(frames: list[Frame], seed: int) -> list[Frame]:
    """One shot dissolves into another: itself backwards and upside down."""
    rng = np.random.default_rng((seed, 14))
    begins, takes = int(rng.integers(*DISSOLVE_BEGINS)), int(rng.integers(*DISSOLVE_FRAMES))
    shares = np.clip((np.arange(len(frames)) - begins) / takes, 0.0, 1.0).astype(np.float32)
    return [
        _again(frame, (1 - share) * to_rgb(frame) + share * to_rgb(other)[::-1, ::-1])
        for frame, other, share in zip(frames, frames[::-1], shares, strict=True)
    ]


def leader(frames: list[Frame], seed: int) -> list[Frame]:
    """A leader that counts down: a cross, two rings, a hand that goes round, and a figure."""
    rng = np.random.default_rng((seed, 16))
    height, width = frames[0].format.height, frames[0].format.width
    ground, turn = 255 * float(rng.uniform(*LEADER_GROUND)), int(rng.integers(*LEADER_FRAMES))
    made, middle = [], (width, height)  # drawn at twice the size
    for place, frame in enumerate(frames):
        drawn = np.full((2 * height, 2 * width), round(ground), np.uint8)
        hand = 360 * (place % turn) / turn - 90
        cv2.ellipse(drawn, middle, (2 * width, 2 * width), 0, -90, hand, round(LEADER_HAND * ground), cv2.FILLED)
        cv2.line(drawn, (width, 0), (width, 2 * height), round(255 * LEADER_INK), 2)
        cv2.line(drawn, (0, height), (2 * width, height), round(255 * LEADER_INK), 2)
        for ring in LEADER_RINGS:
            cv2.circle(drawn, middle, round(2 * ring * height), round(255 * LEADER_RING_LEVEL), 6, cv2.LINE_AA)
        figure, where = str(LEADER_FROM - place // turn), (round(width - 0.2 * height), round(1.24 * height))
        cv2.putText(drawn, figure, where, cv2.FONT_HERSHEY_SIMPLEX, height / 45, 8, round(height / 12), cv2.LINE_AA)
        small = cv2.resize(drawn, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32)
        made.append(_again(frame, _noisy(small / np.float32(255.0), rng)))
    return made


def inset(frames: list[Frame], seed: int) -> list[Frame]:
    """The picture, small and framed, within one that stands."""
    rng = np.random.default_rng((seed, 19))
    height, width = frames[0].format.height, frames[0].format.width
    high, wide = round(INSET_SIZE * height), round(INSET_SIZE * width)
    top, left = (INSET_FRAME_PX + round(rng.uniform(0.05, 0.5) * side) for side in (height, width))
    still = to_rgb(frames[0])[:, ::-1].copy()
    px = INSET_FRAME_PX
    still[top - px : top + high + px, left - px : left + wide + px] = INSET_INK
    made = []
    for frame in frames:
        picture = still.copy()
        small = cv2.resize(to_rgb(frame), (wide, high), interpolation=cv2.INTER_AREA)
        picture[top : top + high, left : left + wide] = small
        made.append(_again(frame, picture))
    return made


def _words(lines: list[tuple[str, tuple[float, float]]], scale: float, size: tuple[int, int]) -> Share:
    cover = np.zeros((FINE * size[1], FINE * size[0]), np.uint8)
    for words, at in lines:
        where = round(FINE * at[0]), round(FINE * at[1])
        cv2.putText(cover, words, where, cv2.FONT_HERSHEY_SIMPLEX, FINE * scale, 255, 2 * FINE, cv2.LINE_AA)
    return _share(cover, size)


def _fine(x: float, y: float) -> tuple[int, int]:
    return round(FINE * x), round(FINE * y)


def _noisy(drawn: Share, rng: np.random.Generator) -> Rgb:
    return np.repeat((drawn + rng.normal(0, CARD_NOISE, drawn.shape))[..., None], 3, axis=2).astype(np.float32)


HAPPENINGS: dict[str, Callable[[list[Frame], int], list[Frame]]] = {
    "flashes": flashes, "exposure that hunts": hunting, "fade": fade, "near poles": poles, "credits": going_up,
    "test card": card, "fence": fence, "running time": running_time, "words along the bottom": going_along,
    "dissolve": dissolve, "leader": leader, "inset": inset, "twigs": twigs, "striped cloth": stripes,
}  # fmt: skip


def _share(cover: npt.NDArray[np.uint8], size: tuple[int, int]) -> Share:
    small = cv2.resize(cover, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    return np.asarray(small[..., None] / np.float32(255.0), np.float32)


def _covered(frame: Frame, covers: Iterator[tuple[Share, float]]) -> Frame:
    picture = to_rgb(frame).copy()
    for share, level in covers:
        picture += share * (np.float32(level) - picture)
    return _again(frame, picture)


def _again(frame: Frame, picture: Rgb) -> Frame:
    return from_rgb(frame, np.asarray(np.clip(picture, 0.0, 1.0), np.float32)).rounded()
