"""Simulated dropouts of tape: streaks on a few lines of one field, gone on the next.

Where the tape gives no signal for some microseconds a deck shows white, black, noise or a wrong colour, or the line
before once more; the streak begins sharply and often fades out (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, luma_weights, paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.base import FrameByFrame, Mark, Truth

Kind = Literal["white", "black", "noise", "colour", "line"]
KINDS: tuple[Kind, ...] = ("white", "black", "noise", "colour", "line")
SHORTEST_PX, LONGEST_PX = 10.0, 300.0  # of a picture 720 px wide
WIDTH_OF_SD = 720
MOST_LINES = 3  # of one field
SEEN_LEVELS = 6.0  # 8-bit levels from which a pixel belongs to the truth
RAGGED_PX = 6.0  # by which the lines of one dropout begin and end apart

Alpha = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Dropout:
    """One dropout.

    Attributes:
        kind: what the deck shows.
        parity: of the field that it lies on.
        line: its first line, as a share of the field's height.
        lines: how many.
        begin: as a share of the width.
        length_px: on a picture 720 px wide.
        fades: whether it ends softly.
        strength: 0..1 of how much of the picture is gone.
    """

    kind: Kind
    parity: int
    line: float
    lines: int
    begin: float
    length_px: float
    fades: bool
    strength: float


@dataclass(frozen=True)
class DropoutDamage:
    """How bad the tape is.

    Attributes:
        seed: same seed, same dropouts.
        a_frame: mean number on a frame.
        kinds: which ones.
    """

    kind: ClassVar[str] = "dropout"
    seed: int = 1
    a_frame: float = 4.0
    kinds: tuple[Kind, ...] = KINDS

    def over(self, source: FrameSource) -> FrameByFrame:
        """The source with dropouts."""
        return FrameByFrame(source, self)

    def drawn(self, number: int) -> Iterator[Dropout]:
        """Those of a frame."""
        rng = np.random.default_rng((self.seed, number + 1))
        for _ in range(rng.poisson(self.a_frame)):
            yield Dropout(
                self.kinds[int(rng.integers(len(self.kinds)))], int(rng.integers(2)), float(rng.uniform(0.02, 0.97)),
                int(rng.integers(1, MOST_LINES + 1)), float(rng.uniform(-0.05, 0.95)),
                float(np.exp(rng.uniform(np.log(SHORTEST_PX), np.log(LONGEST_PX)))), bool(rng.random() < 0.6),
                float(rng.uniform(0.6, 1.0)),
            )  # fmt: skip

    def add(self, frame: Frame) -> tuple[Frame, Truth]:
        """The frame with its dropouts, and where they can be seen; all other code values stay."""
        fields = (0, 1) if frame.format.has_fields else (None,)
        planes = [plane.copy() for plane in frame.planes]
        mask = np.zeros((frame.format.height, frame.format.width), np.bool_)
        marks: list[Mark] = []
        for field in fields:
            part = slice(field, None, 2) if field is not None else slice(None)
            fmt = frame.format.of_field(field) if field is not None else frame.format
            whole = Frame(frame.number, fmt, tuple(np.ascontiguousarray(plane[part]) for plane in frame.planes))
            some = [one for one in self.drawn(frame.number) if field is None or one.parity == field]
            made, seen, told = self._laid(whole, some, field)
            for plane, new in zip(planes, made.planes, strict=True):
                plane[part] = new
            mask[part] = seen
            marks += told
        return Frame(frame.number, frame.format, tuple(planes)), Truth(self.kind, mask, tuple(marks), frame.number)

    def _laid(self, whole: Frame, some: list[Dropout], field: int | None) -> tuple[Frame, Mask, list[Mark]]:
        """A field, or a frame, with dropouts."""
        before = to_rgb(whole)
        tone, alpha = before.copy(), np.zeros(before.shape[:2], np.float32)
        marks = []
        for place, one in enumerate(some):
            rng = np.random.default_rng((self.seed, whole.number + 1, place, one.parity))
            marks.append(_lay(one, before, tone, alpha, rng, whole.format.matrix, field))
        if not alpha.any():
            return whole, alpha > 0, []
        touched = align_to_chroma(alpha > 0, whole.format)
        made = paint_inside(whole, tone, touched, alpha).rounded()
        seen = np.abs(to_rgb(made) - before).max(axis=2) * 255 > SEEN_LEVELS
        return Frame(whole.number, whole.format, made.planes), seen & (alpha > 0), marks


def _lay(
    one: Dropout, before: Rgb, tone: Rgb, alpha: Alpha, rng: np.random.Generator, matrix: str, field: int | None
) -> Mark:  # fmt: skip
    """Put a dropout into a field's own colours and shares."""
    height, width = alpha.shape
    first, length = int(one.line * height), one.length_px * width / WIDTH_OF_SD
    left, right = width, 0
    for line in range(first, min(first + one.lines, height)):
        ragged = rng.uniform(-RAGGED_PX, RAGGED_PX, 2) if one.lines > 1 else (0.0, 0.0)
        start = max(0, round(one.begin * width + ragged[0]))
        stop = min(width, max(start + 4, round(one.begin * width + length + ragged[1])))
        if stop <= start:
            continue
        along = np.arange(stop - start) / max(1, stop - start)
        tail = np.clip((1.0 - along) / 0.4, 0.0, 1.0) if one.fades else np.ones_like(along)
        alpha[line, start:stop] = 1.0 if one.kind == "line" else one.strength * tail  # a deck shows it whole
        tone[line, start:stop] = _tone(one.kind, before, (line, first), slice(start, stop), rng, matrix)
        left, right = min(left, start), max(right, stop)
    scale, offset = (1, 0) if field is None else (2, field)
    area = (left, scale * first + offset, max(0, right - left), scale * (one.lines - 1) + 1)
    return Mark(one.kind, area, max(0, right - left) * one.lines, 0.0, 0.0, one.strength)


def _tone(
    kind: Kind, before: Rgb, lines: tuple[int, int], part: slice, rng: np.random.Generator, matrix: str
) -> Rgb:  # fmt: skip
    line, first = lines
    own = before[line, part]
    count = len(own)
    if kind == "line":
        return np.asarray(before[max(0, first - 1), part])  # the last good one, as a delay line gives it
    if kind == "colour":  # luma stays, chroma is wrong
        shift = rng.uniform(0.15, 0.4) * rng.choice([-1.0, 1.0], 3)
        shift -= float(shift @ luma_weights(matrix))
        return np.asarray(np.clip(own + shift, 0, 1), np.float32)
    level = {"white": rng.uniform(0.85, 1.0), "black": rng.uniform(0.0, 0.1), "noise": 0.5}[kind]
    spread = 0.25 if kind == "noise" else 0.04
    grey = np.clip(level + spread * rng.normal(0, 1, count), 0, 1)
    return np.asarray(np.repeat(grey[:, None], 3, axis=1), np.float32)
