"""Missing lines: noise and its likeness from line to line measured, candidates weighed by how far they are wrong."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from grevin.core.media.deinterlacing import both_fields
from grevin.core.motion.flow import positions
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.steps.fields.between import Bends, Noise, Seen, bends_of, between, own_noise
from grevin.core.steps.fields.deinterlacing import seen_of
from grevin.core.steps.fields.mixing import mix_of, noise_variance
from tests.core.film_time import RATE, chain, source_of

SOFTENED = (1, 2, 1)  # a camera's lines, in fourths: each shares light with those beside it


def soft(picture: np.ndarray) -> np.ndarray:
    kernel = np.array(SOFTENED, np.float32)[:, None] / 4
    return cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REPLICATE)


@pytest.mark.parametrize(("weights", "next_line"), [((0, 1, 0), 0), ((0, 1, 1), 0), ((1, 2, 1), 1 / 6)])
def test_noise_and_its_likeness_from_line_to_line_are_measured(weights: tuple[int, ...], next_line: float) -> None:
    """Of three fields with noise of their own, over a picture that two of them show a little displaced."""
    rng = np.random.default_rng(3)
    rows, columns = np.indices((400, 640), dtype=np.float32)
    kernel = np.array(weights, np.float32)[:, None] / sum(weights)
    own, one, other = (
        cv2.filter2D(rng.normal(0, 4, rows.shape).astype(np.float32), -1, kernel)
        + 60 * np.sin(rows / 17 + (columns + moved) / 23) for moved in (0, 0.4, -0.3)
    )  # fmt: skip
    noise = own_noise(*(np.ascontiguousarray((own - seen)[::2], np.float32) for seen in (one, other)))
    assert noise.variance == pytest.approx(16 * float((kernel**2).sum()), rel=0.1)
    assert noise.next_line == pytest.approx(next_line, abs=0.03)


def test_noise_of_two_moved_lines() -> None:
    rng = np.random.default_rng(4)
    assert noise_variance(*rng.normal(0, 4, (2, 200, 640)).astype(np.float32)) == pytest.approx(16, rel=0.1)


def fields_of_noise(weights: tuple[int, ...]) -> tuple[np.ndarray, np.ndarray, list[Seen]]:
    """The lines between, the field's own, and what fields of other noise show of the same even picture."""
    rng = np.random.default_rng(6)
    kernel = np.array(weights, np.float32)[:, None] / sum(weights)
    own, one, other = (
        100 + cv2.filter2D(rng.normal(0, 4, (600, 640)).astype(np.float32), -1, kernel) for _ in range(3)
    )
    seen = [Seen(moved[1::2], own[0::2] - moved[0::2]) for moved in (one, other)]
    return own[1::2], own[0::2], seen


def test_noise_that_lines_share_is_foretold_by_four_of_them() -> None:
    """Against the regression of the true lines between: weights (1, 2, 1)/4 give 1/11 in theory.

    Covariances 6, 4, 1 sixteenths at 0, 1, 2 lines: (2 * 4 - 6) / (4 * 6 - 2 * 1).
    """
    truth, known, seen = fields_of_noise((1, 2, 1))
    mean = between(known, 1, len(truth))
    beyond = between(known, 1, len(truth), 1.0) - mean
    best = float(((truth - mean) * beyond)[2:-2].mean() / (beyond * beyond)[2:-2].mean())
    assert best == pytest.approx(1 / 11, abs=0.01)
    found = bends_of(known, seen, 1, own_noise(*(one.missed for one in seen)))
    assert found.mean == pytest.approx(best, abs=0.015)
    bent = between(known, 1, len(truth), found.mean)
    assert np.mean((bent - truth) ** 2) < 0.9 * np.mean((mean - truth) ** 2)


@pytest.mark.parametrize("size_px", [1.0, 2.0])
def test_grain_larger_than_a_pixel_is_foretold_too(size_px: float) -> None:
    """What is fine along a line, by which a field's noise is measured, has hardly any of it."""
    rng = np.random.default_rng(8)
    own, one, other = (
        100 + 30 * soft(cv2.GaussianBlur(rng.normal(0, 1, (600, 640)).astype(np.float32), (0, 0), size_px))
        for _ in range(3)
    )
    seen = [Seen(moved[1::2], own[0::2] - moved[0::2]) for moved in (one, other)]
    truth, known = own[1::2], own[0::2]
    found = bends_of(known, seen, 1, own_noise(*(one.missed for one in seen)))
    plain, bent = (between(known, 1, len(truth), bend)[2:-2] - truth[2:-2] for bend in (0.0, found.mean))
    assert np.mean(np.square(bent)) < 0.75 * np.mean(np.square(plain))


