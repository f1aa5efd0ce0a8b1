"""Reels of Port Ellery whose surface is hurt, each with what is true of it.

The regatta on 16 mm film that ran over a burr: a dark scratch over the whole height that wanders, a broken one that
shows in blue alone, and a thin bright one that comes in the middle of the shot. The harbour through a sensor with three
specks of dust, under clouds that pass. The ferry into the sun, a flare on the lens for four seconds. A shop on the
quay with a screen that flickers, people before it.
"""

from __future__ import annotations

from dataclasses import asdict
from functools import lru_cache

import cv2
import numpy as np

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.damage.spot import Spot, SpotDamage
from grevin.demo.moving_things import coats, draw_person
from grevin.demo.painting import Brush, Picture, gradient
from grevin.demo.scenery import Sky, draw_quay_front, paving
from grevin.demo.shots import HEIGHT, WIDTH, lay_over
from grevin.demo.time_reels import FERRY, HARBOUR, PAL, REGATTA, SEED, TAPE_NOISE, TimeReel, drawn, noisy

LENGTH = 60
LINES = (
    Line(0.37, 3.0, -30.0, "grey", 0.35, 3.0, 1.5),
    Line(0.62, 3.0, 55.0, "blue", 0.3, -4.0, 1.0, 0.1, 0.75),
    Line(0.81, 1.5, 34.0, "grey", 0.4, 2.0, 0.5, 0.35, 1.0, 20),
)
SCRATCHES = ScratchDamage(SEED, lines=LINES)
SPOTS = (Spot(0.2, 0.42, 11.0, 0.2), Spot(0.55, 0.34, 8.0, 0.14), Spot(0.78, 0.62, 14.0, 0.24))
DUST = SpotDamage(SEED, spots=SPOTS)
HURRY = 2.5  # how much faster the camera pans than on the first reel
CLOUD_DEPTH, CLOUD_FRAMES = 0.22, 34.0  # of the light that a cloud takes, and frames after which the next one comes
FLARE_FRAMES = (18, 118)  # first, and first without it: four seconds
FLARE_LEVELS, FLARE_PX = 70.0, 34.0
FLARE_WAY = ((0.7, 0.86), (0.5, 0.82))  # across and down, from its first frame to its last
FERRY_LENGTH = 132
SCREEN = (300, 178, 150, 92)  # left, top, width, height: px of the reel
SCREEN_DEPTH, SCREEN_TURN = 0.3, 1.7  # of its light, and radians a frame
WALKERS = ((-40.0, 9.0, 176.0), (760.0, -7.5, 150.0))  # place, px a frame, height


def unscratched(number: int) -> Frame:
    """The frame as it would be without scratches."""
    return noisy(number, drawn(REGATTA, number, PAL), PAL, TAPE_NOISE)


def _scratched(number: int) -> Frame:
    return SCRATCHES.add(unscratched(number))[0]


def under_clouds(number: int) -> Frame:
    """The harbour as it would be without dust on the sensor."""
    light = 1.0 - CLOUD_DEPTH * (0.5 - 0.5 * np.cos(2 * np.pi * number / CLOUD_FRAMES))
    return noisy(
        number, np.asarray(drawn(HARBOUR, HURRY * number, PAL) * np.float32(light), np.float32), PAL, TAPE_NOISE
    )


def _through_dust(number: int) -> Frame:
    return DUST.add(under_clouds(number))[0]


def flare_at(number: int) -> tuple[float, float, float]:
    """Across and down, px, and strength 0..1 of the flare on a frame."""
    first, stop = FLARE_FRAMES
    share = (number - first) / (stop - first)
    (x, y), (later_x, later_y) = FLARE_WAY
    place = (x + share * (later_x - x)) * PAL.width, (y + share * (later_y - y)) * PAL.height
    return *place, float(np.sin(np.pi * min(1.0, max(0.0, share))) ** 2)


def without_flare(number: int) -> Frame:
    """The ferry as it would be with the sun behind the camera."""
    return noisy(number, drawn(FERRY, 0.6 * number, PAL), PAL, TAPE_NOISE)


def _flared(number: int) -> Frame:
    x, y, strength = flare_at(number)
    down, across = np.mgrid[0 : PAL.height, 0 : PAL.width].astype(np.float32)
    glow = np.exp(-(np.square(across - x) + np.square(down - y)) / FLARE_PX**2)[..., None]
    tint = np.array([1.0, 0.86, 0.6], np.float32) * np.float32(FLARE_LEVELS / 255 * strength)
    return noisy(number, drawn(FERRY, 0.6 * number, PAL) + glow * tint, PAL, TAPE_NOISE)


@lru_cache(maxsize=1)
def _quay_shop() -> Picture:
    """(720, 960, 3) the shop by itself, its screen dark."""
    picture = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    Sky(WIDTH, 260, 21, 0.1).paint(picture, 0.0)
    picture[440:] = paving(WIDTH, HEIGHT - 440, 23)
    lay_over(picture, *draw_quay_front(WIDTH + 60, 470, 452, 24, 1.9), 0.0)
    return picture


def shop(number: int, flickers: bool) -> Frame:
    """The shop with people before it; its screen at rest, or not."""
    picture = _quay_shop().copy()
    across, down = WIDTH / PAL.width, HEIGHT / PAL.height
    left, top, width, height = (round(v * s) for v, s in zip(SCREEN, (across, down, across, down), strict=True))
    glow = gradient(height, width, (120, 150, 190), (60, 84, 120)).astype(np.float32)
    glow *= 0.75 + 0.25 * np.sin(np.arange(width) / 9.0)[None, :, None]
    if flickers:
        glow *= 1 + SCREEN_DEPTH * np.sin(SCREEN_TURN * number + np.linspace(0, 2.5, height))[:, None, None]
    picture[top : top + height, left : left + width] = np.clip(glow, 0, 255).astype(np.uint8)
    brush = Brush(picture)
    for place, ((start, step, tall), coat) in enumerate(zip(WALKERS, coats(26, 2), strict=True)):
        draw_person(brush.moved(start + step * number, 470 + 60 * place), 1.1 * number + 9 * place, coat, 1.6 * tall)
    small = cv2.resize(picture, (PAL.width, PAL.height), interpolation=cv2.INTER_AREA)
    return noisy(number, np.asarray(small.astype(np.float32) / np.float32(255), np.float32), PAL, TAPE_NOISE)


def _flickering_shop(number: int) -> Frame:
    return shop(number, flickers=True)


def surface_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    lines, spots = {"lines": [asdict(line) for line in LINES]}, {"spots": [asdict(spot) for spot in SPOTS]}
    return (
        TimeReel("regatta-with-scratches", PAL, LENGTH, _scratched, lines),
        TimeReel("harbour-through-dust", PAL, LENGTH, _through_dust, spots),
        TimeReel("ferry-into-the-sun", PAL, FERRY_LENGTH, _flared, {"flare_frames": list(FLARE_FRAMES)}),
        TimeReel("shop-with-a-screen", PAL, LENGTH, _flickering_shop, {"screen": list(SCREEN)}),
    )
