"""Colour that ran out along the lines: told by its sharpest edges, brought back to brightness, or untouched."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from grevin.core.measure.colour_smear import TEN_TO_NINETY, Edges, Smear, is_doubled, sharpest, widths_of
from grevin.core.picture.frame import Frame
from grevin.core.steps.chroma.unsmearing import undoubled, unsmeared
from tests.core.test_chroma import chain_of, db, photograph


def low_passed(plane: np.ndarray, sigma: float) -> np.ndarray:
    """Along the lines alone."""
    kernel = cv2.getGaussianKernel(2 * int(4 * sigma) + 1, sigma)
    return cv2.sepFilter2D(plane.astype(np.float32), cv2.CV_32F, kernel, np.ones(1), borderType=cv2.BORDER_REPLICATE)


def smeared(frame: Frame, sigma: float) -> Frame:
    colours = (np.clip(np.rint(low_passed(plane, sigma)), 0, 255).astype(np.uint8) for plane in frame.planes[1:])
    return replace(frame, planes=(frame.planes[0], *colours))


def doubled(frame: Frame) -> Frame:
    colours = (np.repeat(plane[:, ::2], 2, axis=1)[:, : plane.shape[1]] for plane in frame.planes[1:])
    return replace(frame, planes=(frame.planes[0], *colours))


@pytest.mark.parametrize("sigma", [1.5, 2.5, 4.0])
@pytest.mark.parametrize("noise", [0.0, 3.0])
def test_the_width_of_an_edge_is_that_of_the_low_pass(sigma: float, noise: float) -> None:
    """A step behind a Gaussian low-pass rises by erf: its width is known without any measure."""
    rng = np.random.default_rng(4)
    picture = np.repeat(np.repeat(rng.choice([60.0, 200.0], (12, 8)), 24, axis=0), 40, axis=1).astype(np.float32)
    soft = low_passed(picture, sigma) + rng.normal(0, noise, picture.shape).astype(np.float32)
    assert sharpest([widths_of([soft])] * 2) == pytest.approx(sigma, rel=0.15)
    assert sharpest([widths_of([np.ascontiguousarray(picture.T)])]) < 0.6


def test_too_few_edges_tell_nothing() -> None:
    flat = np.full((64, 64), 100.0, np.float32)
    assert np.isnan(sharpest([widths_of([flat])]))
    assert np.isnan(sharpest([widths_of([flat[:1]]), widths_of([flat[:, :1]])]))
    sharp, unknown = Edges(0.5, 0.5), float("nan")
    assert Smear(Edges(unknown, 0.5), sharp).along(2, 2) == 0
    assert Smear(Edges(3.0, unknown), sharp).along(2, 2) == 0, "nothing says how soft small colour planes make it"
    assert Smear(Edges(3.0, 0.5), Edges(unknown, 0.5)).along(2, 2) == 0
    assert Smear(Edges(3.0, 3.0), sharp).along(2, 2) == 0, "soft both ways"
    assert Smear(Edges(3.0, 0.5), Edges(3.0, 0.5)).along(2, 2) == 0, "brightness is as soft"
    assert Smear(Edges(3.0, 0.5), sharp).along(2, 2) == pytest.approx(8.75**0.5)


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize("order", ["progressive", "top_first"])
def test_colour_that_ran_out_comes_back(name: str, order: str) -> None:
    """Photographs that scikit-image ships, on which no rule was set."""
    clean = photograph(name, "4:2:0", order)
    worn = smeared(clean, 3.0)
    chain = chain_of(worn, smear="given", smear_px=3.0 * TEN_TO_NINETY * 2)
    made = chain.result.frame(0)
    assert db(clean, made) > db(clean, worn) + 0.8
    np.testing.assert_array_equal(made.planes[0], worn.planes[0])


@pytest.mark.parametrize(
    ("name", "order"), [("astronaut", "progressive"), ("coffee", "progressive"), ("coffee", "top_first")]
)
def test_it_is_found_by_itself_where_edges_tell_and_right_colour_stays(name: str, order: str) -> None:
    clean = photograph(name, "4:2:0", order)
    worn = smeared(clean, 3.0)
    assert db(clean, chain_of(worn).result.frame(0)) > db(clean, worn) + 3
    assert chain_of(clean).result.frame(0) is clean


def test_it_is_found_and_told() -> None:
    worn = smeared(photograph("astronaut", "4:4:4"), 5.0)
    chain = chain_of(worn)
    assert "colour ran out along the lines, over " in " ".join(chain.steps[0].told(0))
    assert chain.result.frame(0) is not worn
    assert chain_of(worn, smear="leave").result.frame(0) is worn
    assert chain_of(worn, smear_strength=0.0).result.frame(0) is worn
    half = chain_of(worn, smear_strength=0.5).result.frame(0)
    whole = chain_of(worn).result.frame(0)
    np.testing.assert_allclose(half.planes[1] - worn.planes[1], (whole.planes[1] - worn.planes[1]) / 2, atol=0.01)


def test_half_as_many_samples_are_told_by_being_twice_there() -> None:
    clean = photograph("astronaut", "4:2:2")
    worn = doubled(clean)
    chain = chain_of(worn)
    made = chain.result.frame(0)
    assert db(clean, made) > db(clean, worn) + 1
    assert "4:1:1" in " ".join(chain.steps[0].told(0))
    assert not is_doubled([clean.planes[1].astype(np.float32)])
    assert not is_doubled([np.full((8, 9), 3.0, np.float32)]), "flat colour says nothing"
    ramp = np.repeat(np.arange(0.0, 60.0, 4.0, dtype=np.float32), 2)[None].repeat(4, axis=0)
    inner = undoubled(ramp)[:, 1:-1]
    np.testing.assert_allclose(np.diff(inner, axis=1), 2.0, atol=1e-3)


def test_what_brightness_does_not_show_is_not_invented() -> None:
    rng = np.random.default_rng(2)
    right = np.repeat(rng.choice([90.0, 160.0], (1, 20)), 10, axis=1).repeat(80, axis=0)
    colour = low_passed(right, 3.0)
    without = unsmeared(colour, np.full_like(colour, 128.0), 3.0)
    assert np.abs(without - right).mean() < np.abs(colour - right).mean(), "where brightness is flat, no harm"
    edges = np.repeat(rng.uniform(40, 200, (80, 20)).astype(np.float32), 10, axis=1)
    flat = np.full_like(colour, 120.0)
    np.testing.assert_allclose(unsmeared(flat, edges, 3.0), flat, atol=1e-3)
