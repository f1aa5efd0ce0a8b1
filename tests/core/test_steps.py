"""The contract that every registered step keeps, without a line added for a new one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal, get_args, get_origin

import numpy as np
import pytest

from grevin.core.cache import ByteCache
from grevin.core.errors import SettingsError
from grevin.core.job.document import add_step
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps import registry as registry_module
from grevin.core.steps.base import METHODS, STAGES, Registry
from grevin.core.steps.registry import REGISTRY, add_installed, step_by_id
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Timing
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from grevin.core.treatment.step_source import StepSource
from tests.conftest import moving_frames

STEPS = sorted(REGISTRY.steps)
LOCAL = [step for step in STEPS if hasattr(REGISTRY.steps[step], "find")]
DRAWN = ("learns_where", "fills_strokes")
BY_THEMSELVES = [  # nothing need be drawn
    step for step in LOCAL if not any(hasattr(REGISTRY.steps[step], name) for name in DRAWN)
]


@pytest.fixture(scope="module")
def clean() -> MemorySource:
    return moving_frames(7)


@pytest.fixture(scope="module")
def dirty(clean: MemorySource) -> MemorySource:
    damage = DirtDamage(seed=5, blobs_per_frame=60, hair_share=0.0, largest_px=10)
    return MemorySource([damage.add(clean.frame(n))[0] for n in range(len(clean))], "dirty")


@pytest.fixture(scope="module")
def scratched() -> MemorySource:
    damage = ScratchDamage(3, lines=(Line(0.3, 3.0, 40.0), Line(0.6, 3.0, 235.0, "opaque")))
    source = moving_frames(9, 320, 240)
    return MemorySource([damage.add(source.frame(n))[0] for n in range(len(source))], "scratched")


@pytest.fixture(scope="module")
def bordered() -> MemorySource:
    source = moving_frames(7, 240, 180)
    return MemorySource([BorderDamage(3, 6, 7).add(source.frame(n))[0] for n in range(len(source))], "bordered")


@pytest.fixture(scope="module")
def streaked() -> MemorySource:
    damage, source = DropoutDamage(4, 6.0, ("white", "black")), moving_frames(7, 320, 240)
    return MemorySource([damage.add(source.frame(n))[0] for n in range(len(source))], "streaked")


@pytest.fixture(scope="module")
def doubled() -> MemorySource:
    frames = [moving_frames(7).frame(number) for number in range(7)]
    twice = [replace(one, planes=tuple(np.repeat(plane[::2], 2, axis=0) for plane in one.planes)) for one in frames]
    return MemorySource(twice, "doubled")


@pytest.fixture
def damaged(
    step: str, dirty: MemorySource, scratched: MemorySource, bordered: MemorySource, doubled: MemorySource,
    streaked: MemorySource,
) -> MemorySource:  # fmt: skip
    """Frames that a step finds something on."""
    others = {"scratch": scratched, "edges": bordered, "stairs": doubled, "dropout": streaked}
    return others.get(step, dirty)


def treated(source: MemorySource, step: str) -> Chain:
    return Chain(source, Treatment(steps=(TreatmentStep.make(step),)))


@pytest.mark.parametrize("step", [step for step in STEPS if step != "noise"])  # the clean frames here have grain
def test_clean_input_comes_back_as_the_very_same_frames(step: str, clean: MemorySource) -> None:
    chain = treated(clean, step)
    if chain.size_format != clean.format:
        pytest.skip("gives the picture another shape: tests/core/test_reframe.py says what has to stay")
    for number in range(len(clean)):
        assert chain.result.frame(number) is chain.source.frame(number)
        evidence = chain.evidence_at(1, number)
        assert evidence is not None or step not in LOCAL
        assert evidence is None or not evidence.mask.any()


@pytest.mark.parametrize("step", BY_THEMSELVES)
def test_the_input_is_not_modified_and_nothing_changes_outside_the_evidence(step: str, damaged: MemorySource) -> None:
    before = [[plane.copy() for plane in damaged.frame(n).planes] for n in range(len(damaged))]
    chain = treated(damaged, step)
    changed = 0
    for number in range(len(damaged)):
        result, evidence = chain.result.frame(number), chain.evidence_at(1, number)
        assert evidence is not None
        for index, (ours, theirs) in enumerate(zip(result.planes, before[number], strict=True)):
            np.testing.assert_array_equal(damaged.frame(number).planes[index], theirs)
            assert ours.dtype == theirs.dtype
            outside = ~evidence.mask if index == 0 else ~evidence.mask[::2, ::2]
            np.testing.assert_array_equal(ours[outside], theirs[outside])
        changed += result is not chain.source.frame(number)
    assert changed >= 5


@pytest.mark.parametrize("step", STEPS)
def test_the_result_does_not_depend_on_how_it_is_reached(step: str, dirty: MemorySource) -> None:
    forward, jumping = treated(dirty, step), treated(dirty, step)
    order = [4, 0, 6, 2, 5, 1, 3]
    there = {number: jumping.result.frame(number) for number in order}
    small = Chain(dirty, Treatment(steps=(TreatmentStep.make(step),)), ByteCache(1))
    for number in range(len(dirty)):
        for other in (there[number], small.result.frame(number)):
            for ours, theirs in zip(forward.result.frame(number).planes, other.planes, strict=True):
                np.testing.assert_array_equal(ours, theirs)


class Watched:
    """A window that remembers how far away one looked: from where it was laid, and from where something is kept."""

    def __init__(self, window: Any, seen: list[int], kept: list[int], place: int = 0, held: int | None = None) -> None:
        self._window, self._seen, self._kept, self._place, self._held = window, seen, kept, place, held

    def __getattr__(self, name: str) -> Any:
        return getattr(self._window, name)

    def _look(self, offset: int) -> None:
        self._seen.append(abs(self._place + offset))
        if self._held is not None:
            self._kept.append(abs(self._place + offset - self._held))

    def frame(self, offset: int = 0) -> Frame:
        self._look(offset)
        return self._window.frame(offset)

    def luma8(self, offset: int = 0) -> Any:
        self._look(offset)
        return self._window.luma8(offset)

    def rgb(self, offset: int = 0) -> Any:
        self._look(offset)
        return self._window.rgb(offset)

    def motion(self, offset: int, quality: Any = "fine") -> Any:
        self._look(offset)
        return self._window.motion(offset, quality)

    def at(self, offset: int) -> Any:
        return Watched(self._window.at(offset), self._seen, self._kept, self._place + offset, self._held)

    def keep(self, name: str, make: Any, size_of: Any) -> Any:
        before, self._held = self._held, self._place
        try:
            return self._window.keep(name, make, size_of)
        finally:
            self._held = before


@pytest.mark.parametrize("step", STEPS)
def test_a_step_looks_no_farther_than_it_says(step: str, monkeypatch: pytest.MonkeyPatch) -> None:
    seen, kept = [0], [0]
    real = StepSource.window
    monkeypatch.setattr(StepSource, "window", lambda self, number: Watched(real(self, number), seen, kept))
    source = moving_frames(24)
    damage = DirtDamage(seed=6, blobs_per_frame=60, hair_share=0.0, largest_px=10)
    dirty = MemorySource([damage.add(source.frame(n // 2))[0] for n in range(48)], "dirty")
    values = {"rebuild": {"frames": [20, 21]}}.get(step, {})
    chain = Chain(dirty, Treatment(steps=(TreatmentStep.make(step, values),)))
    for number in range(len(chain.result)):
        chain.result.frame(number)
        chain.evidence_at(1, number)
    reach = chain.steps[0]._reach
    assert max(seen) <= reach
    assert max(kept) <= reach, "what is kept of a frame is kept under what lies within reach of it"


@pytest.mark.parametrize("step", STEPS)
def test_settings_are_declared_in_full(step: str) -> None:
    model = step_by_id(step).settings_model
    defaults = model()
    assert model.model_validate_json(defaults.model_dump_json()) == defaults
    for name, field in model.model_fields.items():
        extra: Any = field.json_schema_extra
        assert field.title, name
        assert (field.description or "").endswith("."), name
        if get_origin(field.annotation) is Literal:
            assert getattr(defaults, name) in get_args(field.annotation)
        elif field.annotation is not bool and get_origin(field.annotation) is not tuple:
            assert extra["low"] <= getattr(defaults, name) <= extra["high"], name
            for wrong in (extra["low"] - 1, extra["high"] + 1):
                with pytest.raises(SettingsError, match=f"{name} = {wrong}.* is not allowed"):
                    model.read({name: wrong}, step)


def test_errors_name_what_is_wrong_and_what_is_near() -> None:
    with pytest.raises(SettingsError, match=r"There is no step “dirty”. Did you mean “dirt”\?"):
        step_by_id("dirty")
    with pytest.raises(SettingsError, match="“size” is not a setting of dirt"):
        TreatmentStep.make("dirt", {"size": 3})
    with pytest.raises(SettingsError, match=r"polarity = 'grey' is not allowed \(one of both, darker, brighter\)"):
        TreatmentStep.make("dirt", {"polarity": "grey"})


def test_values_are_rounded_to_their_decimals() -> None:
    assert TreatmentStep.make("dirt", {"sensitivity": 3.1415}).settings["sensitivity"] == 3.1


def test_recipes_round_trip_and_refuse_what_is_none() -> None:
    treatment = Treatment(steps=(TreatmentStep.make("dirt", {"grow_px": 4}), TreatmentStep.make("dirt", enabled=False)))
    assert treatment_from_recipe(treatment.recipe(), "r") == treatment
    good = {"format": "grevin-recipe", "version": 1, "steps": []}
    for wrong, words in (
        ([], "is not a recipe"), ({**good, "version": 9}, "version 9"), ({**good, "steps": {}}, "not a list"),
        ({**good, "speed": 1}, "unknown parts"), ({**good, "steps": [3]}, "Step 1 of r is not written as one"),
        ({**good, "steps": [{"settings": {}}]}, "Step 1 of r"),
    ):  # fmt: skip
        with pytest.raises(SettingsError, match=words):
            treatment_from_recipe(wrong, "r")


# The other families, by steps made for the test


class _Nothing(Settings):
    """No settings but one."""

    gain: float = setting(1.0, label="Gain", help="A factor.", low=0.0, high=4.0, decimals=2)


class _Whole:
    id: ClassVar[str] = "test_whole"
    label: ClassVar[str] = "Whole"
    version: ClassVar[int] = 1
    family: ClassVar[str] = "whole"
    stage: ClassVar[str] = "signal"
    settings_model: ClassVar[type[Settings]] = _Nothing

    def reach(self, settings: _Nothing) -> int:
        return 0

    def render(self, window: Any, settings: _Nothing) -> Any:
        return from_rgb(window.frame(), window.rgb() * np.float32(settings.gain))


class _Time(_Whole):
    id: ClassVar[str] = "test_time"
    family: ClassVar[str] = "time"
    render = None  # type: ignore[assignment]

    def study(self, reel: Any, settings: _Nothing, progress: Progress) -> Timing:
        taken = np.arange(0, len(reel), 2)
        return Timing(Timeline(len(reel), reel.format.rate / 2, taken, np.zeros(len(taken), np.bool_)))


class _Shape(_Whole):
    id: ClassVar[str] = "test_shape"
    family: ClassVar[str] = "shape"

    def new_format(self, fmt: PictureFormat, settings: _Nothing) -> PictureFormat:
        return replace(fmt, width=fmt.width // 2)

    def reshape(self, window: Any, number: int, settings: _Nothing) -> Frame:
        frame = window.frame()
        half = replace(frame.format, width=frame.format.width // 2)
        planes = tuple(p[:, : s[1]].copy() for p, s in zip(frame.planes, half.plane_shapes(), strict=True))
        return Frame(frame.number, half, planes, "everything")


def test_whole_steps_carry_floats_and_round_once(clean: MemorySource) -> None:
    chain = Chain(clean, Treatment())
    chain.add(_Whole(), _Nothing(gain=0.5))
    last = chain.add(_Whole(), _Nothing(gain=2.0))
    frame = last.frame(2)
    assert not frame.is_native
    assert frame.touched == "everything"
    for ours, theirs in zip(frame.rounded().planes, clean.frame(2).planes, strict=True):
        np.testing.assert_array_equal(ours, theirs)
    assert last.evidence(2) is None


def test_time_and_shape_steps_change_length_and_size(clean: MemorySource) -> None:
    chain = Chain(clean, Treatment())
    halved = chain.add(_Time(), _Nothing())
    assert len(halved) == 4
    assert halved.frame(3).number == 3
    assert halved.frame(3).planes[0] is clean.frame(6).planes[0]
    narrow = chain.add(_Shape(), _Nothing())
    assert isinstance(narrow, StepSource)
    assert narrow.format.width == 80
    assert narrow.frame(0).planes[0].shape == (120, 80)


def test_a_resting_step_is_passed_by(dirty: MemorySource) -> None:
    resting = TreatmentStep.make("dirt", enabled=False)
    chain = Chain(dirty, Treatment(steps=(resting, TreatmentStep.make("dirt"))))
    assert chain.view_points[1] is chain.source
    assert chain.evidence_at(1, 3) is None
    assert chain.evidence_at(2, 3) is not None
    assert len(chain.steps) == 1


def test_a_step_registers_once() -> None:
    registry = Registry()
    registry.add(_Whole())  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="registered already"):
        registry.add(_Whole())  # type: ignore[arg-type]


def test_settings_are_part_of_the_key(dirty: MemorySource) -> None:
    cache = ByteCache(1 << 26)
    first = Chain(dirty, Treatment(steps=(TreatmentStep.make("dirt"),)), cache)
    other = Chain(dirty, Treatment(steps=(TreatmentStep.make("dirt", {"smallest_px": 200}),)), cache)
    again = Chain(dirty, Treatment(steps=(TreatmentStep.make("dirt", {"smallest_px": 3}),)), cache)
    assert first.result.frame(3) is not other.result.frame(3)
    assert first.result.frame(3) is again.result.frame(3)
    assert other.result.frame(3) is other.source.frame(3)


class _CountingWindow:
    """Passes everything on and remembers how far a step looked."""

    def __init__(self, window: Any) -> None:
        self._window = window
        self.furthest = 0

    def __getattr__(self, name: str) -> Any:
        return getattr(self._window, name)

    def luma8(self, offset: int = 0) -> Any:
        self.furthest = max(self.furthest, abs(offset))
        return self._window.luma8(offset)

    def rgb(self, offset: int = 0) -> Any:
        self.furthest = max(self.furthest, abs(offset))
        return self._window.rgb(offset)

    def motion(self, offset: int, quality: Any = "fine") -> Any:
        self.furthest = max(self.furthest, abs(offset))
        return self._window.motion(offset, quality)


BESIDE_ONLY_WHERE_SOMETHING_IS = {"stairs"}  # it asks whether what repeats its neighbour moves


@pytest.mark.parametrize("step", BY_THEMSELVES)
def test_no_step_looks_further_than_it_says(step: str, damaged: MemorySource) -> None:
    chain = treated(damaged, step)
    source = chain.steps[0]
    furthest = []
    for number in range(len(damaged)):
        window = _CountingWindow(source.window(number))
        evidence = source.step.find(window, source.settings)  # type: ignore[union-attr]
        source.step.mend(window, evidence, source.settings)  # type: ignore[union-attr]
        furthest.append(window.furthest)
    reach = source.step.reach(source.settings)
    assert max(furthest) <= reach
    assert step in BESIDE_ONLY_WHERE_SOMETHING_IS or max(furthest) >= min(reach, 1), "no more than it needs"


@pytest.mark.parametrize("step", STEPS)
def test_every_step_says_its_family_and_stage(step: str) -> None:
    kind = REGISTRY.steps[step]
    assert kind.family in METHODS
    assert kind.stage in STAGES
    others = {name for family, names in METHODS.items() if family != kind.family for name in names}
    assert not [name for name in others if hasattr(kind, name)], "the methods of one family only"


def test_a_step_that_is_added_goes_where_its_stage_belongs() -> None:
    treatment = Treatment()
    for step in ("sidefill", "dirt", "reframe", "pick", "repeats"):
        treatment = add_step(treatment, step)
    assert [row.step for row in treatment.steps] == ["pick", "repeats", "dirt", "sidefill", "reframe"]


def test_a_step_that_does_not_keep_its_contract_is_refused() -> None:
    class Lacking(_Whole):
        id: ClassVar[str] = "lacking"
        family: ClassVar[str] = "local"

    with pytest.raises(ValueError, match="step lacking of the family local lacks find, mend"):
        Registry().add(Lacking())  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="registered already"):
        REGISTRY.add(REGISTRY.steps["dirt"])


def test_steps_of_other_packages_are_taken_in_and_faulty_ones_named(monkeypatch: pytest.MonkeyPatch) -> None:
    class Point:
        def __init__(self, name: str, made: Any) -> None:
            self.name, self.made = name, made
            self.dist = replace(_Package(), name="other-package")

        def load(self) -> Any:
            if isinstance(self.made, Exception):
                raise self.made
            return self.made

    class Mute(_Whole):
        id: ClassVar[str] = "mute"
        render = None  # type: ignore[assignment]

    points = [Point("whole", _Whole), Point("mute", Mute), Point("gone", ImportError("no module named gone"))]
    monkeypatch.setattr(registry_module, "entry_points", lambda group: points if group == "grevin.steps" else [])
    registry = Registry()
    add_installed(registry)
    assert list(registry.steps) == ["test_whole"]
    assert registry.faults == [
        "The step “mute” of other-package is left out: step mute of the family whole lacks render",
        "The step “gone” of other-package is left out: no module named gone",
    ]


@dataclass(frozen=True)
class _Package:
    name: str = ""


def test_steps_that_stand_in_an_unlucky_order_are_named() -> None:
    rows = [TreatmentStep.make(step) for step in ("reframe", "dirt", "repeats")]
    assert Treatment(steps=tuple(rows)).out_of_order() == (
        "Dirt stands behind Reframe; it works better before it.",
        "Repeated frames stands behind Reframe; it works better before it.",
    )
    assert Treatment(steps=tuple(reversed(rows))).out_of_order() == ()
    resting = rows[0].model_copy(update={"enabled": False})
    assert Treatment(steps=(resting, rows[1])).out_of_order() == ()
