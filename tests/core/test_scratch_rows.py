"""Lines at even distances are drawn or built: a test card comes out as it was."""

from __future__ import annotations

import numpy as np
import pytest

from bench.happenings import card
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.scratch.over_shot import Candidate, in_a_row
from grevin.core.steps.scratch.paths import Path
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH, WIDTH = 9, 320


def line_at(across: float, strength: float = 3.0, dark: bool = False) -> Candidate:
    return Candidate(0, dark, Path(0, np.full(8, across), 20.0, strength), 1, 0, np.zeros(1))


@pytest.mark.parametrize("seed", [31, 32])
def test_a_test_card_is_left_as_it_is(seed: int) -> None:
    fmt = PictureFormat(WIDTH, 240, "grey", 8)
    plain = [Frame(number, fmt, (np.zeros((240, WIDTH), np.uint8),)) for number in range(LENGTH)]
    frames = card(plain, seed)
    chain = Chain(MemorySource(frames, "card"), Treatment(steps=(TreatmentStep.make("scratch"),)))
    for number in (0, 4, 8):
        before, after = frames[number].planes[0].astype(float), chain.result.frame(number).rounded().planes[0]
        assert np.mean(np.square(before - after)) < 255**2 / 10**5.2  # 52 dB


def test_five_lines_at_even_distances_are_a_row_and_others_stay() -> None:
    drawn = [line_at(39.5 + 40.1 * n + 0.3 * (-1) ** n) for n in range(8) if n != 3]  # one was not found
    others = [line_at(61.0), line_at(143.0), line_at(200.2, dark=True)]
    assert in_a_row(drawn + others).tolist() == [True] * 7 + [False] * 3


def test_four_lines_and_lines_of_other_strength_are_no_row() -> None:
    assert not in_a_row([line_at(30 + 40.0 * n) for n in range(4)]).any()
    assert not in_a_row([line_at(30 + 40.0 * n, strength=1.0 + n) for n in range(6)]).any()
    assert not in_a_row([line_at(30 + 3.0 * n) for n in range(6)]).any()  # one thing, told several times
    assert in_a_row([]).shape == (0,)


def test_lines_that_lie_anywhere_are_hardly_ever_a_row() -> None:
    rng = np.random.default_rng(77)
    rows = [in_a_row([line_at(at) for at in rng.uniform(0, 720, 12)]).any() for _ in range(400)]
    assert np.mean(rows) < 0.02
