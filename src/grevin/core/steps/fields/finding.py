"""What each shot of a reel is: progressive, interlaced, or film spread over fields."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.fields import Scan, count_votes, vote
from grevin.core.measure.film_over_fields import FilmOverFields
from grevin.core.measure.repeats import largest_change
from grevin.core.motion.flow import Luma8
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.steps.fields.film import film_of_shots, phase_and_cost, usual_film
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
    films = film_of_shots(reel, shots, scans, changes, progress)
    found = [_judged(*one) for one in zip(shots, scans, films, strict=True)]
    kinds = Counter(one.kind for one in found for _ in one.frames if one.kind != "unknown")
    usual: Kind = kinds.most_common(1)[0][0] if kinds else "unknown"
    film = usual_film(shots, films) if usual == "film" else None
    return [one if one.kind != "unknown" else _as_the_others(one, usual, film, changes) for one in found]


def _judged(shot: range, scan: Scan, film: FilmOverFields | None) -> ShotFields:
    if film is not None:
        return ShotFields(shot, "film", scan, film.lead, film.phase)
    if scan == "unknown":
        return ShotFields(shot, "unknown")
    return ShotFields(shot, "progressive" if scan == "progressive" else "interlaced", scan)


def _as_the_others(one: ShotFields, usual: Kind, film: FilmOverFields | None, changes: Curves) -> ShotFields:
    """A shot that does not tell: too short, or still."""
    if film is None:
        return ShotFields(one.frames, usual if usual == "interlaced" else "progressive", one.scan)
    phase, _ = phase_and_cost(one.frames, film, changes[one.frames.start : one.frames.stop])
    return ShotFields(one.frames, "film", one.scan, film.lead, phase)
