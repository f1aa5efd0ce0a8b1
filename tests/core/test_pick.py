"""Film frames picked from captures: borders by hand, the best of a set, broadcast rates, what is kept with the job."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from grevin.core.errors import SettingsError
from grevin.core.job.measured import MeasuredFile
from grevin.core.steps.pick.step import cadence_words, shown_at
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames
from tests.core.film_time import RATE, captures, chain, source_of


def test_a_person_moves_borders_and_the_others_stay() -> None:
    lumas, sets = captures([7] * 8, False)
    source = source_of(lumas, RATE, "captures")
    assert list(chain(source, "pick").steps[0].timing.groups) == sets
    moved = chain(source, "pick", {"begins": [22], "joins": [21]}).steps[0].timing
    assert list(moved.groups) == [*sets[:2], range(14, 22), range(22, 28), *sets[4:]]
    split = chain(source, "pick", {"begins": [31]}).steps[0].timing
    assert list(split.groups) == [*sets[:4], range(28, 31), range(31, 35), *sets[5:]]
    assert not split.doubts, "a person's border is not doubted"
    one = chain(source, "pick", {"joins": [21]}).steps[0].timing
    assert range(14, 28) in one.groups
    assert one.group_words(15) == "Capture 2 of 14 of film frame 2 (captures 14 to 27)."


def test_a_jolted_or_soft_capture_is_not_the_one_that_is_kept() -> None:
    lumas, sets = captures([7] * 8, False)
    jolted, soft = sets[3][3], sets[5][0]
    lumas[jolted] = np.roll(lumas[jolted], 2, 1)
    lumas[soft] = cv2.GaussianBlur(lumas[soft], (0, 0), 1.5)
    kept = chain(source_of(lumas, RATE, "jolt"), "pick").timeline.sources.tolist()
    assert [sum(number in one for number in kept) for one in sets] == [1] * 8
    assert jolted not in kept
    assert soft not in kept


@pytest.mark.parametrize(
    ("speed", "written_at", "rate", "words"),
    [
        (18.0, "24", Fraction(24), "2:1:1 times in turn"),
        (12.5, "25", Fraction(25), "2 times in turn"),
        (16.667, "25", Fraction(25), "1 or 2 times"),
        (24.0, "59.94", Fraction(60000, 1001), "2 or 3 times"),
    ],
)
def test_a_broadcast_rate_shows_film_frames_evenly(speed: float, written_at: str, rate: Fraction, words: str) -> None:
    lumas, sets = captures([5] * 12, False)
    source = source_of(lumas, RATE, "captures")
    found = chain(source, "pick", {"film_speed": speed, "written_at": written_at})
    assert found.result.format.rate == rate
    assert abs(float(found.timeline.seconds()) - 12 / speed) <= float(1 / rate)
    film = [next(n for n, one in enumerate(sets) if number in one) for number in found.timeline.sources]
    assert sorted(set(film)) == list(range(12)), "no film frame is lost"
    times = np.bincount(film)[:-1]
    assert times.max() - times.min() <= 1
    assert words in " ".join(found.steps[0].time_notes)


def test_film_is_not_written_slower_than_it_ran() -> None:
    lumas, _ = captures([5] * 8, False)
    with pytest.raises(SettingsError, match="cannot be written at 24"):
        _ = chain(source_of(lumas, RATE, "fast"), "pick", {"film_speed": 25.0, "written_at": "24"}).timeline


def test_an_averaged_set_is_shown_as_often_as_is_due() -> None:
    lumas, _ = captures([5] * 8, False)
    found = chain(source_of(lumas, RATE, "mean"), "pick", {"keep": "mean", "film_speed": 12.5, "written_at": "25"})
    assert found.timeline.made.all()
    first, again = found.result.frame(2), found.result.frame(3)
    assert np.array_equal(first.planes[0], again.planes[0])
    assert (first.number, again.number) == (2, 3)


def test_the_cadence_is_said_as_it_is() -> None:
    shown = shown_at(36, Fraction(18), Fraction(25))
    assert len(shown) == 50
    assert cadence_words(shown, Fraction(18), Fraction(25)).endswith("1 or 2 times.")


def test_captures_are_loaded_once_and_not_again_for_a_known_reel(tmp_path: Path) -> None:
    lumas, sets = captures([6] * 8, True)
    source = source_of(lumas, RATE, "counted")
    loaded: list[int] = []

    class Counted:
        format, identity = source.format, source.identity

        def __len__(self) -> int:
            return len(source)

        def frame(self, number: int):
            loaded.append(number)
            return source.frame(number)

    def picked(settings: dict | None = None) -> Chain:
        steps = Treatment(steps=(TreatmentStep.make("pick", settings or {}),))
        return Chain(Counted(), steps, studies=MeasuredFile(tmp_path / "job.sqlite"))

    assert list(picked().steps[0].timing.groups) == sets
    assert sorted(loaded) == list(range(len(source)))
    loaded.clear()
    assert list(picked().steps[0].timing.groups) == sets
    assert range(13) in picked({"joins": [sets[1].start, sets[1].start - 1]}).steps[0].timing.groups
    assert loaded == [], "what was learned is kept, whatever the settings are"


@pytest.mark.parametrize("transitions", [True, False])
def test_sets_are_found_where_the_film_moves_hardly_more_than_the_noise(transitions: bool) -> None:
    rng = np.random.default_rng(8)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (240, 320)).astype(np.float32), (0, 0), 3)
    ground = np.clip((ground - ground.mean()) * 5 + 120, 10, 245)
    places = np.cumsum(rng.uniform(0.96, 1.44, 15))
    film = [cv2.warpAffine(ground, np.array([[1, 0, -x], [0, 1, 0]]), (320, 240), borderMode=1) for x in places]
    lumas: list[np.ndarray] = []
    sets: list[range] = []
    for n, length in enumerate(rng.integers(5, 10, 14)):
        sets.append(range(len(lumas), len(lumas) + int(length)))
        taken = [film[n]] * int(length) + ([(film[n] + film[n + 1]) / 2] if transitions and n < 13 else [])
        lumas += [np.clip(np.rint(one + rng.normal(0, 5, one.shape)), 0, 255).astype(np.uint8) for one in taken]
    found = list(chain(source_of(lumas, RATE, "slow"), "pick").steps[0].timing.groups)
    assert found == sets


@pytest.mark.parametrize("damage", [b"", b"PK\x03\x04 cut off", b"nothing of it"])
def test_a_damaged_study_is_learned_anew(tmp_path: Path, damage: bytes) -> None:
    lumas, sets = captures([6] * 6, True)
    source = source_of(lumas, RATE, "damaged")
    kept = MeasuredFile(tmp_path / "job.sqlite")
    steps = Treatment(steps=(TreatmentStep.make("pick"),))
    assert list(Chain(source, steps, studies=kept).steps[0].timing.groups) == sets
    with closing(sqlite3.connect(tmp_path / "job.sqlite")) as database, database:
        assert database.execute("UPDATE studied SET data = ?", (damage,)).rowcount == 1
    assert list(Chain(source, steps, studies=kept).steps[0].timing.groups) == sets
    with closing(sqlite3.connect(tmp_path / "job.sqlite")) as database:
        assert len(database.execute("SELECT data FROM studied").fetchone()[0]) > 100


@pytest.mark.parametrize("transitions", [True, False])
def test_a_camera_that_trembles_by_half_a_pixel_and_more_divides_no_set(transitions: bool) -> None:
    """Two captures then lie up to two pixels apart, more than the film moves."""
    rng = np.random.default_rng(21)
    film = [moving_frames(13, 320, 240, speed=7.0).frame(n).planes[0].astype(np.float32) for n in range(13)]
    lumas: list[np.ndarray] = []
    sets: list[range] = []
    for n, length in enumerate(rng.integers(6, 9, 12)):
        sets.append(range(len(lumas), len(lumas) + int(length)))
        blend = [(film[n] + film[n + 1]) / 2] if transitions and n < 11 else []
        for one in [film[n]] * int(length) + blend:
            move = np.array([[1, 0, rng.normal(0, 0.6)], [0, 1, rng.normal(0, 0.6)]])
            seen = cv2.warpAffine(one, move, (320, 240), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
            lumas.append(np.clip(np.rint(seen + rng.normal(0, 3, seen.shape)), 0, 255).astype(np.uint8))
    assert list(chain(source_of(lumas, RATE, "trembling"), "pick").steps[0].timing.groups) == sets


def test_what_a_codec_renews_now_and_then_in_a_still_picture_makes_no_sets() -> None:
    """A card that stands still; every fourth picture is coded better, and changes by a part of a level."""
    rng = np.random.default_rng(5)
    card = cv2.GaussianBlur(rng.uniform(0, 255, (160, 240)).astype(np.float32), (0, 0), 2)
    other = card + cv2.GaussianBlur(rng.normal(0, 2.0, card.shape).astype(np.float32), (0, 0), 1.0)
    lumas = [np.rint(card if n // 4 % 2 else other).astype(np.uint8) for n in range(40)]
    assert not chain(source_of(lumas, RATE, "card"), "pick").steps[0].timing.groups


def test_changes_without_a_rhythm_make_no_sets() -> None:
    """A picture that goes on in fits: now two frames are alike, now one, now three."""
    clean = moving_frames(60, 240, 160, speed=1.0)
    rng = np.random.default_rng(2)
    places = np.cumsum(rng.choice([0, 0, 3, 4], 40))
    lumas = [clean.frame(min(int(place), 59)).planes[0] for place in places]
    noisy = [np.clip(np.rint(one + rng.normal(0, 2.0, one.shape)), 0, 255).astype(np.uint8) for one in lumas]
    assert not chain(source_of(noisy, RATE, "fits"), "pick").steps[0].timing.groups
