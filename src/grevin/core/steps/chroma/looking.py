"""What is found of the colour of a shot: where it lies, and how far it ran out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import astuple, dataclass, field

import numpy as np

from grevin.core.measure.colour_lines import lines_of
from grevin.core.measure.colour_shift import SHARPENED, Shift, likeness, sharpened, shift_of
from grevin.core.measure.colour_smear import TEN_TO_NINETY, Edges, Plane, Smear, smear_of
from grevin.core.measure.line_jitter import Lines
from grevin.core.measure.sampling import spread_over
from grevin.core.picture.levels import levels_of
from grevin.core.progress import Progress
from grevin.core.steps.chroma.settings import LEAST_SAMPLES
from grevin.core.steps.seen import Arrays, Shotwise

LOOKED_AT = 16  # frames of a shot: what displaced or smeared colour did so all along


@dataclass(frozen=True)
class Known:
    """Of a shot.

    Attributes:
        shift: samples of colour by which it lies beside its edges.
        smear: its sharpest edges.
        across, down: pixels and lines, of a field where there are fields, of a sample of colour; 0 without colour.
        lines: of the frame, of a line that was looked at: 2 where fields were.
        beside: (N,) float32, samples that each line of colour lies too far to the right; empty where all are alike.
    """

    shift: Shift
    smear: Smear
    across: float
    down: float
    lines: float = 1.0
    beside: Lines = field(default_factory=lambda: np.zeros(0, np.float32))

    @property
    def along(self) -> float:
        """Standard deviation of the low-pass along the lines, in samples of colour; 0 where none is certain."""
        return self.smear.along(self.across, self.down * self.lines) if self.across else 0.0


def looked_at(shot: Shotwise, progress: Progress) -> Arrays:
    """What the step learns.

    Returns:
        `shift`: (6,), of `Shift`. `smear`: (5,), sharpest edges of colour and of brightness, and whether samples are
        doubled. `ratio`: (3,), pixels and lines of a sample of colour, and lines of the frame of such a line. `lines`:
        of `Known.beside`.
    """
    fmt = shot.window(shot.frames.start).format
    if fmt.model != "yuv":
        return {"shift": np.full(6, np.nan), "smear": np.array([np.nan] * 4 + [0.0]), "ratio": np.zeros(3),
                "lines": np.zeros(0, np.float32)}  # fmt: skip
    chosen, lines = spread_over(shot.frames, LOOKED_AT), 2.0 if shot.of_fields else 1.0
    maps = []

    def planes() -> Iterator[tuple[Plane, list[Plane]]]:
        progress.begin(len(chosen), "Looking where colour lies")
        for number in chosen:
            luma, *colours = levels_of(shot.window(number).frame())
            yield luma, colours[:2]
            progress.advance()

    def first_look() -> Iterator[tuple[Plane, list[Plane]]]:
        for luma, colours in planes():
            maps.append(likeness(luma, colours))
            yield luma, colours

    smear, shift = smear_of(first_look()), shift_of(maps, lines)
    for _ in range(SHARPENED):
        shift = sharpened(shift, planes()) if shift.is_known else shift
    told = [*astuple(smear.colour), *astuple(smear.light), float(smear.is_doubled)]
    ratio = [*fmt.chroma_ratio, lines]
    return {"shift": np.array(astuple(shift)), "smear": np.array(told), "ratio": np.array(ratio),
            "lines": lines_of(planes, shift)}  # fmt: skip


def known_of(study: Arrays) -> Known:
    """What was learned of a shot."""
    *edges, doubled = (float(one) for one in study["smear"])
    smear = Smear(Edges(*edges[:2]), Edges(*edges[2:]), bool(doubled))
    across, down, lines = (float(one) for one in study["ratio"])
    beside = np.asarray(study["lines"], np.float32)
    return Known(Shift(*map(float, study["shift"])), smear, across, down, lines, beside)


def words_of(known: Known) -> tuple[str, ...]:
    """Sentences about a shot."""
    if not known.across:
        return ("There are no colour planes that could lie beside the picture.",)
    return _words_of_shift(known), _words_of_smear(known)


def _words_of_shift(known: Known) -> str:
    found = known.shift
    if len(known.beside):
        least, most = (float(end) * known.across for end in (known.beside.min(), known.beside.max()))
        return (
            f"How far colour lies to the right changes from line to line, {least:+.1f} to {most:+.1f} px "
            f"({known.beside.min():+.2f} to {known.beside.max():+.2f} samples of colour){_down_words(known)}."
        )
    if not found.is_known:
        return "Where colour lies cannot be told: it hardly changes, or seems to lie at several places."
    right, down = found.right * known.across, found.down * known.down
    is_usual = max(abs(found.right), abs(found.down)) < LEAST_SAMPLES
    return (
        f"Colour lies {right:+.1f} px to the right and {down:+.1f} lines down "
        f"({found.right:+.2f} and {found.down:+.2f} samples of colour)"
        f"{': that is as pictures are.' if is_usual else '.'}"
    )


def _down_words(known: Known) -> str:
    return f"; it lies {known.shift.down * known.down:+.1f} lines down" if known.shift.is_known else ""


def _words_of_smear(known: Known) -> str:
    smear, to_px = known.smear, TEN_TO_NINETY * known.across
    if smear.is_doubled:
        return "Every second sample of colour repeats the one before: it was recorded with half as many (4:1:1)."
    edges = (smear.colour.upright, smear.light.upright, smear.colour.level, smear.light.level)
    if not np.isfinite(edges).all():
        return "Whether colour ran out cannot be told: there are too few edges of colour."
    colour, light = (one * to_px for one in edges[:2])
    told = f"The sharpest upright edges take {colour:.0f} px in colour, {light:.0f} px in brightness"
    if known.along:
        return f"{told}: colour ran out along the lines, over {known.along * to_px:.0f} px."
    return f"{told}: that is as pictures are."
