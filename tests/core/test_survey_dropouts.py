"""Dropouts in the survey: counted on some frames of interlaced material, found, proposed; nothing of that elsewhere."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.measures.dropouts import EVERY
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.report import summary_lines
from grevin.core.survey.survey import Survey, run_survey
from tests.core.test_dropout import woven

LENGTH = 3 * EVERY


def surveyed(frames: list[Frame]) -> Survey:
    return run_survey(MemorySource(frames, "tape"), range(len(frames)), "full", Progress())


def long_tape() -> list[Frame]:
    """The short one to and fro."""
    some = woven()
    order = [*range(len(some)), *range(len(some) - 2, 0, -1)]
    return [some[order[n % len(order)]].with_number(n) for n in range(LENGTH)]


def test_they_are_counted_found_and_proposed() -> None:
    damage = DropoutDamage(4, 6.0, ("white", "black"))
    survey = surveyed([damage.add(frame)[0] for frame in long_tape()])
    count = survey.series["dropout_count"]
    assert np.flatnonzero(~np.isnan(count)).tolist() == list(range(EVERY, LENGTH, EVERY))
    assert np.nanmean(count) > 2
    assert "dropout" in {finding.kind for finding in survey.findings}
    assert "streaks a frame on single fields" in next(
        one.reason for one in proposal_for(survey, range(LENGTH)) if one.step == "dropout"
    )
    assert any(line.startswith("Dropouts:") for line in summary_lines(survey))


def test_clean_tape_has_none_and_film_is_not_asked() -> None:
    clean = long_tape()
    survey = surveyed(clean)
    assert np.nanmax(survey.series["dropout_count"]) == 0
    assert "dropout" not in {one.step for one in proposal_for(survey, range(LENGTH))}
    film = [replace(frame, format=replace(frame.format, field_order="progressive")) for frame in clean]
    assert np.isnan(surveyed(film).series["dropout_count"]).all()
