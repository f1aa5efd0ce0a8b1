"""What the bench lets happen before a camera: over the picture, on the frames that are meant, the same every time."""

from __future__ import annotations

import numpy as np
import pytest

from bench.happenings import FLASHES, HAPPENINGS
from grevin.core.picture.frame import Frame
from tests.conftest import moving_frames

LENGTH = 12


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    source = moving_frames(LENGTH, 240, 180)
    return [source.frame(number) for number in range(LENGTH)]


@pytest.mark.parametrize("kind", HAPPENINGS)
def test_it_is_the_same_every_time_and_keeps_frames_and_format(clean: list[Frame], kind: str) -> None:
    made, again = HAPPENINGS[kind](clean, 3), HAPPENINGS[kind](clean, 3)
    for frame, other, before in zip(made, again, clean, strict=True):
        assert (frame.number, frame.format) == (before.number, before.format)
        assert np.array_equal(frame.planes[0], other.planes[0])


def test_flashes_light_two_frames_and_no_other(clean: list[Frame]) -> None:
    made = HAPPENINGS["flashes"](clean, 3)
    lit = [place for place, (one, other) in enumerate(zip(made, clean, strict=True)) if one is not other]
    assert tuple(lit) == FLASHES
    assert all(made[place].planes[0].mean() > clean[place].planes[0].mean() + 20 for place in FLASHES)


@pytest.mark.parametrize("kind", ["near poles", "credits"])
def test_what_covers_the_picture_moves_over_it(clean: list[Frame], kind: str) -> None:
    made = HAPPENINGS[kind](clean, 3)
    covered = [np.abs(one.luma8().astype(int) - other.luma8()) > 12 for one, other in zip(made, clean, strict=True)]
    assert all(0.002 < float(cover.mean()) < 0.3 for cover in covered)
    assert float((covered[0] & covered[-1]).sum()) < 0.6 * float(covered[0].sum())
