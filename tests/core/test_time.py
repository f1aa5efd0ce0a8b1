"""Putting time right: frame maps, repeats, fields, frames made anew, capture sets."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.errors import SettingsError
from grevin.core.media.deinterlacing import both_fields
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.pick.looking import LAGS
from grevin.core.steps.pick.sets import levels_of, sets_in
from grevin.core.steps.settings import numbers_from, numbers_text
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames
from tests.core.film_time import RATE, captures, chain, in_order, same, source_of, woven_film

NTSC = Fraction(30000, 1001)
WHOLE = (0, 0, 320, 240)


# Frame maps


def test_maps_are_composed_and_looked_up() -> None:
    first = Timeline(6, RATE, np.array([0, 1, 3, 5]), np.array([False, True, False, False]))
    second = Timeline(4, RATE / 2, np.array([1, 1, 3]), np.array([False, True, False]))
    both = first.then(second)
    assert both.sources.tolist() == [1, 1, 5]
    assert both.made.tolist() == [True, True, False]
    assert both.rate == RATE / 2
    assert [first.output_of(frame) for frame in range(6)] == [0, 1, 1, 2, 2, 3]
    assert first.outputs_in(range(1, 5)) == range(1, 3)
    assert first.left_out().tolist() == [2, 4]
    assert first.moves
    assert not Timeline.same(6, RATE).moves
    assert Timeline.same(50, RATE).seconds() == 2


def test_lists_of_frames_are_read_as_people_write_them() -> None:
    assert numbers_from("12, 13 40-42;7") == (7, 12, 13, 40, 41, 42)
    assert numbers_text((7, 12, 13, 40, 41, 42)) == "7, 12-13, 40-42"
    assert numbers_from("") == ()
    for wrong in ("a", "3-", "9-3", "-4"):
        with pytest.raises(SettingsError, match="is no frame"):
            numbers_from(wrong)


# Repeats


@pytest.mark.parametrize(
    ("order", "rate", "true"),
    [
        ([n // 2 for n in range(60)], RATE, Fraction(25, 2)),
        ([n - n // 5 for n in range(1, 61)], NTSC, Fraction(24000, 1001)),
        ([n - n // 6 for n in range(1, 67)], NTSC, Fraction(25000, 1001)),
    ],
)
def test_repeats_are_taken_out_and_the_true_rate_comes_back(order: list[int], rate: Fraction, true: Fraction) -> None:
    source = in_order(order, rate)
    found = chain(source, "repeats")
    expected = [n for n in range(len(order)) if n == 0 or order[n] != order[n - 1]]
    assert found.timeline.sources.tolist() == expected
    assert found.result.format.rate == true
    assert all(same(found.result.frame(n), source.frame(place)) for n, place in enumerate(expected))
    assert found.result.frame(3).planes[0] is source.frame(expected[3]).planes[0], "copies, bit for bit"


def test_a_reel_without_repeats_comes_out_unchanged() -> None:
    source = in_order(list(range(20)))
    found = chain(source, "repeats")
    assert not found.timeline.moves
    assert found.result.format.rate == RATE
    assert found.result.frame(7).planes[0] is source.frame(7).planes[0]


def test_a_still_picture_is_no_repeat_until_a_person_says_so() -> None:
    source = in_order([*range(10), *[9] * 20, *range(10, 20)])
    found = chain(source, "repeats")
    assert not found.timeline.moves
    assert "stand still" in found.steps[0].time_notes[0]
    taken = chain(source, "repeats", verdicts=Verdicts([Verdict("repeats", 10, WHOLE, "mend")]))
    assert taken.timeline.left_out().tolist() == list(range(10, 30))
    still = chain(in_order([0] * 12, name="still"), "repeats", {"still_frames": 6})
    assert not still.timeline.moves, "everything repeated: a still picture"


def test_a_verdict_keeps_a_repeat() -> None:
    order = [0, 1, 2, 2, 3, 4, 5, 5, 6, 7, 8]
    source = in_order(order)
    assert chain(source, "repeats").timeline.left_out().tolist() == [3, 7]
    kept = chain(source, "repeats", verdicts=Verdicts([Verdict("repeats", 3, WHOLE, "leave")]))
    assert kept.timeline.left_out().tolist() == [7]
    assert kept.result.format.rate == Fraction(25 * 10, 11), "it plays as long as before"


def test_repeats_are_made_anew_in_place() -> None:
    clean = moving_frames(24, 320, 240, speed=4.0)
    order = [n if n % 4 else max(0, n - 1) for n in range(24)]
    source = MemorySource([clean.frame(n) for n in order], "stutter")
    found = chain(source, "repeats", {"what": "rebuild"})
    assert np.flatnonzero(found.timeline.made).tolist() == [4, 8, 12, 16, 20]
    assert found.result.format.rate == source.format.rate
    made, truth, repeated = (reel.frame(8).planes[0].astype(float) for reel in (found.result, clean, source))
    assert np.abs(made - truth).mean() < 0.4 * np.abs(repeated - truth).mean()
    assert same(found.result.frame(9), source.frame(9))


def test_black_and_short_shots_survive() -> None:
    fmt = moving_frames(1, 320, 240).format
    black = Frame(
        0, fmt, tuple(np.full(s, v, np.uint8) for s, v in zip(fmt.plane_shapes(), (16, 128, 128), strict=True))
    )
    source = MemorySource([black] * 8, "black")
    assert not chain(source, "repeats").timeline.moves
    two = MemorySource([moving_frames(2, 320, 240).frame(n) for n in range(2)], "two")
    for step in ("repeats", "fields", "pick"):
        assert not chain(two, step).timeline.moves
    one = MemorySource([black], "one")
    for step in ("repeats", "fields", "pick", "rebuild"):
        assert len(chain(one, step).result) == 1


# Frames made anew


def test_only_the_frames_that_are_named_are_made() -> None:
    clean = moving_frames(16, 320, 240, speed=6.0)
    found = chain(clean, "rebuild", {"frames": [5, 9, 10]})
    for number in range(16):
        assert same(found.result.frame(number), clean.frame(number)) == (number not in {5, 9, 10})
    for number in (5, 9, 10):
        truth = clean.frame(number).planes[0].astype(float)
        made = found.result.frame(number)
        assert made.touched == "everything"
        mix = (clean.frame(number - 1).planes[0].astype(float) + clean.frame(number + 1).planes[0]) / 2
        assert np.abs(made.planes[0] - truth).mean() < 0.6 * np.abs(mix - truth).mean()


def test_made_frames_have_their_neighbours_grain() -> None:
    rng = np.random.default_rng(5)
    clean = moving_frames(7, 320, 240, speed=2.0)
    frames = []
    for number in range(7):
        luma = cv2.GaussianBlur(clean.frame(number).planes[0], (0, 0), 2.0) + rng.normal(0, 5, (240, 320))
        codes = np.clip(np.rint(luma), 0, 255).astype(np.uint8)
        frames.append(Frame(number, clean.format, (codes, *clean.frame(number).planes[1:])))
    source = MemorySource(frames, "grain")

    def fine(frame: Frame) -> float:
        luma = frame.planes[0].astype(np.float32)
        return float((luma - cv2.GaussianBlur(luma, (0, 0), 1.0))[20:-20, 20:-20].std())

    with_grain = fine(chain(source, "rebuild", {"frames": [3]}).result.frame(3))
    without = fine(chain(source, "rebuild", {"frames": [3], "grain": False}).result.frame(3))
    assert without < 0.85 * fine(source.frame(3))
    assert with_grain == pytest.approx(fine(source.frame(3)), rel=0.12)


def test_gaps_at_ends_and_over_cuts_hold_what_is_good() -> None:
    first = moving_frames(8, 320, 240)
    second = [replace(f, planes=tuple(255 - p[::-1] for p in f.planes)) for f in map(first.frame, range(8))]
    source = MemorySource([*map(first.frame, range(8)), *second], "cut")
    found = chain(source, "rebuild", {"frames": [0, 7, 8, 15]})
    assert same(found.result.frame(0), source.frame(1))
    assert same(found.result.frame(15), source.frame(14))
    assert same(found.result.frame(7), source.frame(6)), "a cut in the gap: the first half holds what was before"
    assert same(found.result.frame(8), source.frame(9))
    with pytest.raises(SettingsError, match="no frame 99"):
        _ = chain(source, "rebuild", {"frames": [99]}).timeline
    everything = chain(source, "rebuild", {"frames": list(range(16))})
    assert not everything.timeline.made.any()
    assert "left as they are" in everything.steps[0].time_notes[0]


# Fields


@pytest.mark.parametrize("bottom_first", [False, True])
def test_film_over_fields_is_woven_back_exactly(bottom_first: bool) -> None:
    film = [moving_frames(44, 320, 240, speed=4.0).frame(n).planes[0] for n in range(44)]
    source = source_of(woven_film(film, 50, bottom_first), NTSC, f"film {bottom_first}")
    found = chain(source, "fields")
    assert found.result.format.rate == Fraction(24000, 1001)
    assert found.result.format.field_order == "progressive"
    assert len(found.result) == 40
    exact = [any(np.array_equal(found.result.frame(n).planes[0], picture) for picture in film) for n in range(40)]
    assert all(exact)


def test_film_is_woven_back_through_cuts() -> None:
    one = [moving_frames(30, 320, 240, speed=4.0).frame(n).planes[0] for n in range(30)]
    other = [255 - picture[::-1] for picture in one]
    lumas = woven_film(one, 28) + woven_film(other, 33)[1:]
    found = chain(source_of(lumas, NTSC, "film with a cut"), "fields")
    pictures = {picture.tobytes() for picture in [*one, *other]}
    assert all(found.result.frame(n).planes[0].tobytes() in pictures for n in range(len(found.result)))
    assert found.result.format.rate == Fraction(24000, 1001)


def test_progressive_material_is_not_changed() -> None:
    source = moving_frames(20, 320, 240, speed=4.0)
    found = chain(source, "fields")
    assert not found.timeline.moves
    assert found.result.frame(5).planes[0] is source.frame(5).planes[0]


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_true_interlace_is_measured_and_deinterlaced(order: str) -> None:
    moments = [moving_frames(40, 320, 240, speed=3.0).frame(n).planes[0] for n in range(40)]
    moments = [cv2.GaussianBlur(picture, (0, 0), 1.0) for picture in moments]
    lumas = []
    for n in range(20):
        first, second = moments[2 * n : 2 * n + 2]
        picture = (first if order == "top_first" else second).copy()
        picture[1::2] = (second if order == "top_first" else first)[1::2]
        lumas.append(picture)
    source = source_of(lumas, RATE, order)
    found = chain(source, "fields")
    assert f"{order.split('_')[0]} field first" in found.steps[0].time_notes[0]
    assert found.result.format.field_order == "progressive"
    own, missing = (0, 1) if order == "top_first" else (1, 0)
    better = []
    for n in range(3, 17):
        made = found.result.frame(n).planes[0]
        np.testing.assert_array_equal(made[own::2], source.frame(n).planes[0][own::2])
        around = [source.frame(n + offset) for offset in (-1, 0, 1)]
        plain = both_fields(around, order == "top_first")[0].planes[0]
        truth = moments[2 * n].astype(float)
        errors = [np.square(one[missing::2] - truth[missing::2]).mean() for one in (made, plain)]
        better.append(errors[0] < errors[1])
    assert np.mean(better) > 0.9, "closer than the plain filter"
    double = chain(source, "fields", {"rate": "double"})
    assert len(double.result) == 40
    assert double.result.format.rate == 50
    assert np.abs(double.result.frame(11).planes[0].astype(float) - moments[11]).mean() < 3.0


# Capture sets


@pytest.mark.parametrize("transitions", [True, False])
@pytest.mark.parametrize("vary", [1, 2])
def test_one_picture_of_each_film_frame_is_kept(transitions: bool, vary: int) -> None:
    lengths = np.random.default_rng(vary).integers(7 - vary, 8 + vary, 16).tolist()
    lumas, sets = captures(lengths, transitions)
    found = chain(source_of(lumas, RATE, f"captures {transitions} {vary}"), "pick")
    assert len(found.result) == len(sets)
    assert all(int(source) in one for source, one in zip(found.timeline.sources, sets, strict=True))
    assert found.result.format.rate == 18
    place = int(found.timeline.sources[3])
    np.testing.assert_array_equal(found.result.frame(3).planes[0], lumas[place])


def test_the_mean_of_a_set_has_less_noise() -> None:
    lumas, _ = captures([7] * 8, True)
    source = source_of(lumas, RATE, "mean")
    best, mean = chain(source, "pick"), chain(source, "pick", {"keep": "mean"})
    film = moving_frames(9, 320, 240, speed=7.0)
    errors = []
    for found in (best, mean):
        apart = []
        for place in range(2, 6):  # each lies where the kept capture trembled to
            clean = film.frame(place).planes[0].astype(float)
            picture = found.result.frame(place).planes[0].astype(float)
            apart.append(np.abs(picture * clean.mean() / picture.mean() - clean)[20:-20, 20:-20].mean())
        errors.append(np.mean(apart))
    assert errors[1] < 0.75 * errors[0]


def test_a_set_over_a_still_scene_is_divided_by_the_usual_length() -> None:
    changes = np.array(
        ([np.nan] + [0.5] * 6) + ([9.0] + [0.5] * 6) * 3 + [9.0] + [0.5] * 20 + ([9.0] + [0.5] * 6) * 2, np.float32
    )
    lags = np.full((len(changes), LAGS), np.nan, np.float32)
    lags[:, 0] = changes
    sets, transitions = sets_in(lags, np.zeros((len(changes), 2)), 0, 2)
    assert transitions == []
    assert [len(one) for one in sets] == [7] * 9
    assert [bool(one.doubtful) for one in sets] == [False] * 4 + [True] * 3 + [False] * 2


def test_plain_footage_is_no_capture_sets() -> None:
    assert levels_of(np.random.default_rng(1).normal(8, 1, 200).astype(np.float32)) is None
    source = moving_frames(20, 320, 240)
    found = chain(source, "pick")
    assert not found.timeline.moves
    assert "No capture sets" in found.steps[0].time_notes[0]
