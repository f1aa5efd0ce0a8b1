"""Reels of Port Ellery whose time has to be put right, each with what is true of it.

A home movie taken several times a frame, a regatta at half its speed, a tape of local television with film in it, and
a ferry with a pause of the camera. All from the shots of the demo reel.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import from_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.demo.reel import DEMO_FORMAT, DemoReel
from grevin.demo.shots import Shot, make_shots

Rgb = npt.NDArray[np.float32]

SMALL_GAUGE = replace(DEMO_FORMAT, width=640, height=480, rate=Fraction(25))
PAL = replace(DEMO_FORMAT, width=768, height=576, rate=Fraction(25), matrix="bt601", colour_tags=(5, 5, 5, 1))
NTSC = replace(
    DEMO_FORMAT, width=720, height=480, chroma="4:2:2", rate=Fraction(30000, 1001), matrix="bt601",
    pixel_aspect=Fraction(8, 9), field_order="bottom_first", colour_tags=(6, 6, 6, 1),
)  # fmt: skip
SEED = 1968
HARBOUR, QUAY, REGATTA, FERRY = range(4)  # shots of the demo reel

FILM_FRAMES, CAPTURES, VARY = 32, 7, 2
TREMBLE_PX, EXPOSURE, CAMERA_NOISE = 0.25, 0.012, 1.5  # of the camera before the projector; noise in 8-bit levels
HALF_SPEED_PICTURES = 48
LENS_PX = 0.8  # of the camera, at the size of the shots
TAPE_NOISE = 1.5  # 8-bit levels, new on every frame of a tape
VIDEO_FRAMES, FILM_ON_TAPE = 40, 40  # of the tape: true interlace, then film over fields
BEFORE_PAUSE, AFTER_PAUSE, PAUSED, FLASHED = 26, 26, 10, 2  # frames; the camera stood for some and flashed two


@dataclass(frozen=True)
class TimeReel:
    """One reel.

    Attributes:
        name: of its file.
        format: of its frames.
        length: frames.
        make: draws frame n; the same picture each time.
        truth: what is true of it.
    """

    name: str
    format: PictureFormat
    length: int
    make: Callable[[int], Frame]
    truth: dict[str, Any] = field(default_factory=dict)


@lru_cache(maxsize=1)
def _shots() -> tuple[Shot, ...]:
    return make_shots()


@lru_cache(maxsize=1)
def _film() -> DemoReel:
    return DemoReel()


@lru_cache(maxsize=12)
def _on_film(shot: int, time: float, width: int, height: int) -> Rgb:
    """(H, W, 3) float32 0..1: a picture of a shot on film, at some size."""
    picture = _film().on_film(_shots()[shot].paint(time), round(4 * time) + 1000 * shot)
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.float32)


def as_frame(number: int, picture: Rgb, fmt: PictureFormat) -> Frame:
    """A picture of R'G'B' 0..1 as a frame."""
    blank = Frame(number, fmt, tuple(np.zeros(shape, np.uint8) for shape in fmt.plane_shapes()))
    return Frame(number, fmt, from_rgb(blank, np.clip(picture, 0, 1)).rounded().planes)


def _noise(seed: tuple[int, ...], shape: tuple[int, ...], levels: float) -> Rgb:
    return np.asarray(np.random.default_rng(seed).normal(0, levels / 255, shape), np.float32)


def drawn(shot: int, time: float, fmt: PictureFormat) -> Rgb:
    """(H, W, 3) float32 0..1: a picture of a shot on film, at the size of a format."""
    return _on_film(shot, time, fmt.width, fmt.height)


@lru_cache(maxsize=12)
def painted(shot: int, time: float, fmt: PictureFormat) -> Rgb:
    """(H, W, 3) float32 0..1: a picture of a shot through the lens, at the size of a format, without film or noise."""
    soft = cv2.GaussianBlur(_shots()[shot].paint(time), (0, 0), LENS_PX).astype(np.float32) / np.float32(255)
    return np.asarray(cv2.resize(soft, (fmt.width, fmt.height), interpolation=cv2.INTER_AREA), np.float32)


def noisy(number: int, picture: Rgb, fmt: PictureFormat, levels: float) -> Frame:
    """A picture as a frame of a tape, with its noise."""
    return as_frame(number, picture + _noise((SEED, number, 5), picture.shape, levels), fmt)


