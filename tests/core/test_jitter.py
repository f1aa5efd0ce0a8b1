"""Lines displaced sideways: told from steady ones, put straight with their colour, in each field by itself."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from skimage import data as photographs

from grevin.core.measure.line_jitter import QUICK, displacements, moved_lines, trembling
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, name_of, random_frame

PICTURES = ("astronaut", "coffee", "chelsea", "camera", "rocket")


def photograph(name: str) -> npt.NDArray[np.uint8]:
    read = np.asarray(getattr(photographs, name)())
    luma = read if read.ndim == 2 else cv2.cvtColor(read, cv2.COLOR_RGB2GRAY)
    return np.ascontiguousarray(luma[: luma.shape[0] // 4 * 4, : luma.shape[1] // 4 * 4], np.uint8)


def trembled(luma: npt.NDArray[np.uint8], px: float, seed: int = 3) -> tuple[npt.NDArray[np.uint8], np.ndarray]:
    """The picture with each line displaced, and by how much."""
    far = np.random.default_rng(seed).normal(0, px, len(luma)).astype(np.float32)
    return np.clip(np.rint(moved_lines(luma.astype(np.float32), far)), 0, 255).astype(np.uint8), far


def grey(luma: npt.NDArray[np.uint8], **more: object) -> Frame:
    fmt = PictureFormat(luma.shape[1], luma.shape[0], "grey", 8, full_range=True)
    return Frame(0, replace(fmt, **more), (luma,))  # type: ignore[arg-type]


def chain_of(frame: Frame, **settings: object) -> Chain:
    step = TreatmentStep.make("jitter", dict(settings))
    return Chain(MemorySource([frame], "jitter"), Treatment(steps=(step,)))


def db(right: npt.NDArray[np.uint8], frame: Frame) -> float:
    inner = slice(None), slice(16, -16)
    return psnr(*squared_error(right[inner], frame.rounded().planes[0][inner]))


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize("px", [0.4, 0.8, 1.4])
def test_lines_are_put_straight(name: str, px: float) -> None:
    """Photographs that scikit-image ships."""
    clean = photograph(name)
    worn, far = trembled(clean, px)
    found = displacements(worn.astype(np.float32))
    assert np.corrcoef(found, -far)[0, 1] > 0.5
    chain = chain_of(grey(worn))
    assert db(clean, chain.result.frame(0)) > db(clean, grey(worn)) + 1.5
    assert "each by itself" in chain.steps[0].told(0)[0]


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize("noise", [0.0, 4.0])
def test_steady_pictures_come_out_bit_for_bit(name: str, noise: float) -> None:
    luma = photograph(name)
    noisy = luma + np.random.default_rng(1).normal(0, noise, luma.shape)
    frame = grey(np.clip(np.rint(noisy), 0, 255).astype(np.uint8))
    chain = chain_of(frame)
    assert chain.result.frame(0) is frame
    assert "Steady pictures show as much" in chain.steps[0].told(0)[0]
    assert trembling(displacements(frame.planes[0].astype(np.float32), QUICK), None) < 0.09


@pytest.mark.parametrize("name", PICTURES)
def test_what_comes_again_on_the_next_frame_is_the_pictures_own(name: str) -> None:
    """Even of a field, whose lines lie far apart, and where the camera tilts."""
    luma, rng = photograph(name).astype(np.float32), np.random.default_rng(2)
    field, next_one = luma[:-8:2], luma[8::2]
    far = [displacements(one) for one in (field, next_one)]
    trembled = [displacements(moved_lines(one, rng.normal(0, 0.4, len(one)).astype(np.float32))) for one in
                (field, next_one)]  # fmt: skip
    assert trembling(*far) < 0.7 * trembling(far[0], None)
    assert trembling(*trembled) > 2 * trembling(*far)
    assert trembling(far[0], far[0]) == 0.0


def test_colour_goes_with_its_lines() -> None:
    luma = photograph("coffee")
    fmt = PictureFormat(luma.shape[1], luma.shape[0], "yuv", 8, "4:2:0")
    colour = cv2.resize(luma, (luma.shape[1] // 2, luma.shape[0] // 2), interpolation=cv2.INTER_AREA)
    pairs = np.repeat(np.random.default_rng(5).normal(0, 1.0, len(luma) // 2), 2).astype(np.float32)
    worn = moved_lines(luma.astype(np.float32), pairs).astype(np.uint8)
    beside = moved_lines(colour.astype(np.float32), pairs[::2] / 2).astype(np.uint8)
    frame = Frame(0, fmt, (worn, beside, beside))
    made = chain_of(frame).result.frame(0).rounded()
    for place, right in ((0, luma), (1, colour), (2, colour)):
        before, after = (psnr(*squared_error(right[:, 16:-16], one.planes[place][:, 16:-16])) for one in (frame, made))
        assert after > before + 1


def test_fields_are_put_straight_each_by_itself() -> None:
    clean = photograph("astronaut")
    worn, _ = trembled(clean, 0.8)
    early = grey(worn, field_order="top_first")
    other = worn.copy()
    other[1::2] = trembled(clean, 0.8, seed=9)[0][1::2]
    late = grey(other, field_order="top_first")
    made, beside = (chain_of(one).result.frame(0).planes[0] for one in (early, late))
    np.testing.assert_array_equal(made[0::2], beside[0::2])
    assert np.abs(made[1::2] - beside[1::2]).max() > 1


def test_strength_takes_a_part_and_none() -> None:
    worn, _ = trembled(photograph("camera"), 1.0)
    frame = grey(worn)
    assert chain_of(frame, strength=0.0).result.frame(0) is frame
    half, whole = (chain_of(frame, strength=share).result.frame(0) for share in (0.5, 1.0))
    clean = photograph("camera")
    assert db(clean, whole) > db(clean, half) > db(clean, frame)
    assert chain_of(grey(clean), acts="all").result.frame(0) is not None


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_pictures_of_every_format_are_moved(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    made = chain_of(frame, acts="all").result.frame(0)
    assert made.format == fmt
    for size in ((1, 1), (2, 40), (40, 2), (31, 31)):
        small = grey(np.zeros(size, np.uint8))
        assert chain_of(small, acts="all").result.frame(0) is small
