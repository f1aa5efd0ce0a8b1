"""Frames made anew: two good ones a side, tie lines, bridged jumps, what is said of a mix."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pydantic
import pytest

from grevin.core.errors import SettingsError
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.steps.rebuild.ties import TieKey, TieLine, tied
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import read_recipe
from tests.conftest import moving_frames, write_video
from tests.core.film_time import BAR, RATE, chain, jumping_bar, same, source_of

LINES = [
    {"keys": [{"frame": n, "line": [BAR[n] + 4, 60, BAR[n] + 4, 180]} for n in (2, 4)]},
]  # fmt: skip


def error(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.square(one.astype(float) - other).mean())


def test_a_tie_line_lies_straight_between_its_frames() -> None:
    tie = TieLine(keys=(TieKey(frame=8, line=(0, 0, 10, 0)), TieKey(frame=4, line=(20, 8, 30, 8))))
    assert [key.frame for key in tie.keys] == [4, 8]
    assert tie.at(5) == (15, 6, 25, 6)
    assert tie.at(4) == (20, 8, 30, 8)
    assert tie.at(3.9) is None
    assert tie.at(8.1) is None
    assert tie.with_key(6, (1, 1, 2, 2)).at(7) == (0.5, 0.5, 6, 1)
    for frame, line in ((-1, [0, 0, 1, 1]), (1, [0, 0, 1e9, 1]), (1, [0, 0, 1]), (1, [0, 0, float("nan"), 1])):
        with pytest.raises(pydantic.ValidationError):
            TieLine.model_validate({"keys": [{"frame": frame, "line": line}]})
    with pytest.raises(pydantic.ValidationError):
        TieLine(keys=())


def test_motion_follows_a_line_that_turns_and_fades_out_beside_it() -> None:
    tie = TieLine(keys=(TieKey(frame=0, line=(50, 20, 50, 60)), TieKey(frame=2, line=(60, 20, 70, 60))))
    way, led = tied(np.zeros((80, 120, 2), np.float32), (tie,), 0, 2, 5)
    assert led is not None
    np.testing.assert_allclose(way[20, 50], (10, 0), atol=1e-4)
    np.testing.assert_allclose(way[60, 50], (20, 0), atol=1e-4)
    np.testing.assert_allclose(way[40, 52], (15, 0), atol=1e-4)
    assert led[40, 50] == 1
    assert 0 < led[40, 58] < 1
    assert led[40, 61] == 0
    assert not way[40, 61].any()
    assert tied(way, (tie,), 0, 3, 5)[1] is None, "beyond its last frame it says nothing"


def test_tie_lines_lead_what_no_search_finds() -> None:
    source = MemorySource([jumping_bar(n) for n in range(7)], "bar")
    truth = source.frame(3).planes[0]
    free = chain(source, "rebuild", {"frames": [3]})
    led = chain(source, "rebuild", {"frames": [3], "ties": LINES, "tie_reach_px": 10})
    assert error(led.result.frame(3).planes[0], truth) < 0.2 * error(free.result.frame(3).planes[0], truth)
    assert free.steps[0].shown(3).mask.mean() > 1.4 * led.steps[0].shown(3).mask.mean()
    assert "is a mix" in free.steps[0].shown(3).doubt
    assert free.steps[0].shown(2) is None, "a frame that was not made has nothing to show"


def test_two_good_frames_a_side_follow_what_slows_down() -> None:
    clean = moving_frames(80, 320, 240, speed=1.0)
    places = [0, 19, 34, 45, 52, 55, 55]  # slows down by four pixels a frame a frame
    source = MemorySource([clean.frame(place) for place in places], "slowing")
    truth = source.frame(2).planes[0]
    errors = {
        around: error(chain(source, "rebuild", {"frames": [2], "around": around}).result.frame(2).planes[0], truth)
        for around in ("one a side", "two a side")
    }
    assert errors["two a side"] < 0.8 * errors["one a side"]


def test_frames_are_put_in_to_bridge_a_pause() -> None:
    clean = moving_frames(30, 320, 240, speed=3.0)
    kept = [*range(10), *range(14, 24)]
    source = MemorySource([clean.frame(n) for n in kept], "pause")
    found = chain(source, "rebuild", {"put_in_after": [9], "put_in": 4})
    assert len(found.result) == 24
    assert np.flatnonzero(found.timeline.made).tolist() == [10, 11, 12, 13]
    assert "plays 0.17 s longer" in found.steps[0].time_notes[0]
    for number in range(10):
        assert same(found.result.frame(number), source.frame(number))
        assert same(found.result.frame(14 + number), source.frame(10 + number))
    for number in (10, 11, 12, 13):
        made = found.result.frame(number)
        truth = clean.frame(number).planes[0]
        assert made.number == number
        assert error(made.planes[0], truth) < 0.15 * error(source.frame(9).planes[0], truth)
    assert [found.output_of(1, frame) for frame in (9, 10)] == [9, 14]
    assert found.seam_at(1, 11) == (9, 14)
    assert found.next_made(1, 0, 1) == 10
    assert found.next_made(1, 10, -1) is None
    among = chain(source, "rebuild", {"put_in_after": [9], "put_in": 3, "frames": [9]})
    shares = [among.steps[0].timing.plan[n].share for n in range(9, 13)]
    assert shares == [0.2, 0.4, 0.6, 0.8], "bad frames and those put in are spread evenly"
    assert among.timeline.sources.tolist() == [*range(9), 9, 9, 9, 9, *range(10, 20)]
    none = chain(source, "rebuild", {"put_in_after": [19], "frames": [5]})
    assert len(none.result) == 20
    assert "no good frame on both sides" in none.steps[0].time_notes[0]
    with pytest.raises(SettingsError, match="no frame 20"):
        _ = chain(source, "rebuild", {"put_in_after": [20]}).timeline


def test_a_jump_is_bridged_only_when_that_is_asked_for() -> None:
    clean = moving_frames(60, 320, 240, speed=2.0)
    other = [np.roll(clean.frame(n).planes[0], 90, 0)[::-1] for n in range(8)]
    frames = [clean.frame(n) for n in range(8)]
    frames += [type(f)(f.number, f.format, (luma, *f.planes[1:])) for f, luma in zip(frames, other, strict=True)]
    source = MemorySource(frames, "jump")
    held = chain(source, "rebuild", {"frames": [7, 8]})
    assert same(held.result.frame(7), source.frame(6))
    assert "frame 6 is held" in held.steps[0].shown(7).doubt
    bridged = chain(source, "rebuild", {"frames": [7, 8], "over_cut": "bridge"})
    assert not same(bridged.result.frame(7), source.frame(6))
    mixed = chain(source, "rebuild", {"frames": [3], "way": "mix"}).steps[0].shown(3)
    assert mixed.mask.all()


def test_a_recipe_with_lines_plays_right_elsewhere_and_says_what_is_a_mix(tmp_path: Path) -> None:
    frames = [jumping_bar(n) for n in range(7)]
    path = write_video(tmp_path / "bar.mkv", frames, sound=True)
    steps = [
        {
            "step": "rebuild",
            "settings": {"frames": [3], "put_in_after": [4], "put_in": 2, "ties": LINES, "tie_reach_px": 10},
        }
    ]
    recipe = tmp_path / "bar.recipe.json"
    recipe.write_text(json.dumps({"format": "grevin-recipe", "version": 1, "steps": steps}))
    reel = open_reel(path)
    request = RunRequest(tmp_path / "o.mkv", range(7), tmp_path / "e", tmp_path / "l.csv", sound="padded")
    proof = run(reel, Plan.whole(read_recipe(recipe)), request, Progress())
    assert (proof.frames, proof.made, proof.untouched) == (9, 3, 6)
    assert any(note.startswith("Frame 5: ") and "is a mix" in note for note in proof.notes)
    with av.open(str(tmp_path / "o.mkv")) as container:
        video, audio = container.streams.video[0], container.streams.audio[0]
        assert video.average_rate == frames[0].format.rate
        assert sum(1 for _ in container.decode(video)) == 9
        container.seek(0)
        heard = sum(frame.samples for frame in container.decode(audio))
        assert Fraction(heard, audio.rate) == pytest.approx(float(9 / frames[0].format.rate), abs=1e-4)
    rows = (tmp_path / "l.csv").read_text().splitlines()[1:]
    assert [row.split(",")[0] for row in rows] == ["3", "4", "4"]


def test_a_jump_after_a_pause_does_not_bend_the_ways() -> None:
    clean = moving_frames(60, 320, 240, speed=1.0)
    places = [0, 2, 4, 16, 28, 30, 32]  # two pixels a frame, but for the jump around the frame that is bad
    source = MemorySource([clean.frame(place) for place in places], "paused")
    made = {
        around: chain(source, "rebuild", {"frames": [3], "around": around, "grain": False}).result.frame(3).planes[0]
        for around in ("one a side", "two a side")
    }
    truth = clean.frame(16).planes[0]
    assert error(made["two a side"], truth) < 1.1 * error(made["one a side"], truth) + 1


def test_nothing_is_put_in_among_too_many_bad_frames() -> None:
    source = MemorySource([moving_frames(1, 64, 48).frame(0)] * 70, "long")
    found = chain(source, "rebuild", {"frames": list(range(3, 66)), "put_in_after": [10]})
    assert not found.timeline.made.any()
    assert len(found.result) == 70


def test_texture_that_goes_along_with_the_motion_is_no_grain() -> None:
    """A fine fabric in a pan: a made frame gets no more noise than the film has, which is none."""
    rng = np.random.default_rng(4)
    fabric = rng.normal(0, 9, (200, 400)).astype(np.float32)
    ground = cv2.GaussianBlur(fabric, (0, 0), 0.8) * 2 + 120
    lumas = [np.clip(np.rint(ground[20:180, 20 + 3 * n : 260 + 3 * n]), 0, 255).astype(np.uint8) for n in range(7)]
    source = source_of(lumas, RATE, "fabric")
    with_grain, without = (
        chain(source, "rebuild", {"frames": [3], "grain": grain}).result.frame(3).planes[0] for grain in (True, False)
    )
    truth = source.frame(3).planes[0]
    assert error(with_grain, truth) < error(without, truth) + 1.0


def test_a_repeat_beyond_the_good_frame_bends_no_way() -> None:
    clean = moving_frames(9, 320, 240, speed=6.0)
    order = [0, 1, 1, 2, 3, 4, 5]  # the frame before the good one repeats it
    source = MemorySource([clean.frame(n).with_number(place) for place, n in enumerate(order)], "held")
    two, one = (
        chain(source, "rebuild", {"frames": [3], "grain": False, "around": around}).result.frame(3)
        for around in ("two a side", "one a side")
    )
    assert same(two, one)


def trembling(seed: int, spread: float, count: int = 9) -> list[np.ndarray]:
    """A picture that stands anew in each frame, around one place, and slowly goes on where the spread is none."""
    rng = np.random.default_rng(seed)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (220, 300)).astype(np.float32), (0, 0), 2.0)
    ground = np.clip((ground - ground.mean()) * 3 + 120, 16, 235)
    places = rng.normal(0, spread, (count, 2)) + (0 if spread else 0.7) * np.arange(count)[:, None]
    moves = [np.array([[1, 0, -x - 20], [0, 1, -y - 20]]) for x, y in places]
    frames = [cv2.warpAffine(ground, move, (240, 160), flags=cv2.INTER_CUBIC) for move in moves]
    return [np.clip(np.rint(one), 0, 255).astype(np.uint8) for one in frames]


def rebuilt(lumas: list[np.ndarray], way: str = "along motion") -> float:
    """Error of a frame made anew in the middle."""
    source, number = source_of(lumas, RATE, "trembling"), len(lumas) // 2
    made = chain(source, "rebuild", {"frames": [number], "grain": False, "way": way}).result.frame(number)
    return error(made.planes[0], lumas[number])


def test_where_the_camera_trembles_the_motion_is_tried_and_claims_less(monkeypatch: pytest.MonkeyPatch) -> None:
    runs = [trembling(seed, 0.8) for seed in range(10)]
    tried, mix = ([rebuilt(run, way) for run in runs] for way in ("along motion", "mix"))
    monkeypatch.setattr("grevin.core.steps.rebuild.making.moved_share", lambda _first, _last: 1.0)
    untried = [rebuilt(run) for run in runs]
    assert np.mean(mix) < 0.9 * np.mean(untried), "the motion misleads here"
    assert np.mean(tried) < 0.95 * np.mean(untried)
    assert all(one <= 1.05 * max(both) for one, *both in zip(tried, untried, mix, strict=True))


def test_where_things_go_on_the_motion_is_kept_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    run = trembling(1, 0.0)
    tried, mix = rebuilt(run), rebuilt(run, "mix")
    monkeypatch.setattr("grevin.core.steps.rebuild.making.moved_share", lambda _first, _last: 1.0)
    assert tried == rebuilt(run) < 0.2 * mix
