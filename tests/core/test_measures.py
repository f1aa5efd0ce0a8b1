"""Measures: curves against published or computed values."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.survey.measures.base import Seen, Sight
from grevin.core.survey.measures.blocks import Blocks
from grevin.core.survey.measures.borders import Borders
from grevin.core.survey.measures.change import ChangeMeasure
from grevin.core.survey.measures.combing import Combing
from grevin.core.survey.measures.detail import Detail
from grevin.core.survey.measures.fields import FieldChange
from grevin.core.survey.measures.levels import Levels
from grevin.core.survey.measures.light import Light
from grevin.core.survey.measures.motion import Motion
from grevin.core.survey.measures.noise import Noise
from grevin.core.survey.measures.registry import MEASURES
from tests.core.drawn import frame_of, pan, seen, texture


def test_every_curve_has_a_name_a_unit_and_words() -> None:
    names = [series.name for measure in MEASURES for series in measure.series]
    assert len(names) == len(set(names))
    assert all(series.unit and series.words for measure in MEASURES for series in measure.series)


def test_levels_are_the_means_and_percentiles() -> None:
    luma = texture()
    sight = seen(frame_of(luma))
    values = dict(zip((s.name for s in Levels.series), Levels().of(sight), strict=True))
    part = frame_of(luma).planes[0][::2, ::2]
    assert values["level_luma_mean"] == pytest.approx(part.mean(), abs=0.01)
    assert values["level_luma_p50"] == pytest.approx(np.median(part), abs=1)
    assert values["level_luma_p99"] == pytest.approx(np.percentile(part, 99), abs=1)
    grey = (values["level_luma_mean"] - 16) / 219 * 255
    for channel in ("red", "green", "blue"):
        assert values[f"level_{channel}_mean"] == pytest.approx(grey, abs=1.0), "grey has equal channels, BT.601-7"


@pytest.mark.parametrize("sigma", [1.0, 2.5, 5.0, 9.0])
def test_noise_is_what_was_added(sigma: float) -> None:
    noisy = texture(2, 9.0) + np.random.default_rng(3).normal(0, sigma, (240, 320))
    (measured,) = Noise().of(seen(frame_of(noisy)))
    assert measured == pytest.approx(sigma, rel=0.15, abs=0.15)


@pytest.mark.reference
def test_spatial_and_temporal_information_are_those_of_p910() -> None:
    """ITU-T P.910: SI = std over space of the Sobel-filtered luma; TI = std over space of the difference."""
    from skimage.filters import sobel_h, sobel_v

    first, second = texture(4), np.roll(texture(4), 3, axis=1)
    before, here = Seen(frame_of(first)), Seen(frame_of(second))
    spatial, temporal, _ = Detail().of(Sight(here, before))
    luma = here.luma.astype(float)
    expected = np.hypot(4 * sobel_h(luma), 4 * sobel_v(luma))[1:-1, 1:-1].std()  # scikit-image divides by 4
    assert spatial == pytest.approx(expected, rel=1e-3)
    assert temporal == pytest.approx((luma - before.luma).std(), rel=1e-5)


def test_sharpness_falls_with_blur() -> None:
    sharp = texture(5, 1.0)
    values = [Detail().of(seen(frame_of(cv2.GaussianBlur(sharp, (0, 0), s) if s else sharp)))[2]
              for s in (0.0, 1.0, 2.0)]  # fmt: skip
    assert values[0] > values[1] > values[2]


def test_motion_is_that_of_a_pan() -> None:
    wide = texture(6, 3.0, 400)
    frames = [frame_of(wide[:, 10 + shift : 330 + shift]) for shift in (0, 7)]
    median, _ = Motion().of(Sight(Seen(frames[1]), Seen(frames[0])))
    assert median == pytest.approx(7.0, abs=0.6)


def test_combing_shows_two_moments_in_one_frame() -> None:
    wide = cv2.GaussianBlur((np.random.default_rng(7).random((240, 400)) > 0.5).astype(np.float32) * 200, (0, 0), 2.0)
    first, second = wide[:, :320], wide[:, 8:328]
    woven = first.copy()
    woven[1::2] = second[1::2]
    (whole,), (combed,) = (Combing().of(seen(frame_of(luma))) for luma in (first, woven))
    assert whole < 0.2
    assert combed > 2.0


def value(measure, sight: Sight, name: str) -> float:
    return dict(zip((one.name for one in measure.series), measure.of(sight), strict=True))[name]


def between(first: np.ndarray, second: np.ndarray) -> Sight:
    return Sight(Seen(frame_of(second, 1)), Seen(frame_of(first)))


def test_a_change_of_the_light_is_its_percentage() -> None:
    """Above black (16, BT.601-7) the light is what the code values say."""
    luma = texture(31)
    brighter = (luma - 16) * 1.04 + 16
    assert value(Light(), between(luma, brighter), "light_change") == pytest.approx(4.0, abs=0.5)


def test_sharpness_is_the_ratio_of_fine_to_coarse_detail() -> None:
    from scipy.ndimage import gaussian_filter

    def fine(picture: np.ndarray) -> float:
        return float((picture - gaussian_filter(picture, 1.0, mode="mirror", truncate=4.0)).std())

    here = Seen(frame_of(texture(32, 1.2)))
    expected = fine(here.luma.astype(float)) / fine(here.half.astype(float))
    assert value(Detail(), Sight(here), "sharpness") == pytest.approx(expected, rel=0.03)


def test_the_fastest_motion_is_told_beside_the_usual() -> None:
    still, wide = texture(33, 3.0), texture(34, 3.0, 400)
    first, second = still.copy(), still.copy()
    first[120:], second[120:] = wide[120:, 20:340], wide[120:, 12:332]
    assert value(Motion(), between(first, second), "motion_p95") == pytest.approx(8.0, abs=1.0)


def test_the_largest_change_is_that_of_the_blocks_that_changed_most() -> None:
    luma = texture(35)
    changed = luma.copy()
    changed[64:128, 96:192] += 40  # 24 blocks of 16 px, of which six are 2 % of the picture
    assert value(ChangeMeasure(), between(luma, changed), "change_largest") == pytest.approx(40.0, abs=1.0)


def test_fields_change_each_by_itself() -> None:
    luma = texture(36)
    changed = luma.copy()
    changed[65:129:2, 96:192] += 40
    sight = between(luma, changed)
    assert value(FieldChange(), sight, "change_top") == 0
    assert value(FieldChange(), sight, "change_bottom") == pytest.approx(40.0, abs=1.0)


@pytest.mark.parametrize(("held", "low", "high"), [(True, 0.6, 1.01), (False, -0.2, 0.2)])
def test_noise_that_stays_correlates_with_itself(held: bool, low: float, high: float) -> None:
    rng = np.random.default_rng(37)
    clean = pan(2, 38, 4.0, noise=0.0)
    first = rng.normal(0, 3, (240, 320))
    second = first if held else rng.normal(0, 3, (240, 320))
    sight = between(cv2.GaussianBlur(clean[0], (0, 0), 3) + first, cv2.GaussianBlur(clean[1], (0, 0), 3) + second)
    assert low < value(ChangeMeasure(), sight, "noise_correlation") < high


def test_combing_is_the_share_of_the_picture() -> None:
    luma = np.full((240, 320), 100.0)
    luma[61:181:2, 80:240] += 40  # every other line of a quarter of the picture
    assert value(Combing(), seen(frame_of(luma)), "combing") == pytest.approx(25.0, abs=0.6)


def test_a_block_grid_shows_after_coarse_compression() -> None:
    luma = np.clip(texture(8, 3.0), 0, 255).astype(np.uint8)
    times = []
    for quality in (98, 30, 8):
        coded = cv2.imdecode(cv2.imencode(".jpg", luma, [cv2.IMWRITE_JPEG_QUALITY, quality])[1], cv2.IMREAD_GRAYSCALE)
        times.append(Blocks().of(seen(frame_of(coded)))[0])
    (plain,) = Blocks().of(seen(frame_of(luma)))
    assert plain < 2.5
    assert times[2] > times[1] > 2 * times[0]
    assert times[0] < 2.5
    assert times[1] > 6


def test_black_borders_are_counted() -> None:
    luma = texture(9)
    luma[:, :11], luma[:, -6:], luma[:9], luma[-4:] = 16, 17, 16, 18
    assert Borders().of(seen(frame_of(luma))) == (11.0, 6.0, 9.0, 4.0)
    assert Borders().of(seen(frame_of(np.full((240, 320), 16.0)))) == (0, 0, 0, 0)
