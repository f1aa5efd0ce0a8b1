"""What of a curve of light is the scene's own: pieces, steps, bends; and for which levels curves stand."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.measure.lighting.curves import PairTable
from grevin.core.measure.lighting.trend import off_frames, taken_apart
from grevin.core.steps.flicker.channel import reach_of


def test_a_curve_of_light_is_taken_apart() -> None:
    rng = np.random.default_rng(3)
    frames = np.arange(120)
    true = np.where(frames < 50, 0.0, 20.0) + np.where(frames >= 80, 0.5 * (frames - 80), 0.0)
    curve = np.repeat((true + rng.normal(0, 2.0, 120))[:, None], 3, axis=1)
    found = taken_apart(curve)
    assert found.steps == (50,)
    assert found.spread == pytest.approx(2.0, rel=0.25)
    assert np.abs(found.slow[:, 0] - true).max() < 3.0
    pulse = curve + 6.0 * (frames % 7 == 2)[:, None]
    assert taken_apart(pulse).period == 7


@pytest.mark.parametrize("flicker", [0.1, 2.0])
def test_light_that_swells_and_fades_is_no_flicker(flicker: float) -> None:
    """A wave has no straight pieces: told from what is new on every frame by how smooth it is."""
    true = 18.0 * np.sin(2 * np.pi * np.arange(150) / 60.0)
    curve = np.repeat((true + np.random.default_rng(5).normal(0, flicker, 150))[:, None], 3, axis=1)
    found = taken_apart(curve)
    assert np.sqrt(np.mean(np.square(found.slow[:, 0] - true))) < 0.2 + 0.4 * flicker
    assert found.spread == pytest.approx(flicker, rel=0.35)
    assert found.steps == ()


@pytest.mark.parametrize("swing", [2.63, 3.7, 7.3])
def test_light_that_goes_to_another_level_is_kept_under_light_that_swings(swing: float) -> None:
    """A swing whose period is no whole number of frames hid steps as high as itself: it was taken for chance."""
    frames = np.arange(61)
    true = np.select([frames < 6, frames < 49], [7.0, 0.0], -6.0)
    swings = 6.3 * np.sin(2 * np.pi * frames / swing + 1.0)
    noise = np.random.default_rng(round(10 * swing)).normal(0, 0.15, (61, 3))
    found = taken_apart((true + swings)[:, None] + noise)
    assert found.swing == pytest.approx(swing, abs=0.02)
    assert found.steps == (6, 49)
    off = found.slow[:, 0] - true
    assert np.std(off) < 0.3


@pytest.mark.parametrize("waves", [42.0, 20.5])
def test_slow_waves_are_no_swing_however_often_they_turn(waves: float) -> None:
    line = 10.0 * np.sin(2 * np.pi * np.arange(240) / waves) + np.random.default_rng(3).normal(0, 0.3, 240)
    assert taken_apart(np.repeat(line[:, None], 3, axis=1)).swing == 0.0


def test_chance_is_no_swing() -> None:
    for seed in range(60):
        line = np.random.default_rng(seed).normal(0, 5.0, 48)
        assert taken_apart(np.repeat(line[:, None], 2, axis=1)).swing == 0.0


@pytest.mark.parametrize("place", range(4))
def test_strong_flicker_over_light_that_swells_makes_no_steps(place: int) -> None:
    true = 15.0 * np.sin(2 * np.pi * np.arange(61) / 42.0)
    curve = np.repeat((true + np.random.default_rng(place).normal(0, 10.0, 61))[:, None], 3, axis=1)
    slow = taken_apart(curve).slow[:, 0]
    assert np.abs(np.diff(slow)).max() < 8.0, "no lamp was switched"
    assert np.sqrt(np.mean(np.square(slow - true - (slow - true).mean()))) < 5.0


def test_curves_of_a_colour_that_is_nearly_black_say_nothing_of_its_few_bright_places() -> None:
    """Fitted between 0 and 8 levels, a cubic blew a blue of 40 up to millions."""
    pairs = np.arange(40)
    dark = np.sort(np.random.default_rng(2).uniform(0.0, 8.0, (40, 4, 6)), axis=-1)
    dark[..., -1] = 8.0
    dark[7, 3, -1] = 40.0
    table = PairTable(pairs, pairs + 1, np.stack([dark, dark], axis=-1).astype(np.float32))
    low, high = reach_of(table, 3)
    assert low <= 1.0
    assert 8.0 <= high < 14.0
    dark[:, 3] = np.linspace(0.0, 40.0, 6)
    evenly = PairTable(pairs, pairs + 1, np.stack([dark, dark], axis=-1).astype(np.float32))
    assert reach_of(evenly, 3)[1] == 40.0, "what was compared all along stands"


def test_the_crest_of_a_wave_is_no_frame_that_is_off() -> None:
    wave = 18.0 * np.sin(2 * np.pi * np.arange(90) / 30.0)
    assert np.abs(off_frames(wave)).max() < 1.0
    wave[40] += 9.0
    assert off_frames(wave)[40] == pytest.approx(9.0, abs=2.0)
    assert np.abs(np.delete(off_frames(wave), 40)).max() < 1.5
