"""How far each pixel of a field stands out from the fields around it, and from the lines around it.

In time: beyond the range of the 3x3 surroundings that the fields of the same parity before and after show at the same
place of the moving picture, both of them (in the manner of the rank-ordered difference: Nadenau and Mitra 1997, from
memory). Down the picture: against the nearest lines above and below that may be good, one to four lines away. What
stands out by both is suspect; levels of a channel that is noisier than green count less, for the colour of a tape is.
Motion is looked for between pictures whose lines were evened out, which thin streaks do not pull.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal, Protocol, TypeVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.one_light import ALIKE, Lighting, lighting_along
from grevin.core.motion.flow import Flow, Luma8, estimate_flow, positions, sample
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask

Bytes = npt.NDArray[np.uint8]
Values = npt.NDArray[np.float32]
Made = TypeVar("Made")

TALLEST = 4  # lines that a streak has at most: three, and one more where chroma is shared by two lines
AROUND = tuple((up, count + 1 - up) for count in range(1, TALLEST + 1) for up in range(1, count + 1))  # lines away
EVENED_LINES = 5  # median down the picture, for motion alone: streaks of up to two lines vanish
LEAST_NOISE, MOST_NOISE = 2.0, 8.0  # 8-bit levels
MAD_TO_SIGMA = 1.4826
ALIKE_SHARE = 0.9  # of its levels: a channel that is so little noisier counts in full
Of = Literal["picture", "colour"]
TOLD_BY: dict[Of, int] = {"picture": 1, "colour": 2}  # channel by which noise is told: of luma, of colour the most
OUTSIDE_PX = 0.5  # beyond the last pixel, from which a field does not show a place
EVENED_PX = (9, 1)  # px and lines over which colour is evened
LIGHT_OF = np.array([0.299, 0.587, 0.114], np.float32)  # luma of R'G'B': BT.601-7, 2.5.1
COLOUR = np.column_stack([np.eye(3) - LIGHT_OF, np.full(3, 128.0)])  # R'G'B' less luma, around the middle of a byte
RANGE = np.ones((3, 3), np.uint8)


@dataclass(frozen=True, eq=False)
class Spikes:
    """A field beside those around it.

    Attributes:
        offsets: the two that it is compared with.
        moved: (H, W, 3) uint8 R'G'B' of each, moved onto it.
        flows: (H, W, 2) to each.
        here: (H, W, 3) uint8 R'G'B'.
        bright, dark: (H, W) uint8 levels by which it stands out in both ways, the most of any channel.
        in_time: (H, W) uint8 levels by which it stands out in time, the most of any channel and sign.
        noise: 8-bit levels, standard deviation of what is left between fields.
        out: (H, W) bool each, where a flow leads out of the picture.
        of: what is looked at: the picture, or its colour alone.
        lights: by which the two are brought to its light.
    """

    offsets: tuple[int, int]
    moved: tuple[Bytes, Bytes]
    flows: tuple[Flow, Flow]
    here: Bytes
    bright: Bytes
    dark: Bytes
    in_time: Bytes
    noise: float
    out: tuple[Mask, Mask]
    of: Of
    lights: tuple[Lighting, Lighting] = (ALIKE, ALIKE)

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return sum(one.nbytes for one in (*self.moved, *self.flows, self.here)) + 3 * self.in_time.nbytes


class Fields(Protocol):
    """What is needed of a window: a field and those around it."""

    def luma8(self, offset: int = 0) -> Luma8:
        """(H, W) uint8 luma of the field so many frames away."""
        ...

    def rgb(self, offset: int = 0) -> Rgb:
        """(H, W, 3) float32 R'G'B' of it."""
        ...

    def at(self, offset: int) -> Fields:
        """The same around another one."""
        ...

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Something dear about the field in the middle, made once."""
        ...


def spikes_of(window: Fields, offsets: tuple[int, int]) -> Spikes:
    """A field beside two others of the same parity."""
    here = bytes_of(window)
    evened = _evened(window)
    flows, moved, out, lights = [], [], [], []
    for offset in offsets:
        flow = estimate_flow(evened, _evened(window.at(offset)), "glance")
        flows.append(flow)
        places = positions(flow)
        there = np.asarray(sample(bytes_of(window.at(offset)), *places), np.uint8)
        lights.append(lighting_along(here, there, None, flashes=True))
        moved.append(lights[-1].on(there))
        out.append(_leads_out(*places))
    made = _between(offsets, here, (moved[0], moved[1]), (flows[0], flows[1]), (out[0], out[1]), "picture")
    return replace(made, lights=(lights[0], lights[1]))


def colours_of(spikes: Spikes) -> Spikes:
    """The same of colour alone, which wrong chroma stands out by where brightness is right: evened along the lines."""
    moved = colour_of(spikes.moved[0]), colour_of(spikes.moved[1])
    return _between(spikes.offsets, colour_of(spikes.here), moved, spikes.flows, spikes.out, "colour")


def colour_of(rgb: Bytes) -> Bytes:
    """(H, W, 3) uint8 R'G'B' without luma, around 128, evened along the lines: a wrong colour is long, noise is not."""
    return np.asarray(cv2.blur(cv2.transform(rgb, COLOUR), EVENED_PX), np.uint8)


