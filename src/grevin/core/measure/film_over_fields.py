"""Film at 24 frames over fields at 60 (SMPTE RP 197), told by what all fields at one phase of five frames do together.

Of each five frames one top and one bottom field repeat the field before, two frames apart. Between them the two fields
of a frame belong to two pictures: where one repeats, the other goes on. Both are measured as cadences of whole frames
are (`measure.phases`), without a bias by noise. A field that does nothing at one phase is not enough: a drawing that
film shows for two frames does nothing at most phases. What tells is that one field does something while the other
field of the same frames does nothing, as no progressive picture has it and none that was taken field by field.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from grevin.core.measure.phases import FEWEST_PERIODS, NOTHING, SOMETHING, dealt_anew, most_moving

Parts = npt.NDArray[np.float32]
Curves = npt.NDArray[np.float64]

FIELD_PERIOD = 5  # frames: SMPTE RP 197, from memory
SECOND_AFTER = 2  # frames from the field that repeats first to the one of the other kind
LIKELY = 0.01  # of the deals that may do as well; more tell nothing


@dataclass(frozen=True)
class FilmOverFields:
    """Where fields repeat.

    Attributes:
        lead: the kind of field that repeats first, 0 top, 1 bottom.
        phase: of the frames, modulo five, in which it does; the other kind does two frames later.
        chance: share of the deals that do as well, 0 to `LIKELY`.
    """

    lead: int
    phase: int
    chance: float = 0.0


def fields_done(top: Parts, bottom: Parts) -> Curves:
    """(4, N) what the top fields of a shot do, what there was to do, and that of the bottom fields; 1 in the mean.

    Args:
        top: (N, 2, cells) of the top fields, as from `measure.phases.parts_done`; NaN where the frames are not there.
        bottom: likewise.
    """
    if any(np.isnan(parts).any(axis=(1, 2)).all() for parts in (top, bottom)):
        return np.full((4, len(top)), np.nan)
    pairs = [np.stack(most_moving(parts)).astype(np.float64) for parts in (top, bottom)]
    return np.concatenate([pair / max(1e-6, float(np.nanmean(pair[1]))) for pair in pairs])


def film_over_fields(done: Curves) -> FilmOverFields | None:
    """How film lies over the fields of a run of frames; None where it does not, or nothing tells.

    Args:
        done: (4, N) as from `fields_done`; NaN where nothing is known.
    """
    table = done[:, : done.shape[1] // FIELD_PERIOD * FIELD_PERIOD].reshape(len(done), -1, FIELD_PERIOD)
    table = table[:, ~np.isnan(table).any(axis=(0, 2))]
    if table.shape[1] < FEWEST_PERIODS or table[[1, 3]].mean(axis=(1, 2)).min() <= 0:
        return None
    still = _still(table)
    lead, phase = np.unravel_index(int(still.argmin()), still.shape)
    least = max(0.0, float(still.min()))
    if least >= NOTHING:
        return None
    chance = float(np.mean([_still(one).min() <= least for one in dealt_anew(table)]))
    return FilmOverFields(int(lead), int(phase), chance) if chance <= LIKELY else None


def _still(table: Curves) -> Curves:
    """(2, 5) what fields do that should repeat, by lead and phase; endless where nothing goes on beside them.

    Args:
        table: (4, periods, 5) of `fields_done`.
    """
    mean = table.mean(axis=1)
    shares = [mean[0] / mean[1].mean(), mean[2] / mean[3].mean()]
    found = np.full((2, FIELD_PERIOD), np.inf)
    for lead in (0, 1):
        first, goes_on = shares[lead], shares[1 - lead]
        second, goes_on_then = (np.roll(one, -SECOND_AFTER) for one in (shares[1 - lead], shares[lead]))
        tells = np.maximum(goes_on - first, goes_on_then - second) > SOMETHING
        found[lead] = np.where(tells, np.maximum(first, second), np.inf)
    return found