def test_noise_that_is_large_along_lines_alone_is_not_foretold() -> None:
    """As on a tape, whose lines come one after the other: four of them are then no more than more of them to average.

    Of an even picture under noise of its own on every line all four would count alike: a bend of -.25.
    """
    rng = np.random.default_rng(9)
    own, one, other = (
        100 + 8 * cv2.GaussianBlur(rng.normal(0, 1, (600, 640)).astype(np.float32), (0, 0), 2.0, sigmaY=0.01)
        for _ in range(3)
    )
    seen = [Seen(moved[1::2], own[0::2] - moved[0::2]) for moved in (one, other)]
    assert bends_of(own[0::2], seen, 1, own_noise(*(one.missed for one in seen))).mean < -0.05


@pytest.mark.parametrize("weights", [(0, 1, 0), (0, 1, 1)])
def test_noise_of_lines_that_show_no_likeness_bends_nothing(weights: tuple[int, ...]) -> None:
    """Whether lines share none with those between, or were two read as one, the lines themselves do not tell."""
    _, known, seen = fields_of_noise(weights)
    assert abs(bends_of(known, seen, 1, own_noise(*(one.missed for one in seen))).mean) < 0.03


def test_a_curve_that_the_mean_of_two_lacks_is_followed_and_one_field_alone_bends_nothing() -> None:
    """Of a parabola the mean of two lacks what four lines, -1, 9, 9, -1 sixteenths, make up for exactly."""
    rows = np.repeat(np.arange(400, dtype=np.float32)[:, None] - 200, 320, 1)
    picture = np.asarray(0.005 * rows * rows, np.float32)
    seen = Seen(picture[1::2], np.zeros_like(picture[0::2]))
    found = bends_of(picture[0::2], [seen, seen], 1, Noise(0.0, 0.0))
    assert found.mean == pytest.approx(1 / 16, abs=0.005)
    assert bends_of(picture[0::2], [seen], 1, Noise(0.0, 0.0)) == Bends()


@pytest.mark.parametrize("missing", [0, 1])
def test_lines_between_lie_where_they_belong(missing: int) -> None:
    slope = np.repeat(np.arange(40, dtype=np.float32)[:, None], 16, 1)
    for bend in (0.0, 1 / 16):
        found = between(slope[1 - missing :: 2], missing, 20, bend)
        np.testing.assert_allclose(found[3:-3], slope[missing::2][3:-3], atol=1e-4)


def test_shares_sum_to_one_and_wrong_motion_counts_for_nothing() -> None:
    rows, columns = np.indices((60, 160), dtype=np.float32)
    truth = 120 + 40 * np.sin(rows / 20 + columns / 30)
    known = np.asarray(truth, np.float32)
    wrong = np.where(columns < 80, 0.2, 25 * np.sin(1.3 * columns + 2 * rows)).astype(np.float32)
    missed = np.where(columns < 80, 0.2, 25 * np.sin(1.3 * columns + 2 * rows + 1)).astype(np.float32)
    seen = Seen(known + wrong, missed)
    mix = mix_of(known, known, known, [seen, seen], [known + wrong - missed] * 2, Noise(0.0, 0.0))
    total = mix.filtered + mix.mean + sum(mix.moved)
    np.testing.assert_allclose(total, 1, atol=1e-4)
    assert sum(mix.moved)[:, 50:].max() < 0.02, "motion that fails is not used"


def test_what_a_moved_picture_misses_beside_a_line_is_made_up_for() -> None:
    """The field before is 12 levels darker all over: lifted, its lines are right, and nothing else would be."""
    rng = np.random.default_rng(8)
    picture = cv2.GaussianBlur(rng.uniform(40, 220, (120, 160)).astype(np.float32), (0, 0), 1.0)
    seen = seen_of(picture, picture - 12, positions(np.zeros((120, 160, 2), np.float32)), 1)
    assert np.abs(seen.lines - picture[1::2]).mean() == pytest.approx(12, abs=0.01)
    np.testing.assert_allclose(seen.missed, 12, atol=0.01)
    np.testing.assert_allclose(seen.lifted(1, 0.0), picture[1::2], atol=0.01)


