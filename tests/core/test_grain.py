"""Grain given back: of the size, level and spectrum that it had, new on every frame, the same twice."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.measure.noise.made import grains, plain_spectrum
from grevin.core.measure.noise.model import NoiseModel, unpacked
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.core.lit import under
from tests.core.test_noise import LENGTH, noisy, without_grain


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return without_grain(LENGTH)


def given_back(frames: list[Frame], **settings: object) -> Chain:
    steps = (TreatmentStep.make("noise", {"reach_frames": 2}), TreatmentStep.make("grain", dict(settings)))
    return Chain(MemorySource(frames, "grain"), Treatment(steps=steps))


@pytest.mark.parametrize(("sigma", "grain_px"), [(8.0, 0.0), (10.0, 1.0)])
def test_grain_comes_back_as_it_was(clean: list[Frame], sigma: float, grain_px: float) -> None:
    chain = given_back(noisy(clean, sigma, grain_px))
    made = [chain.result.frame(number) for number in range(LENGTH)]
    quiet = [chain.view_points[1].frame(number) for number in range(LENGTH)]
    added = [one.planes[0] - other.planes[0] for one, other in zip(made, quiet, strict=True)]
    assert float(np.std(np.stack(added))) == pytest.approx(sigma, rel=0.08)
    assert f"Grain of {unpacked(chain.steps[1].study_of(0)).typical:.1f} levels" in " ".join(chain.told(range(LENGTH)))  # type: ignore[union-attr]
    again, _ = under([frame.rounded() for frame in made], "noise", reach_frames=0)
    first, second = (unpacked(one.study_of(0)) for one in (chain.steps[0], again.steps[0]))
    assert first is not None
    assert second is not None
    assert second.typical == pytest.approx(first.typical, rel=0.12)
    apart = 10 * np.log10(np.maximum(second.spectrum[0], 1e-2) / np.maximum(first.spectrum[0], 1e-2))
    assert float(np.median(np.abs(apart))) < 1.5, "dB of the spectrum"


def test_it_is_new_on_every_frame_and_the_same_twice(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)
    one, other = (given_back(worn) for _ in range(2))
    frames = [one.result.frame(number) for number in (3, 4)]
    assert np.array_equal(frames[0].planes[0], other.result.frame(3).planes[0])
    added = [frame.planes[0] - one.view_points[1].frame(n).planes[0] for frame, n in zip(frames, (3, 4), strict=True)]
    assert abs(float(np.corrcoef(added[0].ravel(), added[1].ravel())[0, 1])) < 0.03
    assert not np.array_equal(frames[0].planes[0], given_back(worn, seed=2).result.frame(3).planes[0])
    assert given_back(worn, amount=0.0).result.frame(3) is one.view_points[1].frame(3) or np.array_equal(
        given_back(worn, amount=0.0).result.frame(3).planes[0], one.view_points[1].frame(3).planes[0]
    )


def test_grain_is_not_asked_what_it_left(clean: list[Frame]) -> None:
    chain = given_back(noisy(clean, 8.0))
    assert [step.measures_left for step in chain.steps] == [True, False]


def test_without_noise_taken_nothing_is_given_back(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)
    chain, made = under(worn, "grain")
    assert all(one is other for one, other in zip(made, worn, strict=True))
    assert "there is none to give back" in chain.told(range(LENGTH))[0]


def test_plain_grain_has_the_level_and_size_that_were_asked_for(clean: list[Frame]) -> None:
    chain, made = under(clean, "grain", kind="plain", plain_levels=6.0, plain_px=1.2)
    added = made[4].planes[0] - clean[4].planes[0]
    assert float(added.std()) == pytest.approx(6.0, rel=0.05)
    neighbours = float(np.corrcoef(added[:, 1:].ravel(), added[:, :-1].ravel())[0, 1])
    assert neighbours == pytest.approx(np.exp(-1 / (4 * 1.2**2)), abs=0.08)  # of a Gaussian blur of white noise
    assert "of its own" in chain.told(range(LENGTH))[0]


def test_larger_grain_is_the_same_grain_larger() -> None:
    known = np.array([128.0]), np.ones((3, 1)), np.stack([plain_spectrum(0.8)] * 3), np.array([1]), np.zeros(1)
    (one,), (large,) = (grains([(256, 256)], NoiseModel(*known, np.eye(3)), size, (1, 2)) for size in (1.0, 2.0))
    near = [float(np.corrcoef(made[:, 2:].ravel(), made[:, :-2].ravel())[0, 1]) for made in (one, large)]
    assert near[1] > near[0] + 0.25
    assert float(large.std()) == pytest.approx(1.0)


def test_planes_go_together_as_they_did(clean: list[Frame]) -> None:
    rng = np.random.default_rng(9)
    worn = []
    for frame in clean:
        luma = rng.standard_normal((240, 320))
        small = 2 * cv2.resize(luma, (160, 120), interpolation=cv2.INTER_AREA)
        blue, red = (part * small + np.sqrt(1 - part**2) * rng.standard_normal((120, 160)) for part in (0.6, -0.4))
        grained = (plane + 7 * noise for plane, noise in zip(frame.planes, (luma, blue, red), strict=True))
        worn.append(frame.with_planes(tuple(np.clip(plane, 0, 255) for plane in grained)).rounded())
    chain = given_back(worn)
    before, behind = chain.view_points[1].frame(4), chain.result.frame(4)
    added = [np.asarray(one, np.float64) - other for one, other in zip(behind.planes, before.planes, strict=True)]
    small = cv2.resize(added[0], (160, 120), interpolation=cv2.INTER_AREA)
    found = np.corrcoef([small.ravel(), added[1].ravel(), added[2].ravel()])
    assert found[0, 1] == pytest.approx(0.6, abs=0.1)
    assert found[0, 2] == pytest.approx(-0.4, abs=0.1)
    assert found[1, 2] == pytest.approx(-0.24, abs=0.1)
    for plane in added:
        assert float(plane.std()) == pytest.approx(7.0, rel=0.08)
