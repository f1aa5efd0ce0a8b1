"""Film over fields (SMPTE RP 197): drawings, noise, short shots; and what is no such film."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.measure.film_over_fields import film_over_fields
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from tests.conftest import moving_frames
from tests.core.film_time import chain, source_of, woven_film

NTSC = Fraction(30000, 1001)
FILM = Fraction(24000, 1001)


def pictures(count: int, speed: float = 4.0, turned: bool = False) -> list[np.ndarray]:
    source = moving_frames(count, 320, 240, speed=speed)
    found = [source.frame(number).planes[0] for number in range(count)]
    return [255 - one[::-1] for one in found] if turned else found


def held(film: list[np.ndarray], times: int) -> list[np.ndarray]:
    return [one for one in film for _ in range(times)]


def own_share(lumas: list[np.ndarray], film: list[np.ndarray], rate: Fraction = FILM) -> float:
    result = chain(source_of(lumas, NTSC, "reel"), "fields").result
    assert result.format.rate == rate
    known = {picture.tobytes() for picture in film}
    return float(np.mean([result.frame(number).planes[0].tobytes() in known for number in range(len(result))]))


@pytest.mark.parametrize("bottom_first", [False, True])
@pytest.mark.parametrize("times", [2, 3])
def test_drawings_shown_for_some_frames_of_film_are_woven_back(times: int, bottom_first: bool) -> None:
    film = held(pictures(84 // times), times)
    assert own_share(woven_film(film, 100, bottom_first), film) == 1.0


def test_slow_film_is_told_under_the_noise_of_a_tape() -> None:
    film = [cv2.GaussianBlur(one, (0, 0), 1.5) for one in pictures(50, speed=0.7)]
    woven = source_of(woven_film(film, 58), NTSC, "slow")
    noise = TapeNoiseDamage(5, sigma=6.0)
    noisy = [noise.add(woven.frame(number))[0].planes[0] for number in range(58)]
    result = chain(source_of(noisy, NTSC, "slow"), "fields").result
    assert result.format.rate == FILM
    for number in range(2, 40):
        least = min(np.abs(result.frame(number).planes[0].astype(float) - one).mean() for one in film)
        assert least < 5.5, "6 levels of noise are 4.8 in the mean of their sizes"


def test_shots_that_are_too_short_tell_it_together() -> None:
    shots = [held(pictures(8, turned=number % 2 == 1), 2) for number in range(9)]
    film = [one for shot in shots for one in shot]
    assert own_share(woven_film(film, 178), film) == 1.0


def test_progressive_shots_among_film_stay() -> None:
    film = held(pictures(30), 2)
    drawn = pictures(24, turned=True)
    progressive = [drawn[2 * (number // 5) + (number % 5 > 2)] for number in range(40)]  # 12 pictures in 30 frames
    lumas = [*woven_film(film, 70), *progressive]
    result = chain(source_of(lumas, NTSC, "film and progressive"), "fields").result
    known = {picture.tobytes() for picture in progressive}
    assert all(result.frame(number).planes[0].tobytes() in known for number in range(71, len(result)))


def test_a_still_shot_among_film_and_a_reel_of_one_picture() -> None:
    film = pictures(30)
    still = [film[-1]] * 40
    assert own_share(woven_film([*film, *still], 85), film) == 1.0
    source = source_of([film[0]] * 40, NTSC, "still")
    assert not chain(source, "fields").timeline.moves


@pytest.mark.parametrize("now_and_then", [1.0, 0.2])
def test_pictures_of_two_moments_are_none_of_film(now_and_then: float) -> None:
    rng = np.random.default_rng(11)
    moments = np.cumsum(rng.random(120) < now_and_then)
    run = pictures(int(moments[-1]) + 1)
    lumas = []
    for number in range(60):
        picture = run[moments[2 * number]].copy()
        picture[1::2] = run[moments[2 * number + 1]][1::2]
        lumas.append(picture)
    assert chain(source_of(lumas, NTSC, "moments"), "fields").result.format.rate == NTSC


def shares(top: list[float], bottom: list[float], periods: int = 12) -> np.ndarray:
    one = np.ones(5 * periods)
    return np.stack([np.tile(top, periods), one, np.tile(bottom, periods), one])


def test_one_field_goes_on_where_the_other_repeats() -> None:
    told = film_over_fields(shares([0.4, 0, 0.4, 0.4, 0.4], [0.4, 0.4, 0.4, 0, 0.4]))
    assert told is not None
    assert (told.lead, told.phase) == (0, 1)
    swapped = film_over_fields(shares([0.4, 0.4, 0.4, 0, 0.4], [0.4, 0, 0.4, 0.4, 0.4]))
    assert swapped is not None
    assert (swapped.lead, swapped.phase) == (1, 1)


@pytest.mark.parametrize(
    "both", [[0.4, 0.4, 0.4, 0.4, 0.4], [0.5, 0, 0.5, 0.5, 0.5], [1, 0, 0, 1, 0], [1.5, 0, 0, 0, 0]]
)
def test_fields_that_do_the_same_are_whole_frames(both: list[float]) -> None:
    assert film_over_fields(shares(both, both)) is None


def test_too_few_periods_and_still_shots_tell_nothing() -> None:
    assert film_over_fields(shares([0.4, 0, 0.4, 0.4, 0.4], [0.4, 0.4, 0.4, 0, 0.4], 3)) is None
    assert film_over_fields(np.full((4, 60), np.nan)) is None
    assert film_over_fields(np.zeros((4, 60))) is None, "a still picture"
    noise = np.random.default_rng(3).normal(0, 0.2, (4, 60))
    noise[1::2] = 1.0
    assert film_over_fields(noise) is None