def panned(grain: float, step: float, softness: float) -> list[np.ndarray]:
    rng = np.random.default_rng(5)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (240, 420)).astype(np.float32), (0, 0), softness)
    ground = np.clip((ground - ground.mean()) / ground.std() * 35 + 120, 20, 230)
    moves = (np.array([[1, 0, -step * n], [0, 1, -0.3 * n]]) for n in range(14))
    pictures = [cv2.warpAffine(ground, move, (320, 240), flags=cv2.INTER_CUBIC, borderMode=1) for move in moves]
    return [np.clip(soft(one + rng.normal(0, grain, one.shape)), 0, 255) for one in pictures]


@pytest.mark.parametrize(
    ("softness", "grain", "gain"), [(1.2, 0.0, 4.0), (1.2, 4.0, 3.0), (6.0, 0.0, 1.0), (6.0, 4.0, 0.0)]
)  # fmt: skip
def test_made_lines_beat_the_better_plain_way(softness: float, grain: float, gain: float) -> None:
    """bwdif of the FFmpeg libraries, and the mean of two lines; a soft pan is where the mean is hard to beat."""
    pictures = panned(grain, 3.3, softness)
    rounded = [np.rint(one).astype(np.uint8) for one in pictures]
    woven = []
    for first, second in zip(rounded[::2], rounded[1::2], strict=True):
        frame = first.copy()
        frame[1::2] = second[1::2]
        woven.append(frame)
    source = source_of(woven, RATE, "woven", "top_first")
    result = chain(source, "fields", {"what": "deinterlace", "order": "top first"}).result
    ours, filtered, meant = [], [], []
    for number in range(1, len(woven) - 1):
        truth = rounded[2 * number][1::2]
        known = rounded[2 * number][0::2].astype(float)
        mean = np.rint((known + np.concatenate([known[1:], known[-1:]])) / 2)
        plain = both_fields([source.frame(number + offset) for offset in (-1, 0, 1)], True)[0].planes[0][1::2]
        for found, made in ((ours, result.frame(number).planes[0][1::2]), (filtered, plain), (meant, mean)):
            found.append(psnr(*squared_error(made, truth)))
    better = max(np.mean(filtered), np.mean(meant))
    assert np.mean(ours) > better + gain


def test_the_fields_own_lines_stay_and_deep_material_keeps_its_depth() -> None:
    pictures = panned(1.0, 2.0, 2.0)
    frames = []
    for number, (first, second) in enumerate(zip(pictures[:8:2], pictures[1:8:2], strict=True)):
        luma = first.copy()
        luma[1::2] = second[1::2]
        grey = source_of([np.zeros((240, 320), np.uint8)], RATE, "size").frame(0)
        fmt = replace(grey.format, bit_depth=10, field_order="top_first")
        planes = (np.rint(luma * 4).astype(np.uint16), *(np.full(p.shape, 512, np.uint16) for p in grey.planes[1:]))
        frames.append(Frame(number, fmt, planes))
    from grevin.core.quality.memory_source import MemorySource

    source = MemorySource(frames, "deep")
    made = chain(source, "fields", {"what": "deinterlace", "order": "top first"}).result.frame(1)
    assert made.planes[0].dtype == np.uint16
    np.testing.assert_array_equal(made.planes[0][0::2], source.frame(1).planes[0][0::2])
    assert int(made.planes[0].max()) <= 1023


@pytest.mark.parametrize("side", [2, 4, 6, 14])
def test_the_smallest_pictures_become_frames_too(side: int) -> None:
    rng = np.random.default_rng(side)
    lumas = [rng.integers(16, 200, (side, side)).astype(np.uint8) for _ in range(6)]
    source = source_of(lumas, RATE, "small")
    result = chain(source, "fields", {"what": "deinterlace", "order": "top first"}).result
    for number, luma in enumerate(lumas):
        made = result.frame(number).planes[0]
        assert made.shape == luma.shape
        assert (made[0::2] == luma[0::2]).all(), "the field's own lines stay"
