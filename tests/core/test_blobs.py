"""Specks at several thresholds: what touches a busy place stands alone higher up, and no two that are taken overlap."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grevin.core.steps.dirt.blobs import STEPS, find_blobs

NOISE = 4.0  # threshold of a seed, levels


def speck_in_a_mess() -> np.ndarray:
    """A plain speck of 120 levels with a large place of 6 levels round it, as badly compensated surroundings are."""
    spike = np.zeros((80, 100), np.uint8)
    spike[10:60, 10:90] = 6
    cv2.circle(spike, (40, 30), 6, 120, -1)
    return spike


def test_a_speck_that_touches_a_mess_is_a_blob_of_its_own() -> None:
    spike = speck_in_a_mess()
    blobs = find_blobs(spike, spike, NOISE)
    assert blobs.sizes.tolist() == [50 * 80, np.count_nonzero(spike == 120)]
    assert blobs.parent.tolist() == [-1, 0]
    np.testing.assert_allclose(blobs.mean(spike[blobs.place]), [spike[spike > 0].mean(), 120])
    assert blobs.extreme(blobs.rows, most=False).tolist() == [10, 24]
    assert blobs.numbered(np.array([False, True]), spike.shape)[30, 40] == 1
    assert blobs.numbered(np.array([False, True]), spike.shape)[50, 20] == 0


def test_the_best_judged_of_those_that_lie_in_each_other_is_taken() -> None:
    spike = speck_in_a_mess()
    blobs = find_blobs(spike, spike, NOISE)
    assert blobs.best(np.array([-3.0, 4.0])).tolist() == [False, True]
    assert blobs.best(np.array([4.0, -3.0])).tolist() == [True, False]
    assert blobs.best(np.array([3.0, 4.0])).tolist() == [True, False], "the whole before its core"
    assert blobs.best(np.array([0.5, 8.0])).tolist() == [False, True]


def test_a_plain_speck_is_one_blob_and_noise_without_a_seed_is_none() -> None:
    spike = np.zeros((40, 40), np.uint8)
    spike[10:16, 10:16] = 200
    assert len(find_blobs(spike, spike, NOISE)) == 1
    assert len(find_blobs(spike, np.zeros_like(spike), NOISE)) == 0
    nothing = find_blobs(np.zeros_like(spike), np.zeros_like(spike), NOISE)
    assert len(nothing) == 0
    assert nothing.total(np.zeros(0)).shape == (0,)
    assert nothing.best(np.zeros(0)).shape == (0,)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000))
def test_no_two_that_are_taken_overlap_and_none_is_lost_whose_tree_is_good(seed: int) -> None:
    rng = np.random.default_rng(seed)
    smooth = cv2.GaussianBlur(rng.standard_normal((60, 70)).astype(np.float32), (0, 0), rng.uniform(1, 5))
    spike = np.clip(smooth / smooth.std() * 25, 0, 255).astype(np.uint8)
    blobs = find_blobs(spike, spike, NOISE)
    score = rng.normal(0, 3, len(blobs))
    taken = blobs.best(score)
    covered = np.zeros(spike.shape, int)
    np.add.at(covered, blobs.pixels_of(taken), 1)
    assert covered.max(initial=0) <= 1
    roots = [number for number in range(len(blobs)) if blobs.parent[number] < 0]
    assert np.count_nonzero(taken) >= len(roots)
    for number, parent in enumerate(blobs.parent):
        assert parent < number
        if parent >= 0:
            assert blobs.level[parent] < blobs.level[number]


@pytest.mark.parametrize("step", STEPS[1:])
def test_a_blob_that_hardly_shrinks_is_the_same(step: float) -> None:
    spike = np.zeros((40, 40), np.uint8)
    spike[5:25, 5:25] = 250
    spike[25, 5:25] = int(NOISE * 0.75 * step) - 1
    assert len(find_blobs(spike, spike, NOISE)) == 1
