"""Frames have names: what was said of one costs its reach, what no step touched is the same frame everywhere."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

import numpy as np
import pytest

from grevin.core.cache import MOST_PINNED, ByteCache
from grevin.core.errors import CancelledError
from grevin.core.job.measured import MeasuredFile
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render import run as render
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.settings import Settings
from grevin.core.treatment import studies, window
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames, write_video
from tests.core.film_time import RATE, captures, same, source_of

DIRT = TreatmentStep.make("dirt")
PICK = TreatmentStep.make("pick")


class Looks(Settings):
    """No settings."""


class LooksAside:
    """A local step that finds nothing by itself, and reads two frames on either side."""

    id: ClassVar[str] = "aside"
    label: ClassVar[str] = "Aside"
    version: ClassVar[int] = 1
    family: ClassVar[str] = "local"
    stage: ClassVar[str] = "surface"
    settings_model: ClassVar[type[Settings]] = Looks

    def reach(self, settings: Looks) -> int:
        return 2

    def find(self, window, settings: Looks) -> Evidence:
        for offset in (-2, 2):
            if window.has(offset):
                window.motion(offset, "quick")
        return Evidence.nothing(window.luma8().shape)

    def mend(self, window, evidence: Evidence, settings: Looks):
        return np.ones_like(window.rgb())


def aside(source: MemorySource, cache: ByteCache, steps: int, words: Verdicts | None = None) -> Chain:
    made = Chain(source, Treatment(steps=()), cache, verdicts=words)
    for _ in range(steps):
        made.add(LooksAside(), Looks())
    return made


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Grows by one whenever motion is estimated."""
    calls: list[int] = []
    real = window.estimate_flow

    def estimate(*args):
        calls.append(1)
        return real(*args)

    monkeypatch.setattr(window, "estimate_flow", estimate)
    return calls


def test_motion_between_untouched_frames_is_estimated_once_for_the_whole_path(counted: list[int]) -> None:
    source = moving_frames(12)
    for steps in (1, 4):
        counted.clear()
        path = aside(source, ByteCache(1 << 28), steps)
        for number in range(12):
            path.result.frame(number)
        assert len(counted) == 2 * 10, "each pair once, whatever the number of steps"


def test_a_verdict_costs_only_the_frames_within_reach(counted: list[int]) -> None:
    source, cache = moving_frames(40), ByteCache(1 << 28)
    before = aside(source, cache, 3)
    keys = [before.result.key(number) for number in range(40)]
    for number in range(40):
        before.result.frame(number)
    counted.clear()
    said = aside(source, cache, 3, Verdicts([Verdict("aside", 20, (10, 10, 8, 8), "mend")]))
    anew = [number for number in range(40) if said.result.key(number) != keys[number]]
    assert anew == list(range(16, 25)), "the reach of the two steps behind the first"
    for number in range(40):
        frame = said.result.frame(number)
        assert (frame is source.frame(number)) == (number != 20)
    assert len(counted) <= 3 * 4, "motion to and from the one frame that changed"


def test_what_was_learned_of_a_reel_is_not_dropped_for_pictures() -> None:
    lumas, sets = captures([6] * 6, True)
    source = source_of(lumas, RATE, "pinned")
    cache = ByteCache(sum(plane.nbytes for plane in source.frame(0).planes) * 3)
    path = Chain(source, Treatment(steps=(PICK,)), cache)
    path.prepare(Progress())
    for number in range(len(source)):
        path.source.frame(number)
    assert path.knows_time(1)
    assert list(path.steps[0].timing.groups) == sets


def test_a_reel_that_grows_is_studied_anew(tmp_path: Path) -> None:
    lumas, sets = captures([6] * 8, True)
    kept = MeasuredFile(tmp_path / "job.sqlite")
    for count in (30, len(lumas)):
        source = source_of(lumas[:count], RATE, "growing")
        path = Chain(source, Treatment(steps=(PICK,)), studies=kept)
        assert path.steps[0].timing.timeline.length == count
    assert list(path.steps[0].timing.groups) == sets


def test_another_version_of_a_step_studies_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lumas, _ = captures([6] * 6, True)
    source = source_of(lumas, RATE, "versions")
    kept = MeasuredFile(tmp_path / "job.sqlite")
    keys: list[str] = []
    real = kept.study
    monkeypatch.setattr(kept, "study", lambda key: keys.append(key) or real(key))
    for version in (1, 2):
        path = Chain(source, Treatment(steps=(PICK,)), studies=kept)
        monkeypatch.setattr(type(path.steps[0].step), "version", version)
        path = Chain(source, Treatment(steps=(PICK,)), studies=kept)
        path.prepare(Progress())
    assert len(keys) == 2
    assert len(set(keys)) == 2


