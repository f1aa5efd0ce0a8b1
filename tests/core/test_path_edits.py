"""Steps moved and doubled, recipes brought in, what changes told in words."""

from __future__ import annotations

from grevin.core.treatment.path_edits import change_words, doubled, moved, step_words, taken
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region

REGION = Region(use="only", x=1, y=2, width=3, height=4)
PATH = Treatment(steps=(
    TreatmentStep.make("repeats"), TreatmentStep.make("dirt", {"grow_px": 3}, regions=(REGION,)),
    TreatmentStep.make("reframe"),
))  # fmt: skip


def ids(treatment: Treatment) -> list[str]:
    return [step.step for step in treatment.steps]


def test_steps_are_moved_and_doubled() -> None:
    assert ids(moved(PATH, 1, 0)) == ["dirt", "repeats", "reframe"]
    assert ids(moved(PATH, 0, 2)) == ["dirt", "reframe", "repeats"]
    again = doubled(PATH, 1)
    assert ids(again) == ["repeats", "dirt", "dirt", "reframe"]
    assert again.steps[2].settings == PATH.steps[1].settings
    assert again.steps[2].regions == ()


def test_what_a_recipe_changes_is_told() -> None:
    assert step_words(PATH.steps[1]) == "Dirt: Grow 3, 1 region"
    recipe = Treatment(steps=(TreatmentStep.make("repeats"), TreatmentStep.make("dirt")))
    assert change_words(PATH, taken(PATH, recipe, "instead")) == [
        "goes: Dirt: Grow 3, 1 region", "goes: Reframe", "comes: Dirt", "1 step stays as it is",
    ]  # fmt: skip
    behind = change_words(PATH, taken(PATH, recipe, "behind"))
    assert "comes: Dirt" in behind
    assert any("works better before" in line for line in behind), "a time step behind a crop is told"
    assert change_words(PATH, PATH) == ["3 steps stay as they are"]
