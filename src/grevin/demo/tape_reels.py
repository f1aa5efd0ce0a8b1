"""A reel of Port Ellery's local television on a tape that lost its coating here and there."""

from __future__ import annotations

from dataclasses import asdict, replace
from fractions import Fraction

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.demo.time_reels import PAL, REGATTA, TAPE_NOISE, TimeReel, drawn, noisy

TAPE = replace(PAL, width=720, pixel_aspect=Fraction(16, 15), field_order="top_first")
LENGTH = 48  # frames
PACE = 0.5  # of the shot's own frames, from field to field
DROPOUTS = DropoutDamage(seed=1984, a_frame=4.0, kinds=("white", "black", "noise", "colour"))


def _moment(place: int) -> Frame:
    return noisy(place, drawn(REGATTA, PACE * place, TAPE), TAPE, TAPE_NOISE)


def undamaged(number: int) -> Frame:
    """A frame of two moments, as the tape was when it was new."""
    early, late = (_moment(2 * number + n) for n in (0, 1))
    planes = [plane.copy() for plane in early.planes]
    for plane, other in zip(planes, late.planes, strict=True):
        plane[1::2] = other[1::2]
    return Frame(number, TAPE, tuple(planes))


def _worn(number: int) -> Frame:
    return DROPOUTS.add(undamaged(number))[0]


def tape_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    truth = {str(number): [asdict(one) for one in DROPOUTS.drawn(number)] for number in range(LENGTH)}
    return (TimeReel("regatta-on-an-old-tape", TAPE, LENGTH, _worn, {"dropouts": truth}),)
