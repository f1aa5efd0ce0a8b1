"""Noise on material that could lead its measure astray: bars, fades, cuts, clipped and deep pictures, odd boxes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from grevin.core.measure.noise.model import GOOD, model_of, unpacked
from grevin.core.measure.noise.pairs import Samples
from grevin.core.picture.depth import in_depth
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.noise.telling import LEAST_SIGMA
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from tests.core.lit import under
from tests.core.test_noise import LENGTH, noisy, off, without_grain

SIGMA = 8.0  # 8-bit levels
MIDDLE = LENGTH // 2
BAR = 40  # px of a letterbox on either side


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return without_grain(LENGTH)


def luma_by(frames: list[Frame], change: Callable[[int, np.ndarray], np.ndarray]) -> list[Frame]:
    made = []
    for number, frame in enumerate(frames):
        luma = change(number, frame.planes[0].astype(np.float32))
        made.append(frame.with_planes((np.clip(luma, 0, 255), *frame.planes[1:])).rounded())
    return made


def typical(chain: Chain, number: int = 0) -> float:
    found = unpacked(chain.steps[0].study_of(number))
    assert found is not None
    return found.typical


def test_bars_are_no_plain_places(clean: list[Frame]) -> None:
    def boxed(_: int, luma: np.ndarray) -> np.ndarray:
        luma[:BAR], luma[-BAR:] = 16, 16
        return luma

    worn = luma_by(noisy(clean, SIGMA), boxed)
    chain, made = under(worn, "noise")
    assert typical(chain) == pytest.approx(SIGMA, rel=0.1)
    assert np.abs(made[MIDDLE].planes[0][: BAR - 8].astype(int) - 16).max() <= 1


def test_a_fade_does_not_pass_for_noise(clean: list[Frame]) -> None:
    faded = luma_by(clean, lambda number, luma: 16 + (luma - 16) * (1 - 0.08 * number))
    worn = noisy(faded, SIGMA)
    chain, made = under(worn, "noise")
    assert typical(chain) == pytest.approx(SIGMA, rel=0.2)
    assert off(made[MIDDLE], faded[MIDDLE]) < off(worn[MIDDLE], faded[MIDDLE]) / 2
    assert abs(float(made[MIDDLE].planes[0].mean()) - float(worn[MIDDLE].planes[0].mean())) < 0.5  # of 7 a frame


def flashed(number: int, luma: np.ndarray) -> np.ndarray:
    return luma * 1.35 + 25 if number in (MIDDLE - 3, MIDDLE + 2) else luma


def hunting(number: int, luma: np.ndarray) -> np.ndarray:
    """A camera that looks for its exposure."""
    return luma * (1 + 0.15 * np.sin(1.1 * number))


@pytest.mark.parametrize("light", [flashed, hunting])
def test_light_that_changes_from_frame_to_frame_is_no_noise(
    clean: list[Frame], light: Callable[[int, np.ndarray], np.ndarray]
) -> None:  # fmt: skip
    _, made = under(luma_by(clean, light), "noise")
    lit = luma_by(clean, light)
    assert min(psnr(*squared_error(one.luma8(), two.luma8())) for one, two in zip(made, lit, strict=True)) > 55
    step = TreatmentStep.make("noise")
    chain = Chain(MemorySource(noisy(lit, SIGMA), "lit"), Treatment(steps=(step,)))
    assert typical(chain) == pytest.approx(SIGMA, rel=0.15)


def test_each_shot_has_noise_of_its_own(clean: list[Frame]) -> None:
    other = luma_by(clean, lambda _, luma: luma[::-1, ::-1])
    two = [*noisy(clean, 4.0), *noisy(other, 12.0, seed=9)]
    frames = [replace(frame, number=number) for number, frame in enumerate(two)]
    chain = Chain(
        MemorySource(frames, "two shots"), Treatment(steps=(TreatmentStep.make("noise"),)), cuts=[LENGTH]
    )  # fmt: skip
    assert typical(chain, 0) == pytest.approx(4.0, rel=0.12)
    assert typical(chain, LENGTH) == pytest.approx(12.0, rel=0.12)
    for number, truth in ((LENGTH - 1, clean[-1]), (LENGTH, other[0])):
        assert off(chain.result.frame(number), truth) < off(frames[number], truth) / 1.7


def test_clipped_pictures_are_left_alone(clean: list[Frame]) -> None:
    white = luma_by(clean, lambda _, luma: np.full_like(luma, 255))
    chain, made = under(white, "noise")
    assert made[MIDDLE] is white[MIDDLE]
    assert "No plain place was found" in chain.told(range(LENGTH))[0]


@pytest.mark.parametrize("full_range", [False, True])
def test_sixteen_bits_and_either_range(clean: list[Frame], full_range: bool) -> None:
    deep = [in_depth(frame, 16) for frame in clean]
    deep = [replace(frame, format=replace(frame.format, full_range=full_range)) for frame in deep]
    worn = noisy(deep, SIGMA)
    chain, made = under(worn, "noise")
    assert typical(chain) == pytest.approx(SIGMA, rel=0.18)
    assert made[MIDDLE].format == deep[MIDDLE].format
    assert off(made[MIDDLE], deep[MIDDLE]) < off(worn[MIDDLE], deep[MIDDLE]) / 2


@pytest.mark.parametrize("box", [(300, 220, 200, 200), (-500, -500, 100, 100), (5, 5, 3, 3)])
def test_boxes_over_an_edge_off_the_picture_and_too_small(clean: list[Frame], box: tuple[int, ...]) -> None:
    left, top, width, height = box
    worn = noisy(clean, SIGMA)
    step = TreatmentStep.make("noise", regions=(Region(use="measure", x=left, y=top, width=width, height=height),))
    chain = Chain(MemorySource(worn, "box"), Treatment(steps=(step,)))
    words = " ".join(chain.told(range(LENGTH)))
    assert ("measure" in words) or ("No plain place" in words)
    made = chain.result.frame(MIDDLE)
    assert made is worn[MIDDLE] or off(made, clean[MIDDLE]) < off(worn[MIDDLE], clean[MIDDLE])


def test_what_is_not_sure_to_be_noise_stays(clean: list[Frame]) -> None:
    """Small things that move each in their own way, much here and little there: plain places do not agree."""
    rng = np.random.default_rng(7)
    strength = 0.4 + 2.0 * rng.exponential(1, (15, 20)) ** 2
    leaves = rng.normal(0, 1, (LENGTH, 240, 320)) * np.kron(strength, np.ones((16, 16)))
    worn = luma_by(clean, lambda number, luma: luma + leaves[number])
    chain, made = under(worn, "noise")
    found = unpacked(chain.steps[0].study_of(0))
    assert found is not None
    assert found.typical > 1.2 * LEAST_SIGMA
    assert found.sure().typical < LEAST_SIGMA
    assert all(one is other for one, other in zip(made, worn, strict=True))
    assert "What is sure of it is no more than rounding." in " ".join(chain.told(range(LENGTH)))


def test_a_good_measure_is_taken_whole_and_others_as_far_as_they_are_sure(clean: list[Frame]) -> None:
    chain, _ = under(noisy(clean, SIGMA), "noise")
    found = unpacked(chain.steps[0].study_of(0))
    assert found is not None
    assert found.off_by < GOOD
    assert found.sure().typical == found.typical
    half = replace(found, doubt=np.full_like(found.doubt, 0.5 + GOOD))
    assert half.sure().typical == pytest.approx(0.5 * found.typical)


def test_places_that_do_not_differ_at_all_give_no_noise() -> None:
    rng = np.random.default_rng(1)
    level, power = rng.uniform(30, 220, 600).astype(np.float32), np.zeros((600, 3, 8, 8), np.float32)
    texture = rng.uniform(0, 9, 600).astype(np.float32)
    samples = Samples(level, power, (4, 1, 1), texture, np.ones(600, np.bool_), np.zeros((3, 3)))
    found = model_of([samples])
    assert found is not None
    assert found.typical == 0
    assert found.off_by == 1.0
