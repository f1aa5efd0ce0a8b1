"""How many lines carry a picture's detail, asked of pictures that Pillow enlarged."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from skimage import data

from grevin.core.measure.carried import carried
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

WAYS = {"bicubic": Image.Resampling.BICUBIC, "lanczos": Image.Resampling.LANCZOS}


def photograph() -> np.ndarray:
    """(512, 512) uint8: the camera of scikit-image, as it came."""
    return np.asarray(data.camera())


def enlarged(luma: np.ndarray, share: float, way: str) -> np.ndarray:
    """The picture brought down to a share of its size and up again."""
    size = luma.shape[::-1]
    small = Image.fromarray(luma).resize(tuple(round(share * side) for side in size), Image.Resampling.BICUBIC)
    return np.asarray(small.resize(size, WAYS[way]))


@pytest.mark.reference
@pytest.mark.parametrize(("way", "most"), [("bicubic", 1.5), ("lanczos", 1.25)])
@pytest.mark.parametrize("share", [0.4, 0.5, 0.667])
def test_what_was_enlarged_is_told(way: str, most: float, share: float) -> None:
    """Pillow's resampling; scikit-image's camera. What interpolation leaves above the old size is counted with it."""
    for told in carried(enlarged(photograph(), share, way)):
        assert 0.8 * share < told < most * share


def test_a_sharp_picture_carries_its_size_whatever_its_noise() -> None:
    luma = photograph()
    grainy = np.clip(luma + np.random.default_rng(3).normal(0, 6, luma.shape), 0, 255).astype(np.uint8)
    clean, noisy = carried(luma), carried(grainy)
    assert min(clean) > 0.75
    assert noisy == pytest.approx(clean, abs=0.06)


def test_across_and_down_are_told_apart() -> None:
    luma = photograph()
    small = Image.fromarray(luma).resize((205, 512), Image.Resampling.BICUBIC)
    lines, columns = carried(np.asarray(small.resize((512, 512), Image.Resampling.BICUBIC)))
    assert columns < 0.65
    assert lines > 0.8


@pytest.mark.parametrize("luma", [np.full((200, 200), 90, np.uint8), np.zeros((40, 900), np.uint8)])
def test_nothing_is_told_without_edges_or_of_too_small_pictures(luma: np.ndarray) -> None:
    assert np.isnan(carried(luma)).all()


def test_enlarging_says_what_was_enlarged_before() -> None:
    treatment = Treatment(steps=(TreatmentStep.make("enlarge"),))
    fmt = PictureFormat(512, 512, "grey", 8)

    def said(luma: np.ndarray) -> str:
        chain = Chain(MemorySource([Frame(0, fmt, (luma,))], "x"), treatment)
        return " ".join(chain.steps[0].told(0))

    assert "lines would carry" in said(enlarged(photograph(), 0.4, "bicubic"))
    assert "lines would carry" not in said(photograph())
