"""The survey: curves against published or computed values, what stands out against what was put in."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from grevin.core.errors import CancelledError, UnreadableFrameError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.cadence import cadence_of, repeats_of
from grevin.core.survey.curves import curve_svg
from grevin.core.survey.measures.base import Sight
from grevin.core.survey.measures.blocks import Blocks
from grevin.core.survey.measures.borders import Borders
from grevin.core.survey.measures.combing import Combing
from grevin.core.survey.measures.detail import Detail
from grevin.core.survey.measures.levels import Levels
from grevin.core.survey.measures.motion import Motion
from grevin.core.survey.measures.noise import Noise
from grevin.core.survey.measures.registry import MEASURES
from grevin.core.survey.report import report_html
from grevin.core.survey.survey import run_survey
from tests.conftest import moving_frames

FORMAT = PictureFormat(320, 240, "yuv", 8, chroma="4:2:0", rate=Fraction(25))


def frame_of(luma: np.ndarray, number: int = 0) -> Frame:
    height, width = luma.shape
    fmt = replace(FORMAT, width=width, height=height)
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])
    return Frame(number, fmt, (np.clip(np.rint(luma), 0, 255).astype(np.uint8), *chroma))


def texture(seed: int = 1, sigma: float = 4.0, width: int = 320, height: int = 240) -> np.ndarray:
    noise = np.random.default_rng(seed).standard_normal((height, width)).astype(np.float32)
    field = cv2.GaussianBlur(noise, (0, 0), sigma)
    return 115 + 30 * field / field.std()


def survey(frames: list[Frame]):
    return run_survey(MemorySource(frames, "survey"), range(len(frames)), False, Progress())


def test_every_curve_has_a_name_a_unit_and_words() -> None:
    names = [series.name for measure in MEASURES for series in measure.series]
    assert len(names) == len(set(names))
    assert all(series.unit and series.words for measure in MEASURES for series in measure.series)


def test_levels_are_the_means_and_percentiles() -> None:
    luma = texture()
    sight = Sight(frame_of(luma), None)
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
    (measured,) = Noise().of(Sight(frame_of(noisy), None))
    assert measured == pytest.approx(sigma, rel=0.15, abs=0.15)


@pytest.mark.reference
def test_spatial_and_temporal_information_are_those_of_p910() -> None:
    """ITU-T P.910: SI = std over space of the Sobel-filtered luma; TI = std over space of the difference."""
    from skimage.filters import sobel_h, sobel_v

    first, second = texture(4), np.roll(texture(4), 3, axis=1)
    before, here = Sight(frame_of(first), None), None
    here = Sight(frame_of(second), before)
    spatial, temporal, _ = Detail().of(here)
    luma = here.luma.astype(float)
    expected = np.hypot(4 * sobel_h(luma), 4 * sobel_v(luma))[1:-1, 1:-1].std()  # scikit-image divides by 4
    assert spatial == pytest.approx(expected, rel=1e-3)
    assert temporal == pytest.approx((luma - before.luma).std(), rel=1e-5)


def test_sharpness_falls_with_blur() -> None:
    sharp = texture(5, 1.0)
    values = [Detail().of(Sight(frame_of(cv2.GaussianBlur(sharp, (0, 0), s) if s else sharp), None))[2]
              for s in (0.0, 1.0, 2.0)]  # fmt: skip
    assert values[0] > values[1] > values[2]


def test_motion_is_that_of_a_pan() -> None:
    wide = texture(6, 3.0, 400)
    frames = [frame_of(wide[:, 10 + shift : 330 + shift]) for shift in (0, 7)]
    median, _ = Motion().of(Sight(frames[1], Sight(frames[0], None)))
    assert median == pytest.approx(7.0, abs=0.6)


def test_combing_shows_two_moments_in_one_frame() -> None:
    wide = cv2.GaussianBlur((np.random.default_rng(7).random((240, 400)) > 0.5).astype(np.float32) * 200, (0, 0), 2.0)
    first, second = wide[:, :320], wide[:, 8:328]
    woven = first.copy()
    woven[1::2] = second[1::2]
    (whole,), (combed,) = (Combing().of(Sight(frame_of(luma), None)) for luma in (first, woven))
    assert whole < 0.2
    assert combed > 2.0


def test_a_block_grid_shows_after_coarse_compression() -> None:
    luma = np.clip(texture(8, 3.0), 0, 255).astype(np.uint8)
    ratios = []
    for quality in (95, 30, 8):
        coded = cv2.imdecode(cv2.imencode(".jpg", luma, [cv2.IMWRITE_JPEG_QUALITY, quality])[1], cv2.IMREAD_GRAYSCALE)
        ratios.append(Blocks().of(Sight(frame_of(coded), None))[0])
    (plain,) = Blocks().of(Sight(frame_of(luma), None))
    assert plain < 1.2
    assert ratios[2] > ratios[1] > ratios[0]
    assert ratios[2] > 1.5


def test_black_borders_are_counted() -> None:
    luma = texture(9)
    luma[:, :11], luma[:, -6:], luma[:9], luma[-4:] = 16, 17, 16, 18
    assert Borders().of(Sight(frame_of(luma), None)) == (11.0, 6.0, 9.0, 4.0)
    assert Borders().of(Sight(frame_of(np.full((240, 320), 16.0)), None)) == (0, 0, 0, 0)


def pan(count: int, seed: int = 1, speed: float = 3.0, noise: float = 2.0) -> list[np.ndarray]:
    wide, rng = texture(seed, 3.0, 320 + int(speed * count) + 8), np.random.default_rng(seed)
    moves = (np.array([[1.0, 0, -speed * n], [0, 1.0, 0]]) for n in range(count))
    return [cv2.warpAffine(wide, move, (320, 240)) + rng.normal(0, noise, (240, 320)) for move in moves]


def frames_of(lumas: list[np.ndarray]) -> list[Frame]:
    return [frame_of(luma, number) for number, luma in enumerate(lumas)]


@pytest.mark.parametrize(
    ("pattern", "rate", "name", "true"),
    [
        ((0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5), Fraction(25), "12.5 in 25", Fraction(25, 2)),
        ((0, 1, 2, 3, 3), Fraction(30000, 1001), "24 in 29.97", Fraction(24000, 1001)),
        ((0, 1, 2, 3, 4, 4), Fraction(30000, 1001), "25 in 29.97", Fraction(25000, 1001)),
        (tuple(range(12)), Fraction(25), "none", Fraction(25)),
    ],
)
@pytest.mark.parametrize("fresh", [False, True])
def test_cadences_are_named(pattern, rate, name, true, fresh: bool) -> None:
    """Exact repeats, and repeats that were compressed again."""
    step = max(pattern) + 1
    order = [step * block + place for block in range(48 // len(pattern)) for place in pattern]
    clean = pan(max(order) + 1, noise=0.0 if fresh else 2.0)
    rng = np.random.default_rng(5)
    lumas = [clean[n] + (rng.normal(0, 1.0, (240, 320)) if fresh else 0) for n in order]
    frames = [replace(f, format=replace(f.format, rate=rate)) for f in frames_of(lumas)]
    result = run_survey(MemorySource(frames, "cadence"), range(len(frames)), False, Progress())
    assert result.cadence is not None
    assert result.cadence.name == name
    assert result.cadence.true_rate == true
    expected = [place > 0 and order[place] == order[place - 1] for place in range(len(order))]
    found = repeats_of(result.series["change_largest"])
    assert np.mean(found == expected) >= 0.95


def test_irregular_repeats_are_no_cadence() -> None:
    rng = np.random.default_rng(2)
    change = np.where(rng.random(100) < 0.1, 0.0, 8.0).astype(np.float32)
    change[0] = np.nan
    assert cadence_of(change, range(100), Fraction(25)).name == "irregular"
    assert cadence_of(np.full(100, 8.0, np.float32), range(100), Fraction(25)).name == "none"


def test_cuts_black_freeze_flash_and_flicker_stand_out() -> None:
    first, second = pan(40, 11), pan(40, 12)
    flicker = np.where(np.arange(40) % 2, 1.04, 0.96)
    lumas = [*first, *(np.clip(luma * gain, 0, 255) for luma, gain in zip(second, flicker, strict=True))]
    lumas[12] = np.clip(lumas[12] + 60, 0, 255)
    lumas[20:40] = [*[lumas[20]] * 10, *lumas[21:31]]
    lumas += [np.full((240, 320), 16.0)] * 3
    result = survey(frames_of(lumas))
    assert result.cuts == [40], "going to black is no cut: nothing is to be told from a flat picture"
    found = {(one.kind, one.first, one.last) for one in result.findings}
    assert ("flash", 12, 12) in found
    assert ("freeze", 21, 29) in found
    assert ("flicker", 40, 82) in found
    assert ("black", 80, 82) in found
    assert not any(kind == "repeat" for kind, _, _ in found)
    assert not any(kind == "flicker" and first < 40 for kind, first, _ in found)


def test_a_fade_is_no_flicker() -> None:
    lumas = [luma * (1 - 0.02 * n) for n, luma in enumerate(pan(30, 13))]
    assert not [one for one in survey(frames_of(lumas)).findings if one.kind in {"flicker", "flash"}]


def test_clean_material_has_nothing_that_stands_out() -> None:
    result = survey([moving_frames(14, 320, 240).frame(n) for n in range(14)])
    assert result.findings == []
    assert result.cuts == []


def test_unreadable_frames_are_findings_and_the_rest_is_measured() -> None:
    class Broken(MemorySource):
        def frame(self, number: int) -> Frame:
            if number == 5:
                raise UnreadableFrameError("broken", 5, "torn")
            return super().frame(number)

    result = run_survey(Broken(frames_of(pan(12)), "broken"), range(12), False, Progress())
    assert [(one.kind, one.first) for one in result.findings] == [("unreadable", 5)]
    assert np.isnan(result.series["noise"][5])
    assert not np.isnan(result.series["noise"][6])
    assert np.isnan(result.series["motion_median"][6]), "nothing reaches over a frame that cannot be read"


def test_the_quick_pass_and_a_range() -> None:
    source = MemorySource(frames_of(pan(23)), "quick")
    quick = run_survey(source, range(2, 23), True, Progress())
    assert list(quick.frames) == [2, 7, 12, 17, 22]
    assert "noise" not in quick.series
    assert not np.isnan(quick.series["level_luma_mean"]).any()
    whole = run_survey(source, range(4, 9), False, Progress())
    assert list(whole.frames) == [4, 5, 6, 7, 8]
    assert np.isnan(whole.series["motion_median"][0])
    json.dumps(whole.data({}))


def test_it_can_be_stopped() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        run_survey(MemorySource(frames_of(pan(6)), "stop"), range(6), False, progress)


def test_the_command_writes_what_it_measured(tmp_path: Path, dirty_reel: Path) -> None:
    from grevin.cli.main import main

    out, curves = tmp_path / "s.json", tmp_path / "s.csv"
    with pytest.raises(SystemExit) as leaving:
        main(["survey", str(dirty_reel), "--range", "2:9", "--json", str(out), "--csv", str(curves)])
    assert leaving.value.code == 0
    data = json.loads(out.read_text())
    assert (data["format"], data["version"]) == ("grevin-survey", 1)
    assert set(data) == {"format", "version", "reel", "frames", "cuts", "cadence", "series", "findings"}
    assert data["cadence"]["name"] == "none"
    assert all(len(one["values"]) == 7 and one["unit"] for one in data["series"].values())
    rows = curves.read_text().splitlines()
    assert len(rows) == 8
    assert rows[0].startswith("frame,level_luma_mean,")
    assert rows[1].startswith("2,")


def test_the_report_is_one_file_that_says_what_was_found(tmp_path: Path) -> None:
    lumas = pan(24, 14)
    lumas[8] = np.clip(lumas[8] + 70, 0, 255)
    lumas[15:23] = [lumas[15]] * 8
    source = MemorySource(frames_of(lumas), "report")
    result = run_survey(source, range(24), False, Progress())
    text = report_html("Port Ellery <1962>", result, {"width": 320, "codec": "drawn"}, source)
    assert "<h1>Port Ellery &lt;1962&gt;</h1>" in text
    assert "flash 1 times" not in text
    assert "frame 8: flash" in text
    assert "frame 16: frozen picture" in text
    assert text.count("data:image/jpeg;base64,") == 2
    assert text.count("<svg") == 8
    assert "http" not in text, "nothing is fetched from elsewhere"
    calm = run_survey(MemorySource(frames_of(pan(10, 15)), "calm"), range(10), True, Progress())
    assert "nothing to do" in report_html("x", calm, {}, source)


def test_a_curve_keeps_its_peaks_and_its_gaps() -> None:
    curve = np.full(20_000, 10.0, np.float32)
    curve[12_345] = 90.0
    curve[5000:10_000] = np.nan
    svg = curve_svg(curve, range(20_000), [15_000], (0.0, 50.0))
    assert ">90</text>" in svg
    assert "V2.0V" in svg, "the single peak reaches the top"
    assert svg.count("M") == 1 + 2, "the line is broken where nothing is known; the third is the cut"
    assert "stroke-dasharray" in svg


@pytest.mark.parametrize("option", ["--json", "--csv", "--report"])
def test_the_command_never_writes_over_a_reel(option: str, dirty_reel: Path) -> None:
    from grevin.cli.main import main

    before = dirty_reel.read_bytes()
    with pytest.raises(SystemExit) as leaving:
        main(["survey", str(dirty_reel), option, str(dirty_reel)])
    assert leaving.value.code == 2
    assert dirty_reel.read_bytes() == before
