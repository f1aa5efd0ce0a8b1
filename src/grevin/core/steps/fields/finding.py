"""What each shot of a reel is: progressive, interlaced, or film spread over fields."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cadence import FIELD_PERIOD, field_phases
from grevin.core.measure.fields import Scan, count_votes, vote
from grevin.core.measure.repeats import largest_change
from grevin.core.motion.flow import Luma8
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.steps.seen import Arrays, Reelwise, shots_of

Curves = npt.NDArray[np.float32]
Kind = Literal["progressive", "interlaced", "film", "unknown"]

MOST_VOTES = 48  # pairs of frames of a shot that are asked


@dataclass(frozen=True)
class ShotFields:
    """One shot.

    Attributes:
        frames: of the shot.
        kind: what its fields are.
        scan: what its pairs of frames voted for.
        lead: for film, the field (0 top, 1 bottom) that repeats first, and
        phase: the frame of the shot, modulo five, in which it does.
    """

    frames: range
    kind: Kind
    scan: Scan = "unknown"
    lead: int = 0
    phase: int = 0


def field_changes(reel: Reelwise, progress: Progress) -> Arrays:
    """(N, 3) change against the frame before: whole frame, top field, bottom field; NaN over cuts."""

    def look(number: int) -> tuple[float, float, float]:
        nothing = (float("nan"), float("nan"), float("nan"))
        try:
            if number == 0 or not reel.same_shot(number - 1, number):
                return nothing
            last, this = reel.luma8(number - 1), reel.luma8(number)
        except UnreadableFrameError:
            return nothing
        return largest_change(last, this), _of_field(last, this, 0), _of_field(last, this, 1)

    progress.begin(len(reel), "Looking at the fields")
    rows = np.full((len(reel), 3), np.nan, np.float32)
    for number, row in enumerate(in_parallel(look, range(len(reel)))):
        rows[number] = row
        progress.advance()
    return {"changes": rows}


def _of_field(last: Luma8, this: Luma8, parity: int) -> float:
    return largest_change(np.ascontiguousarray(last[parity::2]), np.ascontiguousarray(this[parity::2]))


def scans_of(reel: Reelwise, shots: list[range], progress: Progress) -> list[Scan]:
    """What pairs of frames of each shot vote for."""
    kept = reel.kept("scans", lambda: {"scans": np.array([_voted(reel, shot, progress) for shot in shots])})
    return [str(scan) for scan in kept["scans"]]  # type: ignore[misc]


def _voted(reel: Reelwise, shot: range, progress: Progress) -> Scan:
    pairs = range(shot.start, shot.stop - 1)
    asked = (
        sorted({int(n) for n in np.linspace(pairs.start, pairs.stop - 1, min(len(pairs), MOST_VOTES))}) if pairs else []
    )
    votes: list[Scan] = []
    for number in asked:
        progress.check()
        try:
            votes.append(vote(reel.luma8(number), reel.luma8(number + 1)))
        except UnreadableFrameError:
            continue
    return count_votes(votes).scan


def fields_of_shots(reel: Reelwise, progress: Progress) -> list[ShotFields]:
    """Every shot, judged by itself; what one does not tell is taken from the others."""
    changes = reel.kept("fields", lambda: field_changes(reel, progress))["changes"]
    shots = shots_of(reel, progress)
    scans = scans_of(reel, shots, progress)
    found = [_judged(shot, scan, changes[shot.start : shot.stop]) for shot, scan in zip(shots, scans, strict=True)]
    kinds = Counter(one.kind for one in found for _ in one.frames if one.kind != "unknown")
    usual: Kind = kinds.most_common(1)[0][0] if kinds else "unknown"
    leads = [one.lead for one in found if one.kind == "film"]
    return [
        one if one.kind != "unknown" else _as_the_others(one, usual, leads[0] if leads else 0, changes) for one in found
    ]


def _judged(shot: range, scan: Scan, changes: Curves) -> ShotFields:
    phases = field_phases([changes[:, 1], changes[:, 2]])
    if phases is not None:
        lead = 0 if (phases[1] - phases[0]) % FIELD_PERIOD == 2 else 1
        return ShotFields(shot, "film", scan, lead, phases[lead])
    if scan == "unknown":
        return ShotFields(shot, "unknown")
    return ShotFields(shot, "progressive" if scan == "progressive" else "interlaced", scan)


def _as_the_others(one: ShotFields, usual: Kind, lead: int, changes: Curves) -> ShotFields:
    """A shot that does not tell: too short, or still. Of film the phase is where fields change least."""
    if usual != "film":
        return ShotFields(one.frames, usual if usual == "interlaced" else "progressive", one.scan)
    part = np.log(changes[one.frames.start : one.frames.stop, 1:] + 0.05)
    places = np.arange(len(part))

    def cost(phase: int) -> float:
        first = part[places % FIELD_PERIOD == phase, lead]
        second = part[places % FIELD_PERIOD == (phase + 2) % FIELD_PERIOD, 1 - lead]
        both = np.concatenate([first, second])
        both = both[~np.isnan(both)]
        return float(both.mean()) if len(both) else float("inf")

    return ShotFields(one.frames, "film", one.scan, lead, min(range(FIELD_PERIOD), key=cost))
