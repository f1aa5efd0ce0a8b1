"""What lies under a shallow scratch is kept, though flanks alone would tell it otherwise."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.steps.scratch.lines import Line
from grevin.core.steps.scratch.mending import _sure, _too_deep, mend_line

WIDTH, HEIGHT, MIDDLE, REACH = 60, 240, 30.0, (3, 3)
INSIDE = slice(27, 34)
DEPTH = 0.1


def mended(right: np.ndarray, depth: float) -> tuple[np.ndarray, float]:
    """The picture after a scratch was laid over it and mended, and the share of it under which nothing was left."""
    picture = right.copy()
    picture[:, INSIDE] += depth
    done = mend_line(picture, Line(0, np.full(HEIGHT, MIDDLE), 6, depth < 0, 1.0, 0), REACH, list)
    return picture, done.opaque


def rms(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(one - other))))


@pytest.mark.parametrize("depth", [DEPTH, -DEPTH])
def test_a_plain_stone_on_rough_ground_stays_under_a_scratch(depth: float) -> None:
    """Its rows look as if nothing were left there; elsewhere the scratch gets brighter as its flanks do."""
    rng = np.random.default_rng(4)
    ground = np.linspace(0.3, 0.6, HEIGHT)[:, None] + rng.normal(0, 0.03, (HEIGHT, WIDTH))
    right = np.repeat(ground[..., None], 3, axis=2).astype(np.float32)
    stone = slice(70, 90), INSIDE
    right[stone] = 0.56
    picture, opaque = mended(right, depth)
    assert opaque == 0
    assert rms(picture[stone], right[stone]) < 0.03, "joined, the stone is gone: .14"


@pytest.mark.parametrize(("apart", "joined"), [(0.0, True), (0.06, False)])
def test_flanks_are_joined_over_a_depth_that_is_less_well_known(apart: float, joined: bool) -> None:
    """Where both sides differ there is an edge between them, and a ramp is off by more than the depth."""
    inner = np.abs(np.arange(11) - 5) <= 3
    values = np.where(np.arange(11) < 5, 0.4, 0.4 + apart)[None, :, None] + np.zeros((HEIGHT, 11, 3))
    added = np.where(inner, DEPTH, 0.0)[None, :, None] + np.zeros_like(values)
    deep = _too_deep(added.astype(np.float32), (values + added).astype(np.float32), inner)
    assert (deep == joined).all()


def test_what_pieces_of_a_scratch_do_not_agree_about_is_of_the_picture() -> None:
    rng = np.random.default_rng(6)
    deviation = rng.normal(0, 0.005, (240, 5, 3)).astype(np.float32)
    deviation[:, 2] += 0.1  # the scratch
    deviation[:, 3] += np.where(np.arange(240) < 150, 0.05, -0.08)[:, None]  # a post that ends
    shape = np.median(deviation, axis=0)
    sure = _sure(shape, deviation)
    assert np.allclose(sure[2], shape[2], atol=0.001)
    assert np.abs(sure[3]).max() < 0.8 * np.abs(shape[3]).min()


@pytest.mark.parametrize("rows", [1, 2, 5])
def test_a_scratch_of_a_few_rows_has_a_profile_too(rows: int) -> None:
    deviation = np.full((rows, 3, 3), 0.1, np.float32)
    assert np.allclose(_sure(deviation[0], deviation), 0.1)
