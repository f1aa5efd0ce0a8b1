"""What moves in Port Ellery: tram, people, boats, rowers, ferry, gulls."""

from __future__ import annotations

import math

import numpy as np

from grevin.demo.painting import Brush, Colour

CREAM: Colour = (228, 214, 178)
GREEN: Colour = (58, 96, 84)
SKIN: Colour = (208, 164, 136)
GLASS: Colour = (64, 76, 84)


def draw_tram(brush: Brush, time: float) -> None:
    """The quay tram, 330 long and 130 high; the origin is the rail at its left end."""
    brush.box(10, -16, 310, 12, (40, 38, 38))
    for x in (52, 92, 238, 278):
        brush.disc(x, -9, 11, 11, (58, 54, 52))
        brush.disc(x, -9, 4, 4, (112, 106, 100))
        turn = time * 0.9
        brush.line([(x, -9), (x + 9 * math.cos(turn), -9 + 9 * math.sin(turn))], (130, 122, 114), 2)
    brush.box(0, -64, 330, 50, GREEN)
    brush.box(0, -120, 330, 58, CREAM)
    brush.box(0, -66, 330, 4, (198, 170, 92))
    brush.shape([(6, -120), (20, -132), (310, -132), (324, -120)], (150, 142, 128))
    for index in range(8):
        left = 14 + index * 38.5
        brush.box(left, -112, 31, 36, GLASS)
        brush.box(left, -112, 31, 7, (108, 120, 122))
        if index not in (3, 6):
            head = 4 * math.sin(time * 0.05 + index)
            brush.disc(left + 15 + head, -86, 6, 8, (120, 98, 88))
    brush.box(146, -110, 36, 92, (86, 122, 106))
    brush.box(152, -104, 24, 44, GLASS)
    brush.words("PORT ELLERY QUAY", 30, -34, 12, CREAM)
    brush.disc(322, -40, 5, 5, (240, 226, 170))
    brush.line([(165, -132), (120, -196)], (60, 58, 56), 3)


def draw_person(brush: Brush, time: float, coat: Colour, height: float = 60.0, hat: bool = True) -> None:
    """A walker; the origin is between the feet."""
    unit = height / 60.0
    swing = math.sin(time * 0.55)
    dark = (coat[0] * 0.6, coat[1] * 0.6, coat[2] * 0.6)
    for side in (-1, 1):
        reach = 7 * swing * side * unit
        brush.line([(0, -26 * unit), (reach, 0)], (52, 48, 50), 4.5 * unit)
        brush.line([(0, -46 * unit), (-1.1 * reach, -26 * unit)], dark, 4 * unit)
    brush.shape(
        [(-6 * unit, -48 * unit), (6 * unit, -48 * unit), (8 * unit, -22 * unit), (-8 * unit, -22 * unit)], coat
    )
    brush.disc(0, -54 * unit, 4.4 * unit, 5.2 * unit, SKIN)
    if hat:
        brush.box(-6 * unit, -59 * unit, 12 * unit, 2.4 * unit, dark)
        brush.box(-4 * unit, -63 * unit, 8 * unit, 5 * unit, dark)


def draw_sailing_boat(brush: Brush, time: float, hull: Colour, sail: Colour) -> None:
    """A moored sailing boat that bobs; the origin is its water line amidships."""
    lean = 2.2 * math.sin(time * 0.09)
    brush.shape([(-46, -12), (48, -14), (38, 3), (-38, 3)], hull)
    brush.line([(-46, -12), (48, -14)], (226, 218, 200), 2)
    brush.box(-20, -22, 26, 9, (216, 206, 184))
    top = (lean * 3, -118)
    brush.line([(0, -12), top], (96, 78, 62), 3)
    brush.shape([(2, -22), (4 + lean * 2.6, -110), (36 + lean, -24)], sail)
    brush.line([top, (-44, -12)], (90, 84, 80), 1)
    brush.shape([(-36, 5), (36, 5), (22, 15), (-22, 15)], (64, 76, 78))


