"""Missing lines: noise and its likeness from line to line measured, candidates weighed by how far they are wrong."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from grevin.core.media.deinterlacing import both_fields
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.steps.fields.deinterlacing import seen_of
from grevin.core.steps.fields.mixing import Seen, mix_of, noise_of
from tests.core.film_time import RATE, chain, source_of

SOFTENED = (1, 2, 1)  # a camera's lines, in fourths: each shares light with those beside it


def soft(picture: np.ndarray) -> np.ndarray:
    kernel = np.array(SOFTENED, np.float32)[:, None] / 4
    return cv2.filter2D(picture, -1, kernel, borderType=cv2.BORDER_REPLICATE)


@pytest.mark.parametrize("shared", [False, True])
def test_noise_and_its_likeness_from_line_to_line_are_measured(shared: bool) -> None:
    rng = np.random.default_rng(3)
    fields = [rng.normal(0, 4, (400, 320)).astype(np.float32) for _ in range(2)]
    if shared:
        fields = [soft(one) for one in fields]
    noise = noise_of(*(np.ascontiguousarray(one[::2]) for one in fields))
    # for weights (1, 2, 1)/4: variance (1 + 4 + 1)/16, correlation two lines apart 1/6
    assert noise.variance == pytest.approx(16 * (6 / 16 if shared else 1), rel=0.1)
    assert noise.next_line == pytest.approx(1 / 6 if shared else 0, abs=0.03)


def test_shares_sum_to_one_and_wrong_motion_counts_for_nothing() -> None:
    rows, columns = np.indices((60, 160), dtype=np.float32)
    truth = 120 + 40 * np.sin(rows / 20 + columns / 30)
    known = np.asarray(truth, np.float32)
    wrong = np.where(columns < 80, 0.2, 25 * np.sin(1.3 * columns + 2 * rows)).astype(np.float32)
    missed = np.where(columns < 80, 0.2, 25 * np.sin(1.3 * columns + 2 * rows + 1)).astype(np.float32)
    seen = Seen(known + wrong, missed, known + wrong - missed)
    mix = mix_of(known, known, known, [seen, seen])
    total = mix.filtered + mix.mean + sum(mix.moved)
    np.testing.assert_allclose(total, 1, atol=1e-4)
    assert sum(mix.moved)[:, 50:].max() < 0.02, "motion that fails is not used"


def test_what_a_moved_picture_misses_beside_a_line_is_made_up_for() -> None:
    """The field before is 12 levels darker all over: lifted, its lines are right, and nothing else would be."""
    rng = np.random.default_rng(8)
    picture = cv2.GaussianBlur(rng.uniform(40, 220, (120, 160)).astype(np.float32), (0, 0), 1.0)
    seen = seen_of(picture, picture - 12, np.zeros((120, 160, 2), np.float32), 1)
    assert np.abs(seen.lines - picture[1::2]).mean() == pytest.approx(12, abs=0.01)
    np.testing.assert_allclose(seen.missed, 12, atol=0.01)
    np.testing.assert_allclose(seen.lifted, picture[1::2], atol=0.01)


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
