"""Rolling bands: found by period, speed and lean, taken as light, and never where there is none."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from grevin.core.measure.lighting.bands import RowTable, found_band
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import BandDamage, FlickerDamage, LightCourse
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames
from tests.core.lit import LENGTH, at_rest, under


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return at_rest()


def treated(frames: list[Frame], **settings: Any) -> tuple[Chain, list[Frame]]:
    return under(frames, "bands", **settings)


def left(frames: list[Frame], truth: list[Frame]) -> float:
    """Percent of light by which rows are off, but for what is the same on all."""
    rows = []
    for one, other in zip(frames, truth, strict=True):
        light, right = (np.maximum(frame.planes[0].astype(np.float64) - 16, 1) for frame in (one, other))
        good = (right > 25) & (right < 200)
        rows.append([np.log(light[y][good[y]] / right[y][good[y]]).mean() for y in range(0, right.shape[0], 3)])
    return 100 * float(np.std(rows))


@pytest.mark.parametrize(
    ("period", "speed", "slant"), [(0.8, 0.11, 0.0), (0.5, -0.2, 0.0), (0.9, 0.13, 0.2), (1.3, 0.06, 0.0)]
)
def test_a_band_is_found_and_taken(clean: list[Frame], period: float, speed: float, slant: float) -> None:
    damaged = [BandDamage(5, 0.2, period, speed, slant).add(frame)[0] for frame in clean]
    chain, made = treated(damaged)
    found = chain.steps[0].study_of(0)["bands"][0]
    assert found[0] == pytest.approx(period, rel=0.1), "no period is doubled or halved"
    assert found[1] == pytest.approx((speed / period + 0.5) % 1 - 0.5, abs=0.01)
    assert found[2] == pytest.approx(slant, abs=0.06)
    assert left(made, clean) < 0.2 * left(damaged, clean)
    way = "down" if speed > 0 else "up"
    assert f"rolls {way} by" in chain.told(range(LENGTH))[0]


def test_of_two_bands_a_second_card_takes_the_other(clean: list[Frame]) -> None:
    both = [BandDamage(8, 0.12, 0.45, -0.07).add(BandDamage(5, 0.25, 0.9, 0.11).add(frame)[0])[0] for frame in clean]
    steps = (TreatmentStep.make("bands"), TreatmentStep.make("bands"))
    chain = Chain(MemorySource(both, "two"), Treatment(steps=steps))
    made = [chain.result.frame(number) for number in range(LENGTH)]
    once = [chain.view_points[1].frame(number) for number in range(LENGTH)]
    assert left(made, clean) < 0.5 * left(once, clean) < 0.4 * left(both, clean)
    ways = [words.split("rolls ")[1].split()[0] for words in chain.told(range(LENGTH))]
    assert sorted(ways) == ["down", "up"]


def test_a_coloured_band_is_taken_in_colour(clean: list[Frame]) -> None:
    damaged = [BandDamage(6, 0.25, colour=0.5).add(frame)[0] for frame in clean]
    _, made = treated(damaged)
    _, linked = treated(damaged, colours="linked")

    def blue(frames: list[Frame]) -> float:
        off = np.stack([f.planes[1].astype(float) - c.planes[1] for f, c in zip(frames, clean, strict=True)])
        return float(np.std(off.mean(axis=2)))

    assert blue(made) < 0.4 * blue(damaged)
    assert blue(made) < 0.6 * blue(linked)


@pytest.mark.parametrize("course", [None, "sunrise", "lamp", "fade", "flicker"])
def test_material_without_a_band_comes_out_bit_for_bit(clean: list[Frame], course: Any) -> None:
    frames = clean
    if course == "flicker":
        frames = [FlickerDamage(3).add(frame)[0] for frame in clean]
    elif course is not None:
        frames = [LightCourse(course, LENGTH).add(frame)[0] for frame in clean]
    chain, made = treated(frames)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))
    assert "No band in this shot: the best one explains" in chain.told(range(LENGTH))[0]


def test_a_band_that_changes_its_speed_is_followed(clean: list[Frame]) -> None:
    source = moving_frames(150, 160, 120)
    truth = [source.frame(number) for number in range(150)]
    slow, fast = BandDamage(5, 0.2, 0.8, 0.1), BandDamage(5, 0.2, 0.8, 0.125)
    damaged = [(slow if n < 75 else fast).add(frame)[0] for n, frame in enumerate(truth)]
    _, made = treated(damaged)
    assert left(made[:40], truth[:40]) < 0.3 * left(damaged[:40], truth[:40])
    assert left(made[110:], truth[110:]) < 0.3 * left(damaged[110:], truth[110:])


@pytest.mark.parametrize("count", [1, 2, 11])
def test_short_shots_are_left_alone(clean: list[Frame], count: int) -> None:
    damaged = [BandDamage().add(frame)[0] for frame in clean[:count]]
    chain, made = treated(damaged)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_black_frames_say_nothing(clean: list[Frame]) -> None:
    fmt = clean[0].format
    shapes = zip(fmt.plane_shapes(), (16, 128, 128), strict=True)
    planes = tuple(np.full(shape, value, np.uint8) for shape, value in shapes)
    chain, made = treated([Frame(number, fmt, planes) for number in range(14)])
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_a_flash_is_no_wave_however_its_rows_look() -> None:
    """Two frames of 24 are lit otherwise, dark rows more than bright ones; all others differ by noise alone."""
    rng, rows = np.random.default_rng(4), 64
    look = 0.2 * np.sin(2 * np.pi * 1.3 * np.arange(rows) / rows)
    pairs = np.array([(one, one + apart) for apart in (1, 2) for one in range(24 - apart)])
    lit = np.isin(pairs, (7, 15)).astype(float)
    ratio = (lit[:, 1] - lit[:, 0])[:, None, None, None] * look + rng.normal(0, 0.004, (len(pairs), 3, 4, rows))
    band = found_band(RowTable(*pairs.T, ratio.astype(np.float32), 1.3))
    assert band is not None
    assert band.explained < 0.05


def test_of_a_still_picture_with_one_flash_no_wave_is_told() -> None:
    """Most pairs of its frames differ by nothing at all."""
    still = moving_frames(1, 320, 240).frame(0)
    lit = np.clip(still.planes[0].astype(float) * 1.3 + 25, 0, 255).astype(np.uint8)
    frames = [Frame(n, still.format, (lit if n == 9 else still.planes[0], *still.planes[1:])) for n in range(24)]
    chain, made = treated(frames)
    assert all(one is frame for one, frame in zip(made, frames, strict=True))
    assert "explains 0 %" in chain.told(range(24))[0]
