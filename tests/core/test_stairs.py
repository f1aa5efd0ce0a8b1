"""Repeated lines: found under noise and codecs, made anew; what does not repeat comes out bit for bit."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from skimage import data as photographs

from bench.happenings import going_along
from grevin.core.measure.repeated_lines import Repeats, repeats_here, repeats_of, samples_at, slopes
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.resampling import cubic, lines_at
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, moving_frames, name_of, random_frame

Luma = npt.NDArray[np.uint8]


def photograph(name: str) -> Luma:
    read = np.asarray(getattr(photographs, name)())
    grey = read if read.ndim == 2 else cv2.cvtColor(read, cv2.COLOR_RGB2GRAY)
    return np.ascontiguousarray(grey[: grey.shape[0] // 8 * 8, : grey.shape[1] // 8 * 8], np.uint8)


def enlarged(luma: Luma, factor: float, way: int) -> Luma:
    small = cv2.resize(luma, None, fx=1 / factor, fy=1 / factor, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.resize(small, luma.shape[::-1], interpolation=way), np.uint8)


def worn(luma: Luma, how: str) -> Luma:
    if how == "noise":
        noise = np.random.default_rng(5).normal(0, 6, luma.shape)
        return np.clip(np.rint(luma + noise), 0, 255).astype(np.uint8)
    if how == "codec":
        packed = cv2.imencode(".jpg", luma, [cv2.IMWRITE_JPEG_QUALITY, 70])[1]
        return np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8)
    return luma


def grey(luma: Luma) -> Frame:
    return Frame(0, PictureFormat(luma.shape[1], luma.shape[0], "grey", 8, full_range=True), (luma,))


def chain_of(frames: list[Frame], **settings: object) -> Chain:
    return Chain(MemorySource(frames, "stairs"), Treatment(steps=(TreatmentStep.make("stairs", dict(settings)),)))


def db(right: Luma, other: Luma) -> float:
    return psnr(*squared_error(right, other))


@pytest.mark.parametrize("picture", ["astronaut", "camera", "grass"])
@pytest.mark.parametrize("how", ["", "noise", "codec"])
@pytest.mark.parametrize("period", [1.5, 2.0, 2.25, 3.0])
def test_pictures_enlarged_by_the_nearest_sample_are_told_from_interpolated_ones(
    picture: str, how: str, period: float
) -> None:
    """Photographs that scikit-image ships, enlarged by OpenCV."""
    luma = photograph(picture)
    found = repeats_of(slopes(worn(enlarged(luma, period, cv2.INTER_NEAREST), how)))
    assert found.period == pytest.approx(period, abs=0.02)
    for way in (cv2.INTER_LINEAR, cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
        assert not repeats_of(slopes(worn(enlarged(luma, period, way), how)))
    assert not repeats_of(slopes(worn(luma, how)))


def lattice(every: float, moved: float) -> Luma:
    """Wire of two pixels, crossing, before a soft ground; each line four times as fine and averaged."""
    down, across = np.mgrid[2:962, 0:1280] / 4
    ways = [np.abs((across + side * down - moved) % every - every / 2) for side in (-1, 1)]
    wire = cv2.resize((np.minimum(*ways) < 1).astype(np.float32), (320, 240), interpolation=cv2.INTER_AREA)
    ground = cv2.GaussianBlur(photograph("camera")[:240, :320].astype(np.float32), (0, 0), 6)
    return np.rint(ground * (1 - wire) + 60 * wire).astype(np.uint8)


@pytest.mark.parametrize("every", [16.0, 20.0, 24.0])
def test_a_lattice_turns_back_at_its_crossings_and_repeats_no_line(every: float) -> None:
    """Lines beside a crossing are alike, as those of a repeat are; those beyond them are too, as those of none are."""
    frames = [lattice(every, moved) for moved in (0.0, 1.7, 3.4)]
    assert not repeats_of(np.sum([slopes(luma) for luma in frames], axis=0))
    doubled = np.repeat(frames[0][::2], 2, axis=0)  # one that was doubled is told all the same
    assert repeats_of(slopes(doubled)).period == pytest.approx(2, abs=0.01)


def test_samples_and_places_are_those_of_the_pattern() -> None:
    assert list(samples_at(Repeats(2.0, 0.0, 0.0), 6)) == [0, 0, 1, 1, 2, 2]
    assert list(samples_at(Repeats(2.0, 0.5, 0.0), 6)) == [0, 1, 1, 2, 2, 3]
    assert list(samples_at(Repeats(1.5, 0.0, 0.0), 6)) == [0, 0, 1, 2, 2, 3]


def test_the_cubic_kernel_keeps_samples_and_straight_lines() -> None:
    """Keys 1981: the kernel passes through its samples and gives polynomials of the second order back exactly."""
    assert list(cubic(np.array([0.0, 1.0, -1.0, 2.0, 3.0]))) == [1.0, 0.0, 0.0, 0.0, 0.0]
    places = np.array([3.25, 3.75, 4.25])
    ramp = (np.arange(12.0) ** 2).astype(np.float32)[:, None]
    np.testing.assert_allclose(lines_at(ramp, places)[:, 0], places**2, atol=1e-3)


@pytest.mark.parametrize("bits", [8, 10])
def test_one_field_doubled_keeps_its_own_lines(bits: int) -> None:
    clean = moving_frames(3, 320, 240, bits=bits)
    frames = [clean.frame(n) for n in range(3)]
    doubled = [replace(f, planes=tuple(np.repeat(p[::2], 2, axis=0) for p in f.planes)) for f in frames]
    chain = chain_of(doubled, passes=0)
    made, before = chain.result.frame(1), doubled[1]
    assert "The first line of each pair is kept" in " ".join(chain.steps[0].told(0))
    np.testing.assert_array_equal(made.planes[0][::2], before.planes[0][::2])
    right = frames[1].luma8()
    assert db(right, made.luma8()) > db(right, before.luma8()) + 0.5  # half of the grain is gone for good


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_pictures_of_every_format_are_looked_at(fmt: PictureFormat) -> None:
    frames = [random_frame(fmt, number) for number in range(2)]
    assert chain_of(frames, diagonals="all", threshold=4.0).result.frame(1).format == fmt
    assert chain_of(frames).result.frame(1) is frames[1]


def test_smoothing_along_diagonals_helps_a_doubled_picture_and_warns_beyond_eight_passes() -> None:
    luma = photograph("astronaut")
    doubled = grey(np.repeat(luma[::2], 2, axis=0))
    by_passes = [db(luma, chain_of([doubled], passes=count).result.frame(0).planes[0]) for count in (0, 1, 20)]
    assert by_passes[1] > by_passes[0] > db(luma, doubled.planes[0]) + 4.5
    assert by_passes[2] < by_passes[1]
    evidence = chain_of([doubled], passes=9).evidence_at(1, 0)
    assert evidence is not None
    assert "beyond 8 the picture is visibly blurred" in evidence.words
    said = chain_of([doubled], passes=20).steps[0].explain(0, (200, 100, 80, 80))
    assert "% of the sharpness" in said


def test_clean_pictures_come_out_bit_for_bit_unless_a_person_wants_all_diagonals() -> None:
    for name in ("astronaut", "coffee", "camera", "grass", "brick"):
        frame = grey(photograph(name))
        assert chain_of([frame]).result.frame(0) is frame, name
    every = chain_of([grey(photograph("camera"))], diagonals="all", threshold=20.0)
    made = every.result.frame(0)
    assert made.planes[0].any()
    assert db(photograph("camera"), made.planes[0]) > 36
    evidence = every.evidence_at(1, 0)
    assert evidence is not None
    assert 0.01 < evidence.mask.mean() < 0.5
    np.testing.assert_array_equal(made.planes[0][~evidence.mask], photograph("camera")[~evidence.mask])


def test_moving_parts_of_which_one_field_was_doubled_are_found_and_made_anew() -> None:
    luma = photograph("astronaut")
    part = slice(100, 300), slice(150, 400)
    faulty = luma.copy()
    faulty[part] = np.repeat(luma[::2], 2, axis=0)[part]
    even, odd = repeats_here(faulty)
    assert not even.any()
    inside = np.zeros_like(odd)
    inside[part] = True
    assert odd[inside].sum() > 0.5 * inside.sum() / 2
    assert odd[~inside].sum() < 0.1 * odd.sum()
    later = faulty.copy()
    later[part] = np.roll(faulty[part], 3, axis=1)
    frames = [grey(faulty), grey(later)]
    made = chain_of(frames).result.frame(0).planes[0]
    assert db(luma[part], made[part]) > db(luma[part], faulty[part]) + 3
    stands = [grey(faulty), grey(faulty)]
    assert chain_of(stands).result.frame(0) is stands[0], "nobody doubles the lines of what stands"
    far = np.zeros_like(inside)
    far[:60], far[340:] = True, True
    np.testing.assert_array_equal(made[far], faulty[far])


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("name", ["astronaut", "coffee"])
def test_words_that_go_along_the_bottom_repeat_no_lines(name: str, seed: int) -> None:
    """Uprights of letters are alike from line to line; they begin and end on few lines, often of one parity."""
    luma = cv2.resize(photograph(name), (720, 576), interpolation=cv2.INTER_CUBIC)
    frames = [replace(grey(luma), number=number) for number in range(3)]
    even, odd = repeats_here(going_along(frames, seed)[1].luma8())
    assert even.sum() + odd.sum() < 0.002 * luma.size  # of all pixels; by their lines alone nine times as many were


@pytest.mark.parametrize("size", [(1, 1), (2, 2), (3, 64), (64, 3), (47, 47), (48, 49)])
def test_small_and_flat_pictures_are_left(size: tuple[int, int]) -> None:
    for luma in (np.full(size, 99, np.uint8), np.random.default_rng(3).integers(0, 255, size).astype(np.uint8)):
        frame = grey(luma)
        assert chain_of([frame]).result.frame(0) is frame


def test_fields_that_were_doubled_are_made_anew_each_by_itself() -> None:
    clean = moving_frames(2, 320, 240)
    field_order = replace(clean.format, field_order="top_first", rate=Fraction(25))
    planes = []
    for plane in clean.frame(0).planes:
        woven = plane.copy()
        for parity in (0, 1):
            woven[parity::2] = np.repeat(plane[parity::4], 2, axis=0)[: len(woven[parity::2])]
        planes.append(woven)
    frame = Frame(0, field_order, tuple(planes))
    made = chain_of([frame], passes=0).result.frame(0)
    right = clean.frame(0).luma8()
    assert db(right, made.luma8()) > db(right, frame.luma8()) + 2
    np.testing.assert_array_equal(made.planes[0][0::4], frame.planes[0][0::4])
