"""Simulated line scratches: upright lines that stay for many frames, wander, tilt, fade, and come back.

Where they come from is known of film that ran over a burr: the line lies nearly along the film (Kokaram 1998, "Motion
Picture Restoration", from memory). Bright where the emulsion is gone, dark where it is on the base, coloured where
single layers are hurt; what lies below shines through but where it is scraped off whole.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt
from scipy.special import expit

from grevin.core.picture.colour import Rgb, paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import FrameByFrame, Mark, Truth

Tint = Literal["grey", "blue", "less green", "opaque"]
Sides = Literal["cut", "soft", "long", "halo", "ringed"]
Curve = npt.NDArray[np.float64]

LONGEST = 4096  # frames for which wander is drawn
SEEN_LEVELS = 4.0  # 8-bit levels from which a pixel belongs to the truth
TINTS: dict[Tint, tuple[float, float, float]] = {
    "grey": (1.0, 1.0, 1.0), "blue": (0.15, 0.25, 1.0), "less green": (0.1, -1.0, 0.1), "opaque": (1.0, 1.0, 1.0),
}  # fmt: skip


@dataclass(frozen=True)
class Line:
    """One scratch.

    Attributes:
        place: across, share of the width.
        width_px: of its profile, where it has half of its depth.
        levels: 8-bit levels in the middle; negative for dark.
        tint: which channels it shows in; opaque ones show nothing of the picture.
        wander_px: standard deviation of its step from frame to frame.
        tilt: px across over the height of the picture.
        bend_px: of a slow sine down the picture.
        first, last: share of the height from which to which it goes.
        begin, end: frames.
        sides: how its profile ends: cut; as a bell; with a long tail; with a halo of a quarter of its depth; with a
            ring of the other polarity, as sharpening leaves it.
    """

    place: float
    width_px: float
    levels: float
    tint: Tint = "grey"
    wander_px: float = 0.3
    tilt: float = 0.0
    bend_px: float = 0.0
    first: float = 0.0
    last: float = 1.0
    begin: int = 0
    end: int = LONGEST
    sides: Sides = "cut"


@dataclass(frozen=True)
class ScratchDamage:
    """Scratches over a reel.

    Attributes:
        seed: of where they lie and how they wander.
        count: how many.
        wander_px: standard deviation of the step from frame to frame.
        lines: those that are wanted instead of drawn ones.
        length: frames over which a third of them come or go.
    """

    kind: ClassVar[str] = "scratch"

    seed: int
    count: int = 6
    wander_px: float = 0.3
    lines: tuple[Line, ...] = ()
    length: int = LONGEST

    def over(self, source: FrameSource) -> FrameByFrame:
        """The source with scratches."""
        return FrameByFrame(source, self)

    @cached_property
    def drawn(self) -> tuple[Line, ...]:
        """The lines, each of a kind and place of its own."""
        if self.lines:
            return self.lines
        rng = np.random.default_rng((self.seed, 1))
        kinds: tuple[tuple[float, float, Tint], ...] = (
            (1.0, 34.0, "grey"), (1.5, 30.0, "grey"), (3.0, 26.0, "grey"), (8.0, 20.0, "grey"), (2.0, -26.0, "grey"),
            (5.0, -24.0, "grey"), (3.0, 50.0, "blue"), (4.0, 30.0, "less green"), (3.0, 230.0, "opaque"),
        )  # fmt: skip
        order = rng.permutation(len(kinds))
        slots = (rng.permutation(self.count) + rng.uniform(0.25, 0.75, self.count)) / self.count
        lines = []
        for place, slot in enumerate(slots):
            width, levels, tint = kinds[order[place % len(kinds)]]
            partial, comes = rng.random() < 0.5, rng.random() < 0.3 and self.length < LONGEST
            first, part = (rng.uniform(0, 0.6), rng.uniform(0.3, 0.7)) if partial else (0.0, 1.0)
            begin = int(rng.uniform(0.2, 0.5) * self.length) if comes and rng.random() < 0.5 else 0
            end = int(rng.uniform(0.5, 0.8) * self.length) if comes and not begin else LONGEST
            lines.append(Line(
                float(slot), width, levels * rng.uniform(0.8, 1.2), tint, self.wander_px, rng.normal(0, 4),
                rng.uniform(0, 2), float(first), float(min(1.0, first + part)), begin, end,
            ))  # fmt: skip
        return tuple(lines)

    @cached_property
    def _wanders(self) -> list[Curve]:
        found = []
        for place, line in enumerate(self.drawn):
            rng = np.random.default_rng((self.seed, 2, place))
            found.append(np.cumsum(rng.normal(0, line.wander_px, LONGEST)) if line.wander_px else np.zeros(LONGEST))
        return found

    def centres(self, place: int, number: int, shape: tuple[int, int]) -> Curve:
        """(H,) where the middle of a line lies on a frame, px from the left."""
        height, width = shape
        line = self.drawn[place]
        down = np.arange(height) / height
        wave = line.bend_px * np.sin(2 * math.pi * (1.3 * down + 0.11 * place + 0.01 * number))
        return np.asarray(line.place * width + self._wanders[place][number] + line.tilt * (down - 0.5) + wave)

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The scratched frame and where the scratches are."""
        rgb = to_rgb(frame).copy()
        mask = np.zeros(rgb.shape[:2], np.bool_)
        marks = []
        for place, line in enumerate(self.drawn):
            if line.begin <= frame.number < line.end:
                marks += self._lay(place, line, frame.number, rgb, mask)
        painted = paint_inside(frame, rgb, align_to_chroma(mask, frame.format), None)
        return painted.rounded(), Truth(self.kind, mask, tuple(marks), frame.number)

    def _lay(self, place: int, line: Line, number: int, rgb: Rgb, mask: Mask) -> list[Mark]:
        height, width = rgb.shape[:2]
        rng = np.random.default_rng((self.seed, 3, place, number))
        centre = self.centres(place, number, (height, width))
        rows = np.arange(int(line.first * height), max(int(line.first * height) + 1, int(line.last * height)))
        reach = math.ceil((1.5 if line.sides == "cut" else 3.0) * line.width_px) + 2
        across = np.rint(centre[rows]).astype(int)[:, None] + np.arange(-reach, reach + 1)[None, :]
        inside = (across >= 0) & (across < width)
        away = np.abs(across - centre[rows, None])
        shape = _profile(away, line.width_px, line.sides)
        uneven = np.clip(1.0 + 0.2 * np.cumsum(rng.normal(0, 0.15, len(rows))), 0.5, 1.4)[:, None]
        ends = np.minimum(1.0, np.minimum(rows - rows[0], rows[-1] - rows) / 8.0 + 0.1)[:, None]
        fades = np.where((line.first > 0) | (line.last < 1), ends, 1.0)
        depth = shape * uneven * fades
        at = np.where(inside, across, 0)
        before = rgb[rows[:, None], at]
        tint = np.array(TINTS[line.tint])
        if line.tint == "opaque":
            share = np.clip(depth, 0, 1)[..., None]
            after = before * (1 - share) + share * (line.levels / 255.0)
        else:
            after = before + depth[..., None] * tint * (line.levels / 255.0)
        after = np.clip(after, 0, 1)
        changed = inside & (np.abs(after - before).max(axis=-1) * 255 > SEEN_LEVELS)
        rgb[rows[:, None].repeat(at.shape[1], 1)[inside], at[inside]] = after[inside]
        mask[rows[:, None].repeat(at.shape[1], 1)[changed], at[changed]] = True
        if not changed.any():
            return []
        left, right = int(at[changed].min()), int(at[changed].max())
        area = (left, int(rows[0]), right - left + 1, len(rows))
        return [Mark(line.tint, area, int(changed.sum()), line.levels, 0.35, 1.0, number > line.begin)]


def _profile(away: Curve, width: float, sides: Sides) -> Curve:
    """The depth of a scratch, px away from its middle; half of it lies within its width."""
    flat = expit((width / 2 - away) / 0.35)
    bell = np.exp(-4 * math.log(2) * np.square(away / width))
    if sides == "soft":
        return np.asarray(bell)
    if sides == "long":
        return np.asarray(1 / (1 + np.square(2 * away / width)))
    if sides == "halo":
        return np.asarray(flat + 0.25 * (1 - flat) * np.exp(-0.5 * np.square(away / width)))
    if sides == "ringed":
        return np.asarray(bell - 0.3 * np.exp(-0.5 * np.square(3 * (away - width) / width)))
    return np.asarray(flat)
