"""Flicker: taken where it is, left alone where there is none, the scene's own light kept."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
import pytest

from grevin.core.errors import CancelledError, SettingsError
from grevin.core.measure.lighting.curves import FOOT, PairTable, changes, solved, terms
from grevin.core.measure.lighting.pairs import matched_levels, pair_of, small_picture
from grevin.core.measure.lighting.trend import taken_apart
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.light import FlickerDamage, LightCourse
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.flicker.settings import FlickerSettings
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.over_time import OverTime
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.test_strip import values_to_try
from tests.conftest import moving_frames
from tests.core.lit import LENGTH, at_rest, under


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return at_rest()


def treated(frames: list[Frame], **settings: Any) -> tuple[Chain, list[Frame]]:
    return under(frames, "flicker", **settings)


def level_errors(frames: list[Frame], truth: list[Frame]) -> np.ndarray:
    """(T,) error of the mean level, but for one of the whole shot, which nothing tells."""
    off = np.array([one.planes[0].mean() - other.planes[0].mean() for one, other in zip(frames, truth, strict=True)])
    return np.asarray(off - off.mean())


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(values))))


@pytest.mark.parametrize("what", ["random", "periodic", "mains"])
def test_flicker_of_the_whole_frame_is_taken(clean: list[Frame], what: Any) -> None:
    damaged = [FlickerDamage(11, what).add(frame)[0] for frame in clean]
    chain, made = treated(damaged)
    before, after = level_errors(damaged, clean), level_errors(made, clean)
    assert rms(after) < rms(before) / 12
    assert rms(np.diff(after)) < rms(np.diff(before)) / 15
    (words, *_) = chain.told(range(LENGTH))
    assert "Flicker, frames 0 to 39: The whole frame flickers by" in words
    assert ("the same every 8 frames" in words) == (what == "periodic")


def fast_pan() -> list[Frame]:
    """Texture under a pan so fast that a flow over eight frames finds nothing but what looks alike."""
    rng = np.random.default_rng(4)
    wide = cv2.resize(rng.uniform(30, 220, (34, 900)).astype(np.float32), (3200, 240), interpolation=cv2.INTER_CUBIC)
    still = moving_frames(1, 320, 240).frame(0)
    return [
        replace(still.with_planes((wide[:, 10 * n : 10 * n + 320], *still.planes[1:])).rounded(), number=n)
        for n in range(LENGTH)
    ]


def test_a_fast_pan_does_not_draw_the_curves_together() -> None:
    clean = fast_pan()
    damaged = [FlickerDamage(17, "random").add(frame)[0] for frame in clean]
    _, made = treated(damaged)
    before, after = level_errors(damaged, clean), level_errors(made, clean)
    assert rms(np.diff(after)) < rms(np.diff(before)) / 8
    _, kept = treated(clean)
    assert all(one is other for one, other in zip(kept, clean, strict=True))


def test_wrong_pairs_do_not_bring_all_levels_to_one() -> None:
    rng = np.random.default_rng(5)
    gains = np.exp(0.1 * rng.standard_normal(30))
    levels = np.linspace(20, 230, 25)
    pairs = [(a, a + d) for d in (1, 2, 4, 8) for a in range(30 - d)]
    rows = np.stack([np.stack([levels * gains[a], levels * gains[b]], axis=-1) for a, b in pairs])
    rows[np.array([b - a == 8 for a, b in pairs])] += rng.normal(0, 12, (22, 25, 2))  # far ones see other things
    first, second = np.array(pairs).T
    table = PairTable(first, second, rows[:, None].astype(np.float32))
    found = solved(30, table, 0)
    assert np.allclose(found.mean(axis=0), 0, atol=1e-6)
    gained = (changes(-found, np.array([110.0]))[:, 0] / 110.0)[:, None]
    wanted = np.log(gains) - np.log(gains).mean()
    assert np.polyfit(wanted, gained[:, 0], 1)[0] == pytest.approx(1.0, abs=0.08)


def test_what_is_left_is_measured_in_the_result_and_drawn(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(14, "corner", depth=1.5).add(frame)[0] for frame in clean]
    chain, _ = treated(damaged)
    step = chain.steps[0]
    assert not step.knows_left(0)
    chart, left = step.chart(0), step.chart_left(0)
    assert chart is not None
    assert left is not None
    assert [len(line.values) for line in chart.lines] == [LENGTH, LENGTH]
    assert chart.places is not None
    assert left.places is not None
    corner = np.unravel_index(int(chart.places.argmax()), chart.places.shape)
    assert corner[0] in {0, 1, chart.places.shape[0] - 2, chart.places.shape[0] - 1}
    assert left.places.max() < 0.35 * chart.places.max()
    assert step.knows_left(5)
    assert "No flicker in this shot" in step.told_left(0)[0]
    assert "Left as it is." not in step.told_left(0)


def test_light_is_measured_inside_a_region_and_taken_everywhere(clean: list[Frame]) -> None:
    """A sign that blinks fills most of the picture; the wall beside it tells the light."""
    damaged = [FlickerDamage(19, "mains").add(frame)[0] for frame in clean]
    blinking = []
    for frame in damaged:
        luma = frame.planes[0].copy()
        luma[:, 120:] = np.clip(luma[:, 120:].astype(int) + (40 if frame.number % 2 else 0), 0, 255)
        blinking.append(frame.with_planes((luma, *frame.planes[1:])))
    wall = Region(use="measure", x=0, y=0, width=110, height=144)
    step = TreatmentStep.make("flicker", {"where": "whole frame", "period_frames": 1}, regions=(wall,))
    chain = Chain(MemorySource(blinking, "sign"), Treatment(steps=(step,)))
    made = [chain.result.frame(number) for number in range(LENGTH)]

    def off(frames: list[Frame], columns: slice) -> float:
        means = [f.planes[0][:, columns].mean() - c.planes[0][:, columns].mean()
                 for f, c in zip(frames, clean, strict=True)]  # fmt: skip
        return float(np.std(means))

    assert off(made, slice(0, 110)) < 0.15 * off(blinking, slice(0, 110)), "the wall is at rest"
    assert chain.steps[0].acted(3, 3).mask.all(), "it acts outside the region too"
    whole = Chain(MemorySource(blinking, "sign"), Treatment(steps=(TreatmentStep.make("flicker"),)))
    assert whole.steps[0].study_of(0)["curves"].shape == chain.steps[0].study_of(0)["curves"].shape
    assert not np.allclose(whole.steps[0].study_of(0)["curves"], chain.steps[0].study_of(0)["curves"])


def test_a_region_that_is_too_small_to_measure_in_is_said(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(19, "mains").add(frame)[0] for frame in clean]
    dot = Region(use="measure", x=10, y=10, width=8, height=8)
    step = TreatmentStep.make("flicker", regions=(dot, Region(use="measure", x=5000, y=0, width=9, height=9)))
    chain = Chain(MemorySource(damaged, "dot"), Treatment(steps=(step,)))
    assert "Too few frames here show the same things" in " ".join(chain.told(range(LENGTH)))
    assert all(chain.result.frame(n) is damaged[n] for n in (0, 7)), "left as it is"


def test_every_smoothing_time_can_be_asked_for() -> None:
    rng = np.random.default_rng(9)
    for length in (8, 9, 10, 13, 24, 41):
        curve = rng.standard_normal((length, 3))
        for longest in (1, 2, 5, 8, 9, 12, 1000):
            trend = taken_apart(curve, longest)
            assert trend.slow.shape == curve.shape
            assert np.isfinite(trend.slow).all()


def test_the_test_strip_of_the_smoothing_time_tries_times_that_differ() -> None:
    assert values_to_try(FlickerSettings(), "smoothing_frames") == (0, 34, 56, 78, 100)
    assert values_to_try(FlickerSettings(smoothing_frames=40), "smoothing_frames") == (20, 40, 50, 65, 80)


def test_noise_that_disturbs_the_measure_is_told_with_its_figure(clean: list[Frame]) -> None:
    rng = np.random.default_rng(6)
    noisy = [
        frame.with_planes((np.clip(frame.planes[0] + rng.normal(0, 40, frame.planes[0].shape), 0, 255),
                           *frame.planes[1:])).rounded() for frame in clean
    ]  # fmt: skip
    chain, made = treated(noisy)
    assert all(one is other for one, other in zip(made, noisy, strict=True)), "noise is no flicker"
    assert any("Noise disturbs measuring here" in words for words in chain.told(range(LENGTH)))
    quiet, _ = treated(clean)
    assert not any("Noise disturbs" in words for words in quiet.told(range(LENGTH)))
    nothing = quiet.evidence_at(1, 5)
    assert not nothing.mask.any()
    assert nothing.words.startswith("no part of the picture flickers by more than")


def test_colours_that_flicker_apart_get_curves_of_their_own(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(12, "colour").add(frame)[0] for frame in clean]
    _, made = treated(damaged)
    _, linked = treated(damaged, channels="linked")

    def blue(frames: list[Frame]) -> float:
        off = np.array([f.planes[1].mean() - c.planes[1].mean() for f, c in zip(frames, clean, strict=True)])
        return rms(off - off.mean())

    assert blue(made) < 0.3 * blue(damaged)
    assert blue(made) < 0.5 * blue(linked)


def test_a_lamp_in_one_corner_is_found_and_the_rest_hardly_changes(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(13, "corner", 1.5).add(frame)[0] for frame in clean]
    chain, made = treated(damaged)
    far = slice(84, 144), slice(120, 192)

    def apart(frames: list[Frame], where: tuple[slice, slice]) -> float:
        off = np.array(
            [f.planes[0][where].mean() - c.planes[0][where].mean() for f, c in zip(frames, clean, strict=True)]
        )
        return rms(off - off.mean())

    corners = [
        (rows, columns) for rows in (slice(0, 48), slice(96, 144)) for columns in (slice(0, 60), slice(132, 192))
    ]
    lit = max(corners, key=lambda where: apart(damaged, where))
    assert apart(made, lit) < 0.45 * apart(damaged, lit)
    assert apart(made, far) < apart(damaged, far) + 0.5
    assert "ingle parts of the picture" in " ".join(chain.told(range(LENGTH)))


@pytest.mark.parametrize("course", [None, "sunrise", "lamp", "fade", "cloud", "swell"])
def test_light_that_is_the_scenes_own_comes_out_bit_for_bit(clean: list[Frame], course: Any) -> None:
    frames = clean if course is None else [LightCourse(course, LENGTH).add(frame)[0] for frame in clean]
    chain, made = treated(frames)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))
    assert "No flicker in this shot" in chain.told(range(LENGTH))[0]


def test_a_lamp_that_is_switched_on_under_flicker_stays_switched_on(clean: list[Frame]) -> None:
    lit = [LightCourse("lamp", LENGTH).add(frame)[0] for frame in clean]
    damaged = [FlickerDamage(14, "random", 0.5).add(frame)[0] for frame in lit]
    chain, made = treated(damaged)
    half = LENGTH // 2
    rise = np.mean([f.planes[0].mean() for f in made[half:]]) - np.mean([f.planes[0].mean() for f in made[:half]])
    true = np.mean([f.planes[0].mean() for f in lit[half:]]) - np.mean([f.planes[0].mean() for f in lit[:half]])
    assert rise == pytest.approx(true, rel=0.15)
    assert "goes to another level once" in " ".join(chain.told(range(LENGTH)))


def test_strength_and_detail(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(15, "random").add(frame)[0] for frame in clean]
    _, half = treated(damaged, strength=0.5)
    _, none = treated(damaged, strength=0.0)
    assert all(one.planes[0] is other.planes[0] for one, other in zip(none, damaged, strict=True))
    assert rms(level_errors(half, clean)) == pytest.approx(0.5 * rms(level_errors(damaged, clean)), rel=0.15)


def cloth() -> list[Frame]:
    """Fine structure on a soft slope of light, drawn past the camera."""
    fmt = moving_frames(1, 320, 240).format
    rng = np.random.default_rng(4)
    wide = np.linspace(50, 190, 420)[None, :] + 3.0 * rng.standard_normal((240, 420))
    rest = [np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:]]
    return [Frame(n, fmt, (np.rint(wide[:, n : n + 320]).astype(np.uint8), *rest)) for n in range(30)]


def test_fine_structure_stays_the_sources_where_detail_is_given_back() -> None:
    damaged = [FlickerDamage(15, "random").add(frame)[0] for frame in cloth()]
    _, whole = treated(damaged)
    _, given = treated(damaged, detail_px=6.0)

    def fine(frame: Frame) -> np.ndarray:
        luma = frame.planes[0].astype(np.float64)
        return luma[:, 2:] - 2 * luma[:, 1:-1] + luma[:, :-2]

    kept = [rms(fine(one) - fine(old)) for one, old in zip(given, damaged, strict=True)]
    changed = [rms(fine(one) - fine(old)) for one, old in zip(whole, damaged, strict=True)]
    assert np.mean(kept) < 0.35 * np.mean(changed), "fine structure stays the source's"
    truth = cloth()
    assert rms(level_errors(given, truth)) < 1.5 * rms(level_errors(whole, truth)) + 0.1


def test_frames_are_brought_to_those_that_were_named(clean: list[Frame]) -> None:
    lit = [LightCourse("sunrise", LENGTH).add(frame)[0] for frame in clean]
    _, made = treated(lit, reference_frames=(0,))
    levels = np.array([frame.planes[0].mean() for frame in made])
    true = np.array([frame.planes[0].mean() for frame in clean])
    gained = [frame.planes[0].mean() for frame in lit]
    assert np.std(levels - true) < 0.15 * np.std(np.array(gained) - true)


def test_a_shot_without_the_named_frames_is_told_as_if_none_were_named(clean: list[Frame]) -> None:
    chain, made = treated(clean, reference_frames=(LENGTH + 3,))
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


@pytest.mark.parametrize("count", [1, 2, 7])
def test_shots_that_are_too_short_are_left_alone(clean: list[Frame], count: int) -> None:
    damaged = [FlickerDamage(16, "random").add(frame)[0] for frame in clean[:count]]
    chain, made = treated(damaged)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_black_and_white_frames_say_nothing(clean: list[Frame]) -> None:
    fmt = clean[0].format
    planes = tuple(
        np.full(shape, value, np.uint8) for shape, value in zip(fmt.plane_shapes(), (16, 128, 128), strict=True)
    )
    frames = [Frame(number, fmt, planes) for number in range(12)]
    chain, made = treated(frames)
    assert all(one is chain.source.frame(number) for number, one in enumerate(made))


def test_levels_match_through_a_known_curve(clean: list[Frame]) -> None:
    """Gain and offset laid over a frame come back from the pair, as in the model of Roosmalen and others (1999)."""
    here = small_picture(clean[0])
    lit = clean[1].with_planes((np.clip(clean[1].planes[0] * 0.9 + 6, 0, 255).astype(np.float32), *clean[1].planes[1:]))
    there = small_picture(lit.rounded())
    levels = matched_levels(here, pair_of(here, there))
    assert levels is not None
    one, other = levels[0, :, 0], levels[0, :, 1]
    np.testing.assert_allclose(other, 0.9 * one + 6, atol=1.0)


def test_terms_make_gain_in_light() -> None:
    levels = np.array([20.0, 110.0, 220.0])
    gain = np.zeros((1, terms(levels).shape[-1]))
    gain[0, 0] = np.log(1.1)
    np.testing.assert_allclose(changes(gain, levels)[0], 0.1 * (levels + FOOT))


def test_learning_can_be_stopped(clean: list[Frame]) -> None:
    damaged = [FlickerDamage(17, "random").add(frame)[0] for frame in clean]
    chain = Chain(MemorySource(damaged, "stop"), Treatment(steps=(TreatmentStep.make("flicker"),)))
    progress = Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        chain.prepare(progress, [0])
    assert not chain.is_studied(1, 0)


def test_what_a_shot_is_learned_by_is_the_same_all_over_it(clean: list[Frame]) -> None:
    keys = ({"frame": 0, "value": 1.0}, {"frame": 9, "value": 0.0})
    with pytest.raises(SettingsError, match="cannot change over time"):
        TreatmentStep.make(
            "flicker", {}, over_time=(OverTime.model_validate({"setting": "smoothing_frames", "keys": keys}),)
        )
    damaged = [FlickerDamage(18, "random").add(frame)[0] for frame in clean]
    fading = OverTime.model_validate({"setting": "strength", "keys": keys})
    source = MemorySource(damaged, "fading")
    chain = Chain(source, Treatment(steps=(TreatmentStep.make("flicker", {}, over_time=(fading,)),)))
    assert chain.result.frame(12) is chain.source.frame(12)
    plain = Chain(source, Treatment(steps=(TreatmentStep.make("flicker"),)), chain.cache)
    assert plain.is_studied(1, 0), "another strength has nothing learned anew"
    assert not np.array_equal(plain.result.frame(12).planes[0], source.frame(12).planes[0])


def test_a_long_shot_is_solved_in_stretches_that_show_no_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("grevin.core.steps.flicker.study.STRETCH", 64)
    source = moving_frames(21, 96, 72)
    truth = [source.frame(abs(number % 40 - 20)).with_number(number) for number in range(100)]  # to and fro
    damaged = [FlickerDamage(19, "corner", 1.5).add(frame)[0] for frame in truth]
    _, made = treated(damaged)

    def worst(frames: list[Frame], where: slice) -> float:
        off = [np.abs(f.planes[0] - 1.0 * c.planes[0]).mean() for f, c in zip(frames[where], truth[where], strict=True)]
        return float(np.mean(off))

    seam, elsewhere = slice(32, 64), slice(4, 30)
    assert worst(made, elsewhere) < 0.7 * worst(damaged, elsewhere)
    assert worst(made, seam) / worst(damaged, seam) < 1.3 * worst(made, elsewhere) / worst(damaged, elsewhere)


def test_a_colour_that_is_black_all_over_on_a_frame_takes_the_curve_of_brightness() -> None:
    """Its levels say nothing there: a curve of its own would be anything, and made such a frame blue all over."""
    rng = np.random.default_rng(8)
    fmt = PictureFormat(192, 144, "rgb", 8, full_range=True)
    moving = moving_frames(LENGTH, 192, 144)
    clean, damaged = [], []
    for number in range(LENGTH):
        grey = moving.frame(number).luma8().astype(np.float32)
        colours = [grey, grey * 0.8, grey * 0.12]  # evening light: next to no blue
        gain, offset = 1 + 0.06 * rng.standard_normal(3), -25.0 if number == 17 else 4.0 * rng.standard_normal()
        for some, planes in (
            (clean, colours), (damaged, [one * g + offset for one, g in zip(colours, gain, strict=True)])
        ):  # fmt: skip
            eight = tuple(np.clip(np.rint(one), 0, 255).astype(np.uint8) for one in planes)
            some.append(Frame(number, fmt, eight))
    _, made = treated(damaged)
    for number in (16, 17, 18):
        blue = made[number].planes[2].astype(np.float32)
        assert blue.max() < 90, "of 30 in clean frames"
    assert np.abs(made[17].planes[0].astype(np.float32) - clean[17].planes[0]).mean() < 12
