"""Settings over time: numbers that change between key frames, each frame treated with its own."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from grevin.core.errors import SettingsError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import Job, Reel, change_settings
from grevin.core.job.job_file import JobFile, export_job, import_job
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.over_time import OverTime, ValueKey
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from tests.conftest import moving_frames

GROWING = {"setting": "grow_px", "keys": [{"frame": 2, "value": 1}, {"frame": 6, "value": 5}]}


def dirty() -> MemorySource:
    clean, damage = moving_frames(9), DirtDamage(seed=5, blobs_per_frame=60, hair_share=0.0, largest_px=10)
    return MemorySource([damage.add(clean.frame(n))[0] for n in range(9)], "dirty")


def step(*over_time: dict) -> TreatmentStep:
    return TreatmentStep.make("dirt", over_time=tuple(OverTime.model_validate(one) for one in over_time))


def test_values_run_evenly_or_with_ease_and_stand_at_the_ends() -> None:
    even = OverTime.model_validate(GROWING)
    assert [even.at(frame) for frame in (0, 2, 3, 4, 6, 9)] == [1, 1, 2, 3, 5, 5]
    eased = OverTime.model_validate({**GROWING, "ease": "both"})
    assert eased.at(3) < 2
    assert eased.at(4) == 3
    assert eased.at(5) > 4
    assert [eased.at(frame) for frame in (0, 2, 6, 9)] == [1, 1, 5, 5]
    single = OverTime(setting="grow_px", keys=(ValueKey(frame=4, value=3),))
    assert [single.at(frame) for frame in (0, 4, 9)] == [3, 3, 3]


def test_each_frame_is_treated_with_its_own_settings() -> None:
    source = dirty()
    changing = Chain(source, Treatment(steps=(step(GROWING),)))
    for frame, grow in ((1, 1), (4, 3), (7, 5)):
        fixed = Chain(source, Treatment(steps=(TreatmentStep.make("dirt", {"grow_px": grow}),)))
        assert changing.steps[0].settings_at(frame).grow_px == grow
        assert np.array_equal(changing.steps[0].evidence(frame).mask, fixed.steps[0].evidence(frame).mask)
        for one, other in zip(changing.result.frame(frame).planes, fixed.result.frame(frame).planes, strict=True):
            assert np.array_equal(one, other)
        assert changing.result.key(frame) == fixed.result.key(frame), "the same frame, whatever the others are"


def test_recipes_jobs_and_acts_keep_them(tmp_path: Path) -> None:
    treatment = Treatment(steps=(step(GROWING),))
    assert treatment_from_recipe(treatment.recipe(), "again") == treatment
    assert change_settings(treatment, 0, {"caution": 0.3}).steps[0].over_time == treatment.steps[0].over_time
    document = Job(reels=(Reel(path="/material/reel.mkv", declared=Declared(), treatment=treatment),))
    JobFile.create(tmp_path / "a.grevin", document).close()
    job = JobFile.open(tmp_path / "a.grevin")
    assert job.document.reels[0].treatment == treatment
    job.close()
    import_job(export_job(tmp_path / "a.grevin"), tmp_path / "b.grevin")
    assert export_job(tmp_path / "b.grevin") == export_job(tmp_path / "a.grevin")
    assert treatment.steps[0].over_time[0].words == "grow_px over time: 1 at frame 2, 5 at frame 6"


@pytest.mark.parametrize(
    ("name", "over_time", "words"),
    [
        ("dirt", [{**GROWING, "setting": "way"}], "“way” of the step dirt cannot change over time"),
        ("dirt", [{**GROWING, "setting": "nothing"}], "“nothing” of the step dirt cannot change over time"),
        ("pick", [{**GROWING, "setting": "captures"}], "“captures” of the step pick cannot change over time"),
        ("reframe", [{**GROWING, "setting": "width"}], "“width” of the step reframe cannot change over time"),
        ("dirt", [GROWING, GROWING], "changes over time twice"),
        ("dirt", [{"setting": "grow_px", "keys": [{"frame": 0, "value": 999}]}], "grow_px = 999"),
        ("dirt", [{"setting": "grow_px", "keys": []}], "is not written as one"),
        ("dirt", [{"setting": "grow_px", "keys": [{"frame": 1, "value": 1}] * 2}], "is not written as one"),
    ],
)
def test_what_cannot_change_is_refused_in_words(name: str, over_time: list, words: str) -> None:
    recipe = {"format": "grevin-recipe", "version": 1, "steps": [{"step": name, "over_time": over_time}]}
    with pytest.raises(SettingsError, match=words):
        treatment_from_recipe(recipe, "wrong.json")
