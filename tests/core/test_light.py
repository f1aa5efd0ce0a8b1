"""Light by hand: what each number does, inside regions only; a found band handed over to it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.transfer import decode_linear
from grevin.core.quality.damage.light import BandDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.bands.by_hand import passages
from grevin.core.steps.light.settings import LightSettings
from grevin.core.steps.light.step import toned
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.over_time import OverTime, ValueKey
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.region_edits import moving_box
from grevin.core.treatment.regions import Region
from tests.conftest import moving_frames
from tests.core.lit import at_rest, under


@pytest.fixture(scope="module")
def frame() -> Frame:
    return moving_frames(1, 160, 120).frame(0)


def lit(frame: Frame, regions: tuple[Region, ...] = (), **settings: Any) -> Frame:
    step = TreatmentStep.make("light", settings, regions=regions)
    return Chain(MemorySource([frame], "one"), Treatment(steps=(step,))).result.frame(0)


def test_nothing_set_is_the_very_same_frame(frame: Frame) -> None:
    assert lit(frame) is frame


def test_a_stop_doubles_the_light_of_the_scene(frame: Frame) -> None:
    """ITU-R BT.709-6, item 1.2, is the curve between light and R'G'B'."""
    grey = frame.with_planes((np.full_like(frame.planes[0], 90), *(np.full_like(p, 128) for p in frame.planes[1:])))
    made = lit(grey, exposure_stops=1.0)
    before, behind = (float(decode_linear(to_rgb(one))[5, 5, 1]) for one in (grey, made))
    assert behind == pytest.approx(2 * before, rel=0.01)


def test_middle_grey_keeps_its_level_under_contrast_and_saturation_ends_in_grey(frame: Frame) -> None:
    values = np.array([0.2, 0.409, 0.7], np.float32)
    made = toned(values, LightSettings(contrast_pct=150))
    assert made[1] == pytest.approx(0.409, abs=0.002)
    assert made[2] - made[0] == pytest.approx(1.5 * 0.5, rel=0.01)
    grey = lit(frame, saturation_pct=0.0)
    assert np.allclose(grey.planes[1], 128, atol=0.01)
    assert np.allclose(grey.planes[2], 128, atol=0.01)
    assert np.allclose(grey.planes[0], frame.planes[0], atol=0.6)


@given(
    st.floats(-3, 3), st.floats(20, 250), st.floats(-25, 25), st.floats(-25, 25),
)  # fmt: skip
def test_brighter_stays_brighter_whatever_is_set(stops: float, contrast: float, dark: float, bright: float) -> None:
    settings = LightSettings(
        exposure_stops=stops, contrast_pct=contrast, shadows_levels=dark, highlights_levels=bright
    )  # fmt: skip
    assert np.diff(toned(np.linspace(0, 1, 400, dtype=np.float32), settings)).min() >= -1e-5


def test_shadows_and_highlights_move_their_quarter_and_leave_black_and_white() -> None:
    values = np.array([0.0, 0.25, 0.75, 1.0], np.float32)
    dark = toned(values, LightSettings(shadows_levels=20)) - values
    bright = toned(values, LightSettings(highlights_levels=-20)) - values
    assert 255 * dark == pytest.approx([0, 20, 20 / 9, 0], abs=0.05)
    assert 255 * bright == pytest.approx([0, -20 / 9, -20, 0], abs=0.05)


def test_it_acts_inside_soft_regions_only_and_over_time(frame: Frame) -> None:
    box = Region(use="only", x=40, y=30, width=60, height=50, feather_px=8)
    made = lit(frame, (box,), exposure_stops=0.5)
    changed = made.planes[0].astype(np.float32) - frame.planes[0]
    outside = np.ones(changed.shape, bool)
    outside[30:80, 40:100] = False
    assert np.abs(changed[outside]).max() == 0
    assert changed[50:60, 60:80].mean() > 8
    frames = [frame, frame, frame]
    keys = OverTime(setting="exposure_stops", keys=(ValueKey(frame=0, value=0.0), ValueKey(frame=2, value=1.0)))
    step = TreatmentStep.make("light", over_time=(keys,))
    result = Chain(MemorySource(frames, "three"), Treatment(steps=(step,))).result
    means = [float(result.frame(n).planes[0].mean()) for n in range(3)]
    assert means[0] == pytest.approx(float(frame.planes[0].mean()))
    assert means[0] < means[1] < means[2]


@pytest.mark.parametrize("speed", [0.09, -0.12])
def test_a_found_band_is_handed_over_as_regions(speed: float) -> None:
    clean = at_rest()
    damaged = [BandDamage(5, 0.3, 1.1, speed).add(one)[0] for one in clean]
    chain, _ = under(damaged, "bands")
    boxes, stops = passages(chain.steps[0].study_of(0), (192, 144))
    assert 3 <= len(boxes) <= 6
    assert 0.3 < stops < 1.3
    regions = tuple(moving_box(one.places, one.feather_px) for one in boxes)
    step = TreatmentStep.make("light", {"exposure_stops": stops}, regions=regions)
    result = Chain(MemorySource(damaged, "band"), Treatment(steps=(step,))).result

    def off(frames: list[Frame]) -> float:
        rows = [f.planes[0].astype(float).mean(axis=1) - c.planes[0].mean(axis=1)
                for f, c in zip(frames, clean, strict=True)]  # fmt: skip
        return float(np.std(rows))

    made = [result.frame(n) for n in range(len(clean))]
    assert off(made) < 0.5 * off(damaged), "corrected by hand it goes on from here"


def test_without_a_band_nothing_is_handed_over() -> None:
    chain, _ = under(at_rest(), "bands")
    assert passages(chain.steps[0].study_of(0), (192, 144)) == ((), 0.0)