def test_an_output_does_not_study_again_what_the_job_knows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lumas, _ = captures([6] * 6, True)
    source = source_of(lumas, RATE, "written")
    reel = open_reel(write_video(tmp_path / "reel.mkv", [source.frame(n) for n in range(len(source))]))
    kept = MeasuredFile(tmp_path / "job.sqlite")
    treatment = Treatment(steps=(PICK,))
    Chain(render.DeclaredReel(reel), treatment, studies=kept).prepare(Progress())
    looked: list[int] = []
    real = studies.StudiedReel.luma8
    monkeypatch.setattr(studies.StudiedReel, "luma8", lambda self, n: looked.append(n) or real(self, n))
    request = render.RunRequest(tmp_path / "out.mkv", range(len(reel)))
    render.run(reel, Plan.whole(treatment), request, Progress(), kept)
    assert looked == []
    reel.close()


@pytest.mark.parametrize("step", ["pick", "repeats", "fields", "rebuild"])
def test_a_study_stops_within_a_few_frames_when_it_is_cancelled(step: str) -> None:
    """Wherever it is: frames are counted from the moment on which it is asked to stop."""
    clean = moving_frames(60)
    settings = {"unreadable": "rebuild"} if step == "rebuild" else {}
    for stop_at in (3, 70, 130):
        progress, loaded = Progress(), []

        class Slow:
            format, identity = clean.format, f"{clean.identity} {stop_at}"

            def __len__(self) -> int:
                return len(clean)

            def frame(self, number: int):
                loaded.append(number)  # noqa: B023 - used within this turn
                if len(loaded) == stop_at:  # noqa: B023
                    progress.cancel()  # noqa: B023
                return clean.frame(number)

        path = Chain(Slow(), Treatment(steps=(TreatmentStep.make(step, settings),)), ByteCache(1 << 20))
        try:
            path.prepare(progress)
        except CancelledError:
            assert len(loaded) - stop_at < 40
        else:
            assert len(loaded) < stop_at + 40, "it was done before, or nearly"


def test_what_is_kept_depends_on_all_within_reach() -> None:
    clean = moving_frames(30)
    cache = ByteCache(256 << 20)
    rebuilt = TreatmentStep.make("rebuild", {"frames": list(range(6, 26))})
    # a step before it that changes frame 5, which lies eleven frames before the one that is made of it
    marked = Verdicts([Verdict("dirt", 5, (40, 30, 30, 30), "mend")])
    for words in (None, marked):
        path = Chain(clean, Treatment(steps=(DIRT, rebuilt)), cache, verdicts=words)
        fresh = Chain(clean, Treatment(steps=(DIRT, rebuilt)), verdicts=words)
        assert same(path.result.frame(16), fresh.result.frame(16))


def test_a_reel_of_many_shots_keeps_what_was_learned() -> None:
    clean = moving_frames(8)
    frames = [clean.frame(number % 8) for number in range(3 * MOST_PINNED)]
    source = MemorySource(frames, "many shots")
    steps = Treatment(steps=(TreatmentStep.make("repeats"), TreatmentStep.make("fields")))
    path = Chain(source, steps, cuts=range(2, len(frames), 2))
    path.prepare(Progress())
    assert path.knows_time(2)


def test_asking_again_reads_neither_treatments_nor_verdicts(monkeypatch: pytest.MonkeyPatch) -> None:
    source = moving_frames(12)
    words = Verdicts(Verdict("repeats", n, (0, 0, 5, 5), "leave") for n in range(12))
    treated = TreatedReel(source, Plan.whole(Treatment(steps=(TreatmentStep.make("repeats"), DIRT))), verdicts=words)
    treated.prepare(Progress())
    asked: list[str] = []
    real_dump, real_key = Treatment.model_dump_json, Verdicts.key
    monkeypatch.setattr(Treatment, "model_dump_json", lambda self: asked.append("dump") or real_dump(self))
    monkeypatch.setattr(Verdicts, "key", lambda self, *args: asked.append("key") or real_key(self, *args))
    for number in range(1000):
        chain = treated.at(number % 12)
        assert len(chain.steps[0].timing.timeline) == 12
        assert chain.is_studied(2, number % 12)
    assert asked == []
