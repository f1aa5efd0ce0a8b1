"""A found band as boxes that a person corrects: one for each dark place that rolls through the picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.bands import Band
from grevin.core.steps.bands.study import bands_of
from grevin.core.steps.seen import Arrays

Values = npt.NDArray[np.float64]

POINTS = 400  # of a period, at which its shape is looked at
QUARTER, HALF, MOST = 0.25, 0.5, 0.75  # shares of the depth between which a box fades in
NEAR = 0.25  # of a period: how far a dark place may be from where it was bound to go
KEY_EVERY = 6  # frames between key frames of a box
MOST_BOXES = 60  # more cannot be corrected by hand
STOPS_A_HALVING = 2.2  # of R'G'B': its exponent is near 1 / 2.2 (common practice, no source)


@dataclass(frozen=True)
class MovingBox:
    """A box with a soft edge that goes over the picture.

    Attributes:
        feather_px: over which its say fades towards its edge.
        places: frame before the step, and left, top, width and height in pixels.
    """

    feather_px: float
    places: tuple[tuple[int, tuple[float, float, float, float]], ...]


@dataclass(frozen=True)
class _Shape:
    """The dark place of a wave, in periods: its middle, its width at half of the depth, the way on which it fades."""

    middle: float
    width: float
    fade: float


def passages(study: Arrays, size: tuple[int, int]) -> tuple[tuple[MovingBox, ...], float]:
    """Boxes over the dark places of the band, and the exposure that brings them up, in stops.

    Outside the shot, and while no dark place is in sight, all of them lie beside the picture.

    Args:
        study: of the step, for a shot.
        size: (width, height) of the picture in pixels.
    """
    if not study["acts"].any():
        return (), 0.0
    bands = bands_of(study)
    shapes = [_shape(band) for band in bands]
    period = float(np.median([band.period for band in bands]))
    shape = shapes[int(np.argmax(study["acts"]))]
    reach = period * (shape.width + shape.fade) / 2
    per_frame, length = int(study["per_frame"][0]), int(study["stretches"][-1][1])
    first = int(study["first"][0]) // per_frame
    ways: list[list[tuple[int, float]]] = []
    bound = _bound(period, bands, per_frame)
    for frame in range(length // per_frame):
        for middle in _middles(study, bands, shapes, per_frame * frame, reach):
            last = next((way for way in ways if way[-1][0] == frame - 1 and abs(way[-1][1] - middle) < bound), None)
            if last is None:
                ways.append([(frame, middle)])
            else:
                last.append((frame, middle))
    depth = -math.log(1.0 - float(np.median(study["bands"][study["acts"]][:, 4])))
    boxes = tuple(_box(way, first, period, shape, size) for way in ways[:MOST_BOXES])
    return boxes, round(STOPS_A_HALVING * depth / math.log(2.0), 2)


def _bound(period: float, bands: list[Band], per_frame: int) -> float:
    """How far a dark place may go in a frame, in shares of the picture's height."""
    return period * (NEAR + per_frame * max(abs(band.phase) for band in bands))


def _shape(band: Band) -> _Shape:
    """Of a wave, whatever of it is in sight."""
    wave = band.at(0, np.arange(POINTS) / POINTS * band.period, np.zeros(POINTS), 1)
    dark = (wave.max() - wave) / max(float(np.ptp(wave)), 1e-9)
    deepest = int(dark.argmax())
    turned = np.roll(dark, POINTS // 2 - deepest)

    def ends(share: float) -> tuple[int, int]:
        """Of the run of dark places around the deepest one."""
        above = np.flatnonzero(turned < share)
        left, right = above[above < POINTS // 2], above[above > POINTS // 2]
        return int(left.max(initial=-1)) + 1, int(right.min(initial=POINTS))

    (wide_from, wide_to), (start, stop), (deep_from, deep_to) = (ends(share) for share in (QUARTER, HALF, MOST))
    middle = ((start + stop) / 2 - POINTS // 2 + deepest) / POINTS
    return _Shape(middle, (stop - start) / POINTS, max(0.02, (wide_to - wide_from - deep_to + deep_from) / POINTS))


def _middles(study: Arrays, bands: list[Band], shapes: list[_Shape], place: int, reach: float) -> list[float]:
    """Rows of the dark places on a frame in the middle of the picture, in shares of its height."""
    inside = [
        number
        for number, ((start, stop), acts) in enumerate(zip(study["stretches"], study["acts"], strict=True))
        if acts and start <= place < stop
    ]
    if not inside:
        return []
    number = max(inside, key=lambda one: min(place - study["stretches"][one][0], study["stretches"][one][1] - place))
    band = bands[number]
    lean = band.slant * float(study["aspect"][0]) / 2
    at = shapes[number].middle + band.phase * place
    lowest = math.ceil((-reach + lean) / band.period - at)
    highest = math.floor((1.0 + reach + lean) / band.period - at)
    return [(at + turn) * band.period - lean for turn in range(lowest, highest + 1)]


def _box(way: list[tuple[int, float]], first: int, period: float, shape: _Shape, size: tuple[int, int]) -> MovingBox:
    """As wide as the picture, as high as what is dark, fading as the band does."""
    width, height = size
    feather = max(1.0, round(period * shape.fade * height, 1))
    tall = round(period * (shape.width + shape.fade) * height, 1)

    def placed(frame: int, middle: float) -> tuple[int, tuple[float, float, float, float]]:
        return first + frame, (-feather, round(middle * height - tall / 2, 1), width + 2.0 * feather, tall)

    beside = -(tall + 1.0) / height if way[0][1] <= way[-1][1] else 1.0 + (tall + 1.0) / height
    chosen = sorted({*range(0, len(way), KEY_EVERY), len(way) - 1})
    places = [placed(*way[number]) for number in chosen]
    if places[0][0] > 0:
        places.insert(0, placed(way[0][0] - 1, beside))
    places.append(placed(way[-1][0] + 1, 1.0 - beside))
    return MovingBox(feather, tuple(places))