def light_of(spikes: Spikes, part: tuple[slice, slice]) -> float:
    """8-bit levels by which the brightness of a place stands out in time, in the mean."""
    rows, columns = part
    room = slice(max(0, rows.start - 1), rows.stop + 1), slice(max(0, columns.start - 1), columns.stop + 1)
    inside = (
        slice(rows.start - room[0].start, rows.stop - room[0].start),
        slice(columns.start - room[1].start, columns.stop - room[1].start),
    )
    here, *moved = (one[room].astype(np.float32) @ LIGHT_OF for one in (spikes.here, *spikes.moved))
    most = np.maximum(*(cv2.dilate(one, RANGE) for one in moved))
    least = np.minimum(*(cv2.erode(one, RANGE) for one in moved))
    return float(np.maximum(np.maximum(here - most, least - here), 0.0)[inside].mean())


def _between(
    offsets: tuple[int, int], here: Bytes, moved: tuple[Bytes, Bytes], flows: tuple[Flow, Flow],
    out: tuple[Mask, Mask], of: Of,
) -> Spikes:  # fmt: skip
    """What stands out of one picture between two others, moved onto it.

    Where one of them does not show a place the other tells alone. Colour, which is soft, is not told by one.
    """
    moved = _seen(moved[0], moved[1], out[0]), _seen(moved[1], moved[0], out[1])
    most = np.maximum(*(cv2.dilate(one, RANGE) for one in moved))
    least = np.minimum(*(cv2.erode(one, RANGE) for one in moved))
    above, below = cv2.subtract(here, most), cv2.subtract(least, here)
    bright, dark = _down(here)
    nowhere = out[0] & out[1] if of == "picture" else out[0] | out[1]
    above[nowhere] = below[nowhere] = 0
    noises = np.maximum(_noises(here, moved[0]), LEAST_NOISE)
    noise = float(noises[TOLD_BY[of]])
    shares = np.minimum(noise / noises, 1.0)  # levels of a channel that is noisier count less
    in_time = most_of(_counted(np.maximum(above, below), shares))
    return Spikes(
        offsets, moved, flows, here, most_of(_counted(np.minimum(above, bright), shares)),
        most_of(_counted(np.minimum(below, dark), shares)), in_time, min(noise, MOST_NOISE), out, of,
    )  # fmt: skip


def _noises(here: Bytes, there: Bytes) -> npt.NDArray[np.float64]:
    """(3,) 8-bit levels of noise of each channel: the middle of what two pictures differ by."""
    apart = cv2.absdiff(here[::2, ::4], there[::2, ::4]).reshape(-1, 3)
    return np.asarray(MAD_TO_SIGMA / np.sqrt(2) * np.median(apart, axis=0))


def _counted(levels: Bytes, shares: npt.NDArray[np.float64]) -> Bytes:
    """(H, W, 3) the levels of each channel, so much of them."""
    if (shares > ALIKE_SHARE).all():
        return levels
    return np.asarray(cv2.transform(levels, np.diag(shares)), np.uint8)


def _seen(moved: Bytes, other: Bytes, out: Mask) -> Bytes:
    """A picture, and another where it shows nothing."""
    return np.asarray(cv2.copyTo(other, out.view(np.uint8), moved.copy()), np.uint8) if out.any() else moved


def _leads_out(x: Values, y: Values) -> Mask:
    """(H, W) bool, where places lie out of the picture."""
    height, width = x.shape
    across = (x < -OUTSIDE_PX) | (x > width - 1 + OUTSIDE_PX)
    return np.asarray(across | (y < -OUTSIDE_PX) | (y > height - 1 + OUTSIDE_PX))


def most_of(levels: Bytes) -> Bytes:
    """(H, W) the most of three channels: several times faster than NumPy over an axis of three."""
    first, second, third = cv2.split(levels)
    return np.asarray(cv2.max(cv2.max(first, second), third), np.uint8)


def bytes_of(window: Fields) -> Bytes:
    """(H, W, 3) uint8 R'G'B'."""

    def make() -> Bytes:
        levels = window.rgb() * np.float32(255)
        levels += np.float32(0.5)
        return np.asarray(np.clip(levels, 0, 255, out=levels), np.uint8)

    return window.keep("dropout bytes", make, lambda made: made.nbytes)


def _evened(window: Fields) -> Luma8:
    """(H, W) uint8 luma, each pixel the median of those above and below."""

    def make() -> Luma8:
        luma = window.luma8()
        padded = np.pad(luma, ((EVENED_LINES // 2, EVENED_LINES // 2), (0, 0)), mode="edge")
        return _median_of_five(*(padded[line : line + len(luma)] for line in range(EVENED_LINES)))

    return window.keep("dropout evened", make, lambda made: made.nbytes)


def _median_of_five(a: Luma8, b: Luma8, c: Luma8, d: Luma8, e: Luma8) -> Luma8:
    """By comparisons alone, which is faster than sorting."""
    low, high = np.maximum(np.minimum(a, b), np.minimum(c, d)), np.minimum(np.maximum(a, b), np.maximum(c, d))
    return np.asarray(np.maximum(np.minimum(low, high), np.minimum(np.maximum(low, high), e)), np.uint8)


def _down(here: Bytes) -> tuple[Bytes, Bytes]:
    """(H, W, 3) levels by which a pixel is brighter, and darker, than lines above and below it."""
    bright, dark = np.zeros_like(here), np.zeros_like(here)
    height = len(here)
    padded = np.pad(here, ((TALLEST, TALLEST), (0, 0), (0, 0)), mode="edge")
    for up, down in AROUND:
        over, under = (padded[TALLEST + by : TALLEST + by + height] for by in (-up, down))
        np.maximum(bright, cv2.subtract(here, np.maximum(over, under)), out=bright)
        np.maximum(dark, cv2.subtract(np.minimum(over, under), here), out=dark)
    return bright, dark
