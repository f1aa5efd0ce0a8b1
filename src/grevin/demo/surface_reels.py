"""Reels of Port Ellery whose surface is hurt, each with what is true of it.

The regatta on 16 mm film that ran over a burr: a dark scratch over the whole height that wanders, a broken one that
shows in blue alone, and a thin bright one that comes in the middle of the shot.
"""

from __future__ import annotations

from dataclasses import asdict

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.demo.time_reels import PAL, REGATTA, SEED, TAPE_NOISE, TimeReel, drawn, noisy

LENGTH = 60
LINES = (
    Line(0.37, 3.0, -30.0, "grey", 0.35, 3.0, 1.5),
    Line(0.62, 3.0, 55.0, "blue", 0.3, -4.0, 1.0, 0.1, 0.75),
    Line(0.81, 1.5, 34.0, "grey", 0.4, 2.0, 0.5, 0.35, 1.0, 20),
)
SCRATCHES = ScratchDamage(SEED, lines=LINES)


def unscratched(number: int) -> Frame:
    """The frame as it would be without scratches."""
    return noisy(number, drawn(REGATTA, number, PAL), PAL, TAPE_NOISE)


def _scratched(number: int) -> Frame:
    return SCRATCHES.add(unscratched(number))[0]


def surface_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    return (TimeReel("regatta-with-scratches", PAL, LENGTH, _scratched, {"lines": [asdict(line) for line in LINES]}),)
