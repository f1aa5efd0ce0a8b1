from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.verdicts import same_place
from grevin.demo.making import make_demo
from grevin.demo.reel import DemoReel


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
