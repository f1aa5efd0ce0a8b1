"""Light of interlaced material: each field has its own, and is brought to rest in its own time."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from bench.light_on_fields import fields_of, lit_on_fields
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import BandDamage, FlickerDamage
from grevin.core.steps.bands.by_hand import passages
from grevin.core.steps.flicker.settings import FlickerSettings
from tests.conftest import moving_frames
from tests.core.lit import under

FRAMES, WIDTH, HEIGHT = 24, 192, 144


def interlaced(order: Any = "top_first", speed: float = 1.5) -> list[Frame]:
    """Two moments a frame of a picture that moves, soft from line to line as a camera's is."""
    moments = moving_frames(2 * FRAMES, WIDTH, HEIGHT, speed=speed)
    fmt = replace(moments.format, field_order=order)
    late = 1 if order == "top_first" else 0
    made = []
    for number in range(FRAMES):
        early, later = (moments.frame(2 * number + n).planes for n in (0, 1))
        planes = []
        for one, other in zip(early, later, strict=True):
            plane = one.copy()
            plane[late::2] = other[late::2]
            planes.append(plane)
        made.append(Frame(number, fmt, tuple(planes)))
    return made


def errors(frames: list[Frame], truth: list[Frame]) -> np.ndarray:
    """(fields,) by how much the mean of each field is off, levels, but for what is the same on all."""
    means = [[float(field.planes[0].mean()) for field in fields_of(some)] for some in (frames, truth)]
    off = np.subtract(*means)
    return np.asarray(off - off.mean())


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(values))))


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_flicker_from_field_to_field_is_taken(order: str) -> None:
    clean = interlaced(order)
    damaged = lit_on_fields(clean, FlickerDamage(seed=31))
    chain, made = under(damaged, "flicker")
    assert rms(errors(damaged, clean)) > 5
    assert rms(errors(made, clean)) < 0.15 * rms(errors(damaged, clean))
    assert "at random" in chain.steps[0].told(0)[0]


def test_as_frames_the_same_flicker_cannot_be_taken() -> None:
    clean = interlaced()
    damaged = lit_on_fields(clean, FlickerDamage(seed=31))
    _, made = under([replace(f, format=replace(f.format, field_order="progressive")) for f in damaged], "flicker")
    unflagged = [replace(frame, format=clean[0].format) for frame in made]
    assert rms(errors(unflagged, clean)) > 0.5 * rms(errors(damaged, clean)), "which is why fields are told apart"


def test_lamps_that_beat_with_the_fields_are_told_in_fields() -> None:
    damaged = lit_on_fields(interlaced(), FlickerDamage(seed=4, what="mains"))
    chain, _ = under(damaged, "flicker")
    found = re.search(r"swings every ([\d.]+) fields \(([\d.]+) times a second\)", chain.steps[0].told(0)[0])
    assert found is not None
    period, times = map(float, found.groups())
    assert period == pytest.approx(3.7, abs=0.05)
    assert times == pytest.approx(2 * float(damaged[0].format.rate) / period, rel=0.02), "of fields, not of frames"


def test_a_band_goes_on_from_field_to_field() -> None:
    clean = interlaced()
    damaged = lit_on_fields(clean, BandDamage(9, 0.2, 0.8, 0.11))
    chain, made = under(damaged, "bands")

    def unrest(frames: list[Frame]) -> float:
        """What rows of fields differ by from their mean over time, against the clean ones."""
        rows = [np.stack([f.planes[0].mean(axis=1) for f in fields_of(some)]) for some in (frames, clean)]
        off = np.subtract(*rows)
        return rms(off - off.mean(axis=0))

    assert unrest(made) < 0.25 * unrest(damaged)
    found = re.search(r"rolls down by ([\d.]+) % a frame", chain.steps[0].told(0)[0])
    assert found is not None
    assert float(found[1]) == pytest.approx(22, abs=0.5), "11 % a field"
    boxes, stops = passages(chain.steps[0].study_of(0), (WIDTH, HEIGHT))
    assert boxes
    assert stops > 0
    assert max(frame for box in boxes for frame, _ in box.places) <= FRAMES, "regions are about frames"


@pytest.mark.parametrize("step", ["flicker", "bands"])
@pytest.mark.parametrize("speed", [0.0, 1.5, 4.0])
def test_clean_interlaced_material_comes_out_bit_for_bit(step: str, speed: float) -> None:
    clean = interlaced(speed=speed)
    chain, made = under(clean, step)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_fine_lines_that_one_field_alone_shows_are_no_flicker_of_parts() -> None:
    clean = interlaced(speed=0.0)
    drawn = []
    for frame in clean:
        luma = frame.planes[0].copy()
        luma[20:60:2, 40:120] = 235  # lines of the first field
        drawn.append(replace(frame, planes=(luma, *frame.planes[1:])))
    chain, made = under(drawn, "flicker", where="patches")
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_settings_in_frames_are_counted_in_fields() -> None:
    settings = FlickerSettings(smoothing_frames=20, period_frames=8, reference_frames=(3, 5))
    on_fields = settings.in_pictures(2)
    assert (on_fields.smoothing_frames, on_fields.period_frames) == (40, 16)
    assert on_fields.reference_frames == (6, 7, 10, 11)
    assert FlickerSettings(period_frames=1).in_pictures(2).period_frames == 1, "none stays none"
    assert settings.in_pictures(1) is settings


def test_fields_are_brought_to_a_frame_that_was_named() -> None:
    clean = interlaced()
    damaged = lit_on_fields(clean, FlickerDamage(seed=31))
    _, made = under(damaged, "flicker", reference_frames=[6])
    assert rms(errors(made, clean)) < 0.2 * rms(errors(damaged, clean))
    brighter = [np.mean([one.planes[0].mean() for one in fields_of(some)]) for some in (made, [damaged[6]])]
    assert brighter[0] == pytest.approx(brighter[1], abs=1.5), "all are as light as that frame"


def test_a_chart_has_a_value_for_each_field() -> None:
    chain, _ = under(lit_on_fields(interlaced(), FlickerDamage(seed=31)), "flicker")
    chart = chain.steps[0].chart(0)
    assert chart is not None
    assert chart.per_frame == 2
    assert len(chart.lines[0].values) == 2 * FRAMES
    chain.steps[0].left_of(0)
    left = chain.steps[0].chart_left(0)
    assert left is not None, "what is left is measured field by field, too"
    assert np.ptp(left.lines[0].values) < 0.3 * np.ptp(chart.lines[0].values)


def test_a_band_that_does_not_come_round_is_the_scenes_own_light() -> None:
    source = moving_frames(40, WIDTH, HEIGHT)
    clean = [source.frame(number) for number in range(40)]
    slow = [BandDamage(9, 0.2, 1.6, 0.01).add(frame)[0] for frame in clean]  # a quarter of its way in 40 frames
    chain, made = under(slow, "bands")
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))
    assert "does not come round" in chain.steps[0].told(0)[0]
