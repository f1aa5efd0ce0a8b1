from __future__ import annotations

import json
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from grevin.core.job.job_file import JobFile
from grevin.core.measure.fields import combing
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.verdicts import same_place
from grevin.demo.making import draw_where_missing, make_demo
from grevin.demo.reel import DemoReel
from grevin.demo.time_reels import TimeReel, film_on_tape, time_reels
from grevin.desktop.work.opening import prepare


@pytest.mark.slow
def test_a_piece_of_the_demo_with_its_truth(tmp_path: Path) -> None:
    files = make_demo(tmp_path, Progress(), range(92, 100))
    reel, clean = open_reel(files.reel), DemoReel()
    assert (len(reel), reel.format.width, reel.format.height, reel.format.rate) == (8, 960, 720, 24)
    truth = json.loads((files.truth / "truth.json").read_text())
    assert truth["first_frames"] == [96]
    stored = np.load(files.truth / "masks.npz")
    shape = tuple(stored["shape"])
    for number in range(8):
        mask = np.unpackbits(stored["masks"][number])[: shape[0] * shape[1]].reshape(shape).astype(bool)
        assert mask.any()
        ours, theirs = reel.frame(number).luma8(), clean.frame(92 + number).luma8()
        assert psnr(*squared_error(ours, theirs, mask)) < 20
        assert psnr(*squared_error(ours, theirs, ~mask)) > 45
    survey = run_survey(reel, range(8), "full", Progress())
    assert survey.cuts == [4]
    hits = [
        any(row["frame"] == spot["frame"] and same_place(tuple(row["area"]), area_of(spot)) for row in truth["dirt"])
        for spot in survey.spots
    ]
    assert np.mean(hits) > 0.9, "what the survey counts as dirt was put there"
    assert len(hits) > 0.6 * sum(row["frame"] not in {0, 3, 4, 7} for row in truth["dirt"])
    assert [one.step for one in proposal_for(survey, range(4))] == ["dirt"]
    changed = files.reel.stat().st_mtime_ns
    make_demo(tmp_path, Progress(), range(92, 100))
    assert files.reel.stat().st_mtime_ns == changed, "drawn once"


def area_of(spot: np.ndarray) -> tuple[int, int, int, int]:
    return int(spot["x"]), int(spot["y"]), int(spot["width"]), int(spot["height"])


def test_the_reel_has_shots_that_move() -> None:
    reel = DemoReel()
    assert len(reel) == 336
    assert reel.first_frames == (0, 96, 168, 252)
    assert len(reel.shot_names) == 4
    first, next_ = reel.frame(300).luma8(), reel.frame(301).luma8()
    assert np.array_equal(first, DemoReel().frame(300).luma8())
    assert not np.array_equal(first, next_)
    with pytest.raises(IndexError):
        reel.frame(336)


def part(name: str, frames: range) -> tuple[MemorySource, TimeReel]:
    reel = next(one for one in time_reels() if one.name == name)
    return MemorySource([replace(reel.make(n), number=n - frames.start) for n in frames], name), reel


def under(source: MemorySource, step: str, settings: dict | None = None) -> Chain:
    return Chain(source, Treatment(steps=(TreatmentStep.make(step, settings or {}),)))


def test_the_home_movie_has_its_film_frames_picked() -> None:
    source, reel = part("harbour-super8-captures", range(65))
    sets = [range(first, stop) for first, stop in reel.truth["sets"] if stop <= 65]
    found = under(source, "pick")
    assert list(found.steps[0].timing.groups)[: len(sets)] == sets
    assert found.result.format.rate == reel.truth["film_speed"]


def test_the_regatta_gets_its_true_rate() -> None:
    source, reel = part("regatta-half-speed", range(40))
    found = under(source, "repeats")
    assert found.timeline.left_out().tolist() == [n for n in reel.truth["repeats"] if n < 40]
    assert str(found.result.format.rate) == reel.truth["true_rate"]


def test_the_tape_is_taken_for_what_each_shot_is() -> None:
    source, reel = part("evening-tape", range(34, 66))
    found = under(source, "fields")
    assert "1 interlaced, 1 film; bottom field first" in found.steps[0].time_notes[0]
    assert found.result.format.field_order == "progressive"
    cut = reel.truth["cut"] - 34
    film = {film_on_tape(picture).planes[0].tobytes() for picture in range(22)}
    shown = [found.result.frame(n).planes[0].tobytes() in film for n in range(cut + 1, 31)]
    assert all(shown), "film comes back as it was before it was spread over fields"
    assert combing(source.frame(4).luma8()).mean() > 3 * combing(found.result.frame(4).luma8()).mean()


def test_the_frames_at_the_ferrys_pause_are_made_anew() -> None:
    source, reel = part("ferry-with-a-pause", range(22, 34))
    bad = [n - 22 for n in reel.truth["bad"]]
    found = under(source, "rebuild", {"frames": bad})
    assert np.flatnonzero(found.timeline.made).tolist() == bad
    for number in bad:
        level = found.result.frame(number).luma8().mean()
        assert abs(level - source.frame(2).luma8().mean()) < 2
        assert source.frame(number).luma8().mean() > level + 30
    assert not np.array_equal(found.result.frame(bad[0]).planes[0], source.frame(bad[0] - 1).planes[0])


def test_other_reels_are_drawn_when_they_are_opened_once_with_their_truth(tmp_path: Path) -> None:
    small = replace(time_reels()[1], length=4)
    path = tmp_path / f"{small.name}.mkv"
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("grevin.demo.making.other_reels", lambda: (small,))
        draw_where_missing(path, Progress())
        assert not path.exists(), "a file of that name elsewhere is nobody's demo"
        files = make_demo(tmp_path, Progress(), range(2))
        assert files.others == (path,)
        assert not path.exists(), "it waits until it is opened"
        prepared = prepare([files.job], Progress(), 1)
        prepared.reel.close()
        written = path.stat().st_mtime_ns
        draw_where_missing(path, Progress())
        assert path.stat().st_mtime_ns == written
        other = replace(small, name="new-reel")
        patch.setattr("grevin.demo.making.other_reels", lambda: (small, other))
        make_demo(tmp_path, Progress(), range(2))
    with closing(JobFile.open(tmp_path / "port-ellery.grevin")) as job:
        assert [Path(reel.path).stem for reel in job.document.reels][1:] == [small.name, "new-reel"]
    truth = json.loads((tmp_path / "truth" / f"{small.name}.json").read_text())
    assert truth["true_rate"] == "25/2"
    reel = open_reel(path)
    assert (len(reel), reel.format.rate, reel.format.width) == (4, 25, 768)
