"""How far colour runs out along the lines: its sharpest upright edges, beside its level ones and those of brightness.

Recordings of low bandwidth for colour, as of home tape, leave no upright edge of colour sharper than the low-pass was,
whatever was filmed. Lenses, pans and codecs soften brightness too, and small colour planes soften level edges as well:
what is left is the low-pass. The steepest slope over the whole step of an edge gives its width (the slope of a step
behind a Gaussian low-pass; standard signal theory, no source).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.resampling import KERNELS, resized

ALONG, ACROSS = 1.5, 1.0  # standard deviations, samples: of the low-pass along an edge and over it, against noise
LEAST_STEP = 14.0  # 8-bit levels of an edge that is looked at
LEAST_OVER_NOISE = 8.0  # the same over the standard deviation of the noise
RIM = 0.05  # of the picture, on every side: twice what blanking takes on tape (common practice, no source)
FEWEST_VALUES = 8  # levels that colour has: drawings of a few colours may have even widths
ALONE = 0.8  # of its step, that a line goes back beside an edge at most: thin things look sharper than the low-pass
FEWEST = 200  # edges, of all frames together, that say something
SHARPEST = 10.0  # percentile that stands for the sharpest: single ones are chance
# of a low-pass that is certain: the open clips that rules are set on, as they are, reach 1.11 samples
LEAST_SAMPLES, LEAST_PX = 1.25, 2.5
TEN_TO_NINETY = 2.563  # standard deviations from 10 to 90 % of a step behind a Gaussian low-pass
SLOPE_TO_SIGMA = 1.0 / np.sqrt(2.0 * np.pi)  # of a step behind a Gaussian low-pass, over its steepest slope
MEDIAN_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
# second differences in both ways; of white noise it gives six times the noise (Immerkaer 1996, "Fast noise variance
# estimation")
NOISE_KERNEL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)

Plane = npt.NDArray[np.float32]
Widths = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Edges:
    """The sharpest edges of a shot, standard deviations of a Gaussian low-pass in samples of colour.

    Attributes:
        upright: NaN where too few tell, as of the other.
        level: the same of level ones.
    """

    upright: float
    level: float


@dataclass(frozen=True)
class Smear:
    """Of a shot.

    Attributes:
        colour: its sharpest edges.
        light: those of brightness, at the size of the colour planes.
        is_doubled: whether every second sample of colour along a line repeats the one before.
    """

    colour: Edges
    light: Edges
    is_doubled: bool = False

    def along(self, across: float, down: float) -> float:
        """Standard deviation of the low-pass along the lines, in samples of colour; 0 where none is certain.

        Args:
            across: pixels of a sample of colour.
            down: lines of the frame, of one.
        """
        more = self.colour.upright**2 - self.light.upright**2
        both_ways = float(np.maximum(self.colour.level**2 - self.light.level**2, 0.0)) * (down / across) ** 2
        least = max(LEAST_SAMPLES, LEAST_PX / across)
        return float(np.sqrt(more - both_ways)) if more - both_ways >= least * least else 0.0  # unknown is not


def smear_of(frames: Iterable[tuple[Plane, list[Plane]]], fewest: int = FEWEST) -> Smear:
    """Of some frames of a shot.

    Args:
        frames: brightness (H, W) and both colour planes at their own size, of each, float32 in 8-bit levels.
        fewest: edges of each kind, of all frames together, that say something.
    """
    found: dict[str, list[Widths]] = {"upright": [], "level": [], "light upright": [], "light level": []}
    doubled = []
    for luma, colours in frames:
        light = resized(luma, (colours[0].shape[0], colours[0].shape[1]), KERNELS["cubic"])
        for name, planes in (("", colours), ("light ", [light])):
            found[f"{name}upright"].append(widths_of(planes))
            found[f"{name}level"].append(widths_of([np.ascontiguousarray(plane.T) for plane in planes]))
        doubled.append(is_doubled(colours))
    widths = {name: sharpest(some, fewest) for name, some in found.items()}
    light_edges = Edges(widths["light upright"], widths["light level"])
    return Smear(Edges(widths["upright"], widths["level"]), light_edges, bool(doubled) and all(doubled))


def widths_of(planes: list[Plane]) -> Widths:
    """(n,) float32 widths of upright edges, standard deviations in samples; for level ones give the planes turned.

    What lies at the rim is left out: there blanking ends, which nothing smeared.

    Args:
        planes: (H, W) float32 each, 8-bit levels.
    """
    return np.concatenate([_widths(_inner(plane)) for plane in planes]) if planes else np.zeros(0, np.float32)


def sharpest(widths: list[Widths], fewest: int = FEWEST) -> float:
    """Of the edges of several frames; NaN where there are fewer than that."""
    every = np.concatenate(widths) if widths else np.zeros(0, np.float32)
    return float(np.percentile(every, SHARPEST)) if len(every) >= fewest else float("nan")


def is_doubled(planes: list[Plane]) -> bool:
    """Whether every sample at an even place is repeated behind it, and none in general: 4:1:1 in wider planes."""
    pairs = [(plane[:, : plane.shape[1] // 2 * 2 : 2], plane[:, 1::2]) for plane in planes]
    is_twice = all(np.array_equal(one[:, : other.shape[1]], other) for one, other in pairs)
    return is_twice and any(len(np.unique(plane)) > FEWEST_VALUES for plane in planes)


def _inner(plane: Plane) -> Plane:
    rows, columns = (round(RIM * length) for length in plane.shape)
    return np.ascontiguousarray(plane[rows : len(plane) - rows, columns : plane.shape[1] - columns])


def _widths(plane: Plane) -> Widths:
    """Of the runs in which a line rises or falls all the way: step over steepest slope."""
    if min(plane.shape) < 2:
        return np.zeros(0, np.float32)
    soft = cv2.GaussianBlur(plane, (0, 0), sigmaX=ACROSS, sigmaY=ALONG)
    slope = np.zeros((len(soft), soft.shape[1]), np.float32)
    slope[:, :-1] = np.diff(soft, axis=1)  # the last column is flat: no run goes on into the next line
    flat = slope.ravel()
    sign = np.sign(flat)
    begins = np.flatnonzero(np.concatenate([[True], sign[1:] != sign[:-1]]))
    steps = np.abs(np.add.reduceat(flat, begins))
    steepest = np.maximum.reduceat(np.abs(flat), begins)
    beside = np.maximum(np.append(0, steps[:-1]), np.append(steps[1:], 0))
    strong = (steps >= max(LEAST_STEP, LEAST_OVER_NOISE * _noise(plane))) & (beside <= ALONE * steps)
    found = SLOPE_TO_SIGMA * steps[strong] / steepest[strong]
    return np.asarray(np.sqrt(np.maximum(found * found - ACROSS * ACROSS, 0.0)), np.float32)


def _noise(plane: Plane) -> float:
    away = cv2.filter2D(plane, -1, NOISE_KERNEL)
    return MEDIAN_TO_SIGMA * float(np.median(np.abs(away))) / 6.0
