"""What is found of the colour of a shot: where it lies, and how far it ran out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import astuple, dataclass

import numpy as np

from grevin.core.measure.colour_shift import SHARPENED, Shift, likeness, sharpened, shift_of
from grevin.core.measure.colour_smear import TEN_TO_NINETY, Edges, Plane, Smear, smear_of
from grevin.core.measure.sampling import spread_over
from grevin.core.picture.levels import levels_of
from grevin.core.progress import Progress
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
    """

    shift: Shift
    smear: Smear
    across: float
    down: float
    lines: float = 1.0

    @property
    def along(self) -> float:
        """Standard deviation of the low-pass along the lines, in samples of colour; 0 where none is certain."""
        return self.smear.along(self.across, self.down * self.lines) if self.across else 0.0


def looked_at(shot: Shotwise, progress: Progress) -> Arrays:
    """What the step learns.

    Returns:
        `shift`: (5,), of `Shift`. `smear`: (5,), sharpest edges of colour and of brightness, and whether samples are
        doubled. `ratio`: (3,), pixels and lines of a sample of colour, and lines of the frame of such a line.
    """
    fmt = shot.window(shot.frames.start).format
    if fmt.model != "yuv":
        return {"shift": np.full(5, np.nan), "smear": np.array([np.nan] * 4 + [0.0]), "ratio": np.zeros(3)}
    chosen = spread_over(shot.frames, LOOKED_AT)
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

    smear, shift = smear_of(first_look()), shift_of(maps)
    for _ in range(SHARPENED):
        shift = sharpened(shift, planes()) if shift.is_known else shift
    told = [*astuple(smear.colour), *astuple(smear.light), float(smear.is_doubled)]
    ratio = [*fmt.chroma_ratio, 2.0 if shot.of_fields else 1.0]
    return {"shift": np.array(astuple(shift)), "smear": np.array(told), "ratio": np.array(ratio)}


def known_of(study: Arrays) -> Known:
    """What was learned of a shot."""
    *edges, doubled = (float(one) for one in study["smear"])
    smear = Smear(Edges(*edges[:2]), Edges(*edges[2:]), bool(doubled))
    shift, ratio = Shift(*map(float, study["shift"])), (float(one) for one in study["ratio"])
    return Known(shift, smear, *ratio)


def words_of(known: Known) -> tuple[str, ...]:
    """Sentences about a shot."""
    if not known.across:
        return ("There are no colour planes that could lie beside the picture.",)
    return _words_of_shift(known), _words_of_smear(known)


def _words_of_shift(known: Known) -> str:
    found = known.shift
    if not found.is_known:
        return "Where colour lies cannot be told: it hardly changes, or seems to lie at several places."
    right, down = found.right * known.across, found.down * known.down
    return (
        f"Colour lies {right:+.1f} px to the right and {down:+.1f} lines down "
        f"({found.right:+.2f} and {found.down:+.2f} samples of colour)."
    )


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