def draw_rowing_boat(brush: Brush, time: float, hull: Colour, shirt: Colour) -> None:
    """A racing four at speed; the origin is its water line amidships, its length about 300."""
    stroke = math.sin(time * 0.42)
    brush.shape([(-150, -5), (-120, -11), (120, -11), (152, -6), (110, 3), (-110, 3)], hull)
    brush.line([(-150, -6), (150, -7)], (234, 226, 208), 2)
    for seat in range(4):
        x = -78 + seat * 50 + 6 * stroke
        tilt = 8 * stroke
        brush.line([(x, -12), (x + tilt, -36)], shirt, 10)
        brush.disc(x + tilt * 1.2, -44, 6, 7, SKIN)
        hand = (x + 16 + 9 * stroke, -24)
        brush.line([(x + tilt, -32), hand], SKIN, 4)
        lift = 12 * max(0.0, math.cos(time * 0.42))
        blade = (x - 26 + 46 * stroke, 22 - lift)
        brush.line([hand, blade], (206, 186, 150), 2.5)
        brush.line([blade, (blade[0] - 9, blade[1] + 3)], (188, 78, 60), 6)
        if lift < 2:
            brush.disc(blade[0], blade[1] + 4, 11, 3, (212, 220, 216))
    cox = 116 + 2 * stroke
    brush.line([(cox, -10), (cox, -30)], (70, 74, 96), 10)
    brush.disc(cox, -37, 5.5, 6.5, SKIN)
    brush.shape([(-158, 4), (-190, 9), (-240, 8), (-160, 0)], (176, 190, 188))


def draw_ferry(brush: Brush, time: float) -> None:
    """The lighthouse ferry; the origin is its water line amidships, its length about 340."""
    brush.shape([(-170, -34), (176, -42), (150, 4), (-150, 4)], (44, 52, 66))
    brush.line([(-170, -34), (176, -42)], (222, 214, 196), 3)
    brush.box(-150, -6, 296, 8, (142, 62, 52))
    brush.box(-120, -70, 220, 34, (226, 220, 204))
    brush.box(-84, -96, 130, 26, (214, 206, 188))
    brush.box(-2, -119, 46, 24, (190, 150, 104))
    for index in range(9):
        brush.disc(-104 + index * 24, -53, 6, 6, GLASS)
    for index in range(5):
        brush.box(-76 + index * 24, -90, 16, 12, GLASS)
    brush.box(6, -114, 34, 11, GLASS)
    brush.shape([(-44, -96), (-40, -142), (-14, -142), (-10, -96)], (174, 84, 60))
    brush.box(-41, -142, 28, 10, (40, 40, 42))
    for index in range(7):
        head = 1.5 * math.sin(time * 0.2 + index * 1.7)
        brush.disc(-110 + index * 9 + head, -76, 3.4, 4.6, SKIN)
        brush.box(-113.5 + index * 9 + head, -72, 7, 6, (70 + 22 * index, 84, 110 - 8 * index))
    brush.line([(110, -42), (110, -104)], (120, 112, 104), 2)
    wave = 4 * math.sin(time * 0.5)
    brush.shape([(110, -104), (136, -100 + wave), (110, -92)], (196, 84, 62))
    brush.shape([(150, 2), (188, 7), (120, 10), (-150, 9), (-180, 5)], (196, 206, 202))


def smoke_puffs(time: float, count: int = 14) -> list[tuple[float, float, float, float]]:
    """(x, y, radius, opacity) of the ferry's smoke, relative to the funnel's mouth."""
    puffs = []
    for index in range(count):
        age = (time * 0.35 + index * 3.0) % (count * 3.0)
        drift = 2.6 * age + 5 * math.sin(index * 2.3)
        puffs.append((-drift, -1.6 * age, 5 + 0.75 * age, 0.34 * (1 - age / (count * 3.0))))
    return puffs


def draw_gull(brush: Brush, time: float) -> None:
    """A gull on the wing, some 26 across."""
    flap = 7 * math.sin(time * 0.6)
    white = (238, 234, 224)
    brush.shape([(-14, -flap), (-2, -3), (0, 1), (-12, 1 - flap * 0.8)], white)
    brush.shape([(14, -flap), (2, -3), (0, 1), (12, 1 - flap * 0.8)], (214, 212, 206))
    brush.disc(0, -1, 5, 2.2, white)


def coats(seed: int, count: int) -> list[Colour]:
    """Colours of coats."""
    rng = np.random.default_rng(seed)
    choices: tuple[Colour, ...] = (
        (96, 62, 58), (58, 70, 96), (118, 106, 84), (150, 82, 66), (72, 88, 78), (182, 166, 140), (66, 60, 66),
    )  # fmt: skip
    return [choices[int(rng.integers(len(choices)))] for _ in range(count)]