def captured_home_movie() -> TimeReel:
    """Super 8 at 18 frames/s, every film frame taken seven times, give or take two, and once while the film moved."""
    lengths = np.random.default_rng(SEED).integers(CAPTURES - VARY, CAPTURES + VARY + 1, FILM_FRAMES)
    places: list[tuple[float, bool]] = []  # film frame, and whether it is a transition picture
    sets: list[list[int]] = []
    for frame, length in enumerate(lengths):
        sets.append([len(places), len(places) + int(length)])
        places += [(frame, False)] * int(length)
        places += [(frame, True)] if frame + 1 < FILM_FRAMES else []

    def make(number: int) -> Frame:
        frame, moving = places[number]
        rng = np.random.default_rng((SEED, number))
        size = (SMALL_GAUGE.width, SMALL_GAUGE.height)
        picture = _on_film(HARBOUR, 1.33 * frame, *size)
        if moving:
            share = np.float32(rng.uniform(0.3, 0.7))
            picture = (1 - share) * picture + share * _on_film(HARBOUR, 1.33 * (frame + 1), *size)
        move = np.array([[1, 0, rng.normal(0, TREMBLE_PX)], [0, 1, rng.normal(0, TREMBLE_PX)]])
        moved = cv2.warpAffine(picture, move, size, borderMode=cv2.BORDER_REPLICATE)
        picture = np.asarray(moved * np.float32(1 + rng.normal(0, EXPOSURE)), np.float32)
        return as_frame(number, picture + _noise((SEED, number, 1), picture.shape, CAMERA_NOISE), SMALL_GAUGE)

    truth = {"sets": sets, "film_frames": FILM_FRAMES, "film_speed": 18}
    return TimeReel("harbour-super8-captures", SMALL_GAUGE, len(places), make, truth)


def regatta_at_half_speed() -> TimeReel:
    """Twelve and a half pictures a second at 25: each is there twice, the second time off a dub with its own noise."""

    def make(number: int) -> Frame:
        picture = _on_film(REGATTA, float(number // 2), PAL.width, PAL.height)
        return as_frame(number, picture + _noise((SEED, number, 2), picture.shape, TAPE_NOISE), PAL)

    repeats = list(range(1, 2 * HALF_SPEED_PICTURES, 2))
    return TimeReel("regatta-half-speed", PAL, 2 * HALF_SPEED_PICTURES, make, {"repeats": repeats, "true_rate": "25/2"})


def evening_tape() -> TimeReel:
    """Local television: the tram by video camera, interlaced; then film of the regatta over two and three fields."""

    def video_field(place: int) -> Rgb:
        return _camera(_shots()[QUAY].paint(20 + 0.4 * place))

    def film_field(place: int) -> Rgb:
        return _camera(_shots()[REGATTA].paint(float(film_pictures[place])))

    film_pictures = [picture for picture in range(FILM_ON_TAPE) for _ in range(2 + picture % 2)]

    def make(number: int) -> Frame:
        video = number < VIDEO_FRAMES
        first = 2 * number if video else 2 * (number - VIDEO_FRAMES)
        source = video_field if video else film_field
        earlier, later = source(first), source(first + 1)
        picture = later.copy()
        picture[1::2] = earlier[1::2]  # the bottom field comes first
        return as_frame(number, picture, NTSC)

    truth = {"cut": VIDEO_FRAMES, "kinds": ["interlaced", "film"], "field_order": "bottom_first"}
    return TimeReel("evening-tape", NTSC, 2 * VIDEO_FRAMES, make, truth)


def film_on_tape(picture: int) -> Frame:
    """A picture of the film on the evening tape, whole, as it was before it was spread over fields."""
    return as_frame(picture, _camera(_shots()[REGATTA].paint(float(picture))), NTSC)


def _camera(picture: npt.NDArray[np.uint8]) -> Rgb:
    """A picture as a television camera scans it: few samples a line, its lines softened (1-2-1)."""
    small = cv2.resize(picture, (NTSC.width, NTSC.height), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    kernel = np.array([[0.25], [0.5], [0.25]], np.float32)
    return np.asarray(cv2.filter2D(cv2.GaussianBlur(small, (0, 0), 0.7, sigmaY=0.01), -1, kernel), np.float32)


def ferry_with_a_pause() -> TimeReel:
    """The ferry; the camera stood still for a moment, its first two frames after that flashed by slow starting."""
    bad = [BEFORE_PAUSE, BEFORE_PAUSE + 1]

    def make(number: int) -> Frame:
        time = number if number < BEFORE_PAUSE else number + PAUSED
        picture = _on_film(FERRY, float(time), DEMO_FORMAT.width, DEMO_FORMAT.height)
        if number in bad:
            picture = np.asarray(0.35 * picture + np.float32(0.62 - 0.08 * (number - bad[0])), np.float32)
        return as_frame(number, picture, DEMO_FORMAT)

    length = BEFORE_PAUSE + FLASHED + AFTER_PAUSE
    return TimeReel("ferry-with-a-pause", DEMO_FORMAT, length, make, {"bad": bad, "paused_frames": PAUSED})


def time_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    return captured_home_movie(), regatta_at_half_speed(), evening_tape(), ferry_with_a_pause()
