"""How film lies over the fields of each shot of a reel: told by the shot, by all shots together, or by the others.

A shot of two seconds tells by itself, mostly. Film that was cut before it came to tape keeps one cadence over all its
cuts; so what shots tell that are too short by themselves is put together, frame by frame of the reel.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cadence import field_phases
from grevin.core.measure.fields import Scan
from grevin.core.measure.film_over_fields import (
    FIELD_PERIOD,
    SECOND_AFTER,
    FilmOverFields,
    fields_done,
    film_over_fields,
)
from grevin.core.measure.phases import CELLS, parts_done
from grevin.core.motion.flow import Luma8
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.steps.seen import Reelwise

Changes = npt.NDArray[np.float32]

FIELDS = 2  # a picture of one line has no bottom field
AROUND = range(-3, 3)  # frames that a step of a field is compared with
SURELY = 0.001  # chance up to which a shot is film though no other is: what is taken for film is woven anew
REPEAT_SHARE = 0.5  # of the change of the other fields, up to which fields of a shot that does not tell may repeat


def film_of_shots(
    reel: Reelwise, shots: Sequence[range], scans: Sequence[Scan], changes: Changes, progress: Progress
) -> list[FilmOverFields | None]:
    """How film lies over the fields of each shot, its phase counted from the first frame of the shot; None where not.

    Args:
        reel: the frames.
        shots: all of them.
        scans: what their pairs of frames voted for.
        changes: (N, 3) of the whole frames, the top and the bottom fields.
        progress: told of the frames that are looked at.
    """
    dips = [_by_dips(changes[shot.start : shot.stop]) for shot in shots]
    silent = [shot for shot, dip in zip(shots, dips, strict=True) if dip is None]
    done = reel.kept("film over fields", lambda: {"done": _done(reel, silent, progress)})["done"]
    alone = [
        film_over_fields(done[:, shot.start : shot.stop]) if dip is None else dip
        for shot, dip in zip(shots, dips, strict=True)
    ]
    usual = usual_film(shots, alone) or film_over_fields(done)
    if usual is None or usual.chance > SURELY:
        return [None] * len(shots)
    return [
        one or (None if scan == "progressive" else _taken_along(shot, usual, changes[shot.start : shot.stop]))
        for shot, scan, one in zip(shots, scans, alone, strict=True)
    ]


def usual_film(shots: Sequence[range], found: Sequence[FilmOverFields | None]) -> FilmOverFields | None:
    """The film of most frames, of shots that tell it surely, its phase counted from the first frame of the reel."""
    lengths: Counter[tuple[int, int]] = Counter()
    for shot, one in zip(shots, found, strict=True):
        if one is not None and one.chance <= SURELY:
            lengths[one.lead, (one.phase + shot.start) % FIELD_PERIOD] += len(shot)
    return FilmOverFields(*lengths.most_common(1)[0][0]) if lengths else None


def phase_and_cost(shot: range, film: FilmOverFields, changes: Changes) -> tuple[int, float]:
    """The phase of a shot that does not tell it: that of the reel's film if fields repeat in it, or the likeliest.

    Args:
        shot: its frames.
        film: of the reel, its phase counted from the first frame of the reel.
        changes: (N, 3) of the shot.

    Returns:
        The phase, and what the fields change that should repeat in it, over what the others do.
    """
    costs = [_repeat_cost(changes, film.lead, phase) for phase in range(FIELD_PERIOD)]
    along = (film.phase - shot.start) % FIELD_PERIOD
    phase = along if costs[along] <= REPEAT_SHARE else int(np.argmin(costs))
    return phase, costs[phase]


def _repeat_cost(changes: Changes, lead: int, phase: int) -> float:
    """Change of the fields that should repeat over that of the others; endless where nothing is known."""
    due = np.zeros((len(changes), 2), np.bool_)
    due[phase::FIELD_PERIOD, lead] = due[(phase + SECOND_AFTER) % FIELD_PERIOD :: FIELD_PERIOD, 1 - lead] = True
    known = ~np.isnan(changes[:, 1:])
    if not (due & known).any() or not (known & ~due).any():
        return float("inf")
    return float(changes[:, 1:][due & known].mean() / max(1e-6, float(changes[:, 1:][known & ~due].mean())))


def _by_dips(changes: Changes) -> FilmOverFields | None:
    phases = field_phases([changes[:, 1], changes[:, 2]])
    if phases is None:
        return None
    lead = 0 if (phases[1] - phases[0]) % FIELD_PERIOD == SECOND_AFTER else 1
    return FilmOverFields(lead, phases[lead])


def _taken_along(shot: range, usual: FilmOverFields, changes: Changes) -> FilmOverFields | None:
    """A shot that does not tell, as the others, where its fields repeat."""
    phase, cost = phase_and_cost(shot, usual, changes)
    return FilmOverFields(usual.lead, phase) if cost <= REPEAT_SHARE else None


def _done(reel: Reelwise, shots: Sequence[range], progress: Progress) -> npt.NDArray[np.float64]:
    """(4, N) what the fields of some shots do (`fields_done`); NaN elsewhere."""
    result = np.full((4, len(reel)), np.nan)
    numbers = [number for shot in shots for number in shot]
    if not numbers or reel.format.height < FIELDS:
        return result
    progress.begin(len(numbers), "Looking for film over the fields")
    looked = in_parallel(lambda number: _parts(reel, number), numbers)
    for shot in shots:
        parts = np.full((2, len(shot), 2, CELLS[0] * CELLS[1]), np.nan, np.float32)
        for place in range(len(shot)):
            both = next(looked)
            if both is not None:
                parts[:, place] = both
            progress.advance()
        result[:, shot.start : shot.stop] = fields_done(*parts)
    return result


def _parts(reel: Reelwise, number: int) -> list[npt.NDArray[np.float32]] | None:
    """Of the top and of the bottom field of a frame; None where frames around it are not there."""
    numbers = [number + far for far in AROUND]
    if numbers[0] < 0 or numbers[-1] >= len(reel) or not all(reel.same_shot(one, number) for one in numbers):
        return None
    try:
        six: list[Luma8] = [reel.luma8(one) for one in numbers]
    except UnreadableFrameError:
        return None
    return [parts_done([np.ascontiguousarray(one[parity::2]) for one in six]) for parity in (0, 1)]
