"""Lines that were drawn or built are no scratches: a cross, a frame, the side of a circle."""

from __future__ import annotations

import numpy as np
import pytest

from bench.happenings import inset, leader
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.scratch.built import bent_evenly, crossed
from grevin.core.steps.scratch.paths import Path
from grevin.core.steps.scratch.responses import bands_of, beyond_flanks, channels_of, columns_of
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames

WIDTH, HEIGHT, LENGTH = 640, 480, 9
INK, PAPER = 0.15, 0.5


def drawn(*, across: tuple[int, int] = (0, WIDTH), level: float = INK, high: int = 1, hidden: int = 0) -> np.ndarray:
    """(H, W, 3) an upright line in the middle, one across, and something over where both meet."""
    picture = np.full((HEIGHT, WIDTH, 3), PAPER, np.float32)
    picture += np.random.default_rng(4).normal(0, 0.005, picture.shape[:2])[..., None].astype(np.float32)
    picture[200 : 200 + high, slice(*across)] = level
    picture[:, 320] = INK
    picture[200 - hidden : 200 + hidden, 320 - hidden : 320 + hidden] = 0.8
    return picture


def is_crossed(picture: np.ndarray) -> bool:
    path = Path(0, np.full(bands_of(HEIGHT), 320.0), 20.0, 3.0)
    luma = channels_of(picture)[0]
    return crossed(luma, beyond_flanks(luma, 1), columns_of(picture), path, 1, dark=True)


def test_a_line_of_the_same_ink_across_tells() -> None:
    assert is_crossed(drawn())
    assert is_crossed(drawn(across=(320, 440))), "a corner"
    assert is_crossed(drawn(hidden=60)), "seen on either side of what lies over it"


def test_others_do_not() -> None:
    assert not is_crossed(drawn(level=0.32)), "another ink"
    assert not is_crossed(drawn(level=0.85)), "brighter than the paper"
    assert not is_crossed(drawn(high=5)), "wider"
    assert not is_crossed(drawn(across=(320, 380))), "short"
    assert not is_crossed(drawn(across=(450, 560))), "away from it"
    assert not is_crossed(drawn(across=(0, 0))), "none"


@pytest.mark.parametrize("dark", [False, True])
def test_a_line_that_does_not_stand_out_is_crossed_by_nothing(dark: bool) -> None:
    plain = np.full((HEIGHT, WIDTH, 3), PAPER, np.float32)
    path = Path(0, np.full(bands_of(HEIGHT), 320.0), 20.0, 3.0)
    luma = channels_of(plain)[0]
    assert not crossed(luma, beyond_flanks(luma, 1), columns_of(plain), path, 1, dark)


@pytest.mark.parametrize(("bend", "wave", "even"), [(6, 0, True), (-9, 0, True), (2, 0, False), (0, 4, False)])
def test_what_bends_far_to_one_side_is_the_side_of_a_circle(bend: float, wave: float, even: bool) -> None:
    rows = np.linspace(-1, 1, 20)
    rng = np.random.default_rng(2)
    across = 200 + bend * rows**2 + 3 * rows + wave * np.sin(6 * rows) + rng.normal(0, 0.3, 20)
    assert bent_evenly(Path(0, across, 20.0, 3.0)) == even


@pytest.mark.parametrize("happen", [leader, inset])
def test_a_leader_and_an_inset_are_left_as_they_are(happen) -> None:
    fmt = PictureFormat(360, 288, "grey", 8)
    source = moving_frames(LENGTH, 360, 288)
    plain = [Frame(number, fmt, source.frame(number).planes[:1]) for number in range(LENGTH)]
    frames = happen(plain, 41)
    chain = Chain(MemorySource(frames, "drawn"), Treatment(steps=(TreatmentStep.make("scratch"),)))
    for number in (0, 4, 8):
        before, after = frames[number].planes[0].astype(float), chain.result.frame(number).rounded().planes[0]
        assert np.mean(np.square(before - after)) < 255**2 / 10**5.2  # 52 dB
