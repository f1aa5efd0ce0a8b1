"""Whether a line goes with the picture beside it: told against movements that are known."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import cv2
import numpy as np
import pytest

from grevin.core.steps.scratch.company import Company, Ways, ways_of
from grevin.core.steps.scratch.features import FEATURES
from grevin.core.steps.scratch.over_shot import candidates_of, judged
from grevin.core.steps.scratch.paths import Path
from grevin.core.steps.scratch.responses import ROWS, bands_of
from grevin.core.steps.scratch.sight import Sight, sight_of

WIDTH, HEIGHT, LENGTH = 320, 240, 13
LUMA = 0
TREMBLE = np.random.default_rng(3).uniform(-0.8, 0.8, LENGTH)  # px, of a camera that stands


def ground() -> Any:
    """(H, W) a texture, 8-bit levels."""
    rng = np.random.default_rng(7)
    fine = cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, WIDTH)).astype(np.float32), (0, 0), 2.0)
    return 110 + 18 * fine / fine.std()


def moved(picture: Any, px: float) -> Any:
    move = np.array([[1, 0, px], [0, 1, 0]])
    size = picture.shape[::-1]
    return cv2.warpAffine(picture, move, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


def line_at(x: float) -> Any:
    """(1, W) an upright line of 3 px and 40 levels."""
    return 40 * np.exp(-np.square((np.arange(WIDTH) - x) / 1.3))[None, :]


def sights(camera: Any, post: float | None = None, scratch: Any = None) -> list[Sight]:
    """Frames of a camera that moves so, with a post that stands in the picture, or a scratch at places of its own."""
    found = []
    for number in range(LENGTH):
        picture = ground() + (line_at(post) if post is not None else 0)
        picture = moved(picture.astype(np.float32), float(camera[number]))
        picture = picture + (line_at(float(scratch[number])) if scratch is not None else 0)
        picture = picture + np.random.default_rng(number).normal(0, 1.5, picture.shape)
        grey = np.clip(np.rint(picture), 0, 255).astype(np.float32) / 255
        found.append(sight_of(np.repeat(grey[..., None], 3, axis=2), None))
    return found


def told(frames: list[Sight], x: float) -> tuple[float, float, float, float]:
    path = Path(0, np.full(bands_of(HEIGHT), x), 9.0, 2.0)
    return Company(frames).measures(LENGTH // 2, path, LUMA)


@pytest.mark.parametrize("px", [-3.0, -0.4, 0.0, 0.25, 2.6])
def test_where_the_picture_goes(px: float) -> None:
    rows = cv2.resize(ground(), (WIDTH, HEIGHT // ROWS), interpolation=cv2.INTER_AREA).astype(np.float32)
    ways: Ways = ways_of(rows, moved(rows, px))
    inside = ways.px[:, 4:-4][ways.clear[:, 4:-4] > 1]
    assert np.median(inside) == pytest.approx(px, abs=0.06)
    assert np.percentile(np.abs(inside - px), 90) < 0.15


def test_a_post_goes_with_the_picture_whatever_the_camera_does() -> None:
    for camera in (np.zeros(LENGTH), TREMBLE, 0.3 * np.arange(LENGTH), 0.9 * np.arange(LENGTH)):
        middle = 150.0 + float(camera[LENGTH // 2])
        share, own, _, clear = told(sights(camera, post=150.0), middle)
        assert share > 0.8
        assert own < np.log(0.05 + 0.08)
        assert clear > 0.8


def test_a_scratch_goes_by_itself_where_camera_or_film_move() -> None:
    still, pan = np.zeros(LENGTH), 0.3 * np.arange(LENGTH)
    wander = 150 + np.array([0.6, 0.2, 0.7, 0.1, 0.6, 0.3, 0.0, 0.5, -0.5, 0.2, -0.4, 0.1, -0.7])
    for camera, scratch in ((still, wander), (TREMBLE, np.full(LENGTH, 150.0)), (pan, np.full(LENGTH, 150.0))):
        share, own, *_ = told(sights(camera, scratch=scratch), float(scratch[LENGTH // 2]))
        assert share < 0.4
        assert own > np.log(0.05 + 0.15)


def test_how_far_a_line_goes() -> None:
    still, pan = np.zeros(LENGTH), 0.3 * np.arange(LENGTH)
    steady = told(sights(pan, scratch=np.full(LENGTH, 150.0)), 150.0)[2]
    taken_along = told(sights(pan, post=150.0), 150.0 + float(pan[LENGTH // 2]))[2]
    standing = told(sights(still, post=150.0), 150.0)[2]
    assert max(steady, standing) < np.log(0.05 + 0.1)
    assert taken_along > np.log(0.05 + 0.4)


def test_what_goes_with_the_picture_has_to_be_surer() -> None:
    one = candidates_of(range(6, 7), dict(enumerate(sights(np.zeros(LENGTH), post=150.0))))[6][0]
    alone = replace(one, features=np.where(np.arange(len(FEATURES)) == FEATURES.index("in company"), 0, one.features))
    even = SimpleNamespace(scores=lambda rows: np.full(len(rows), 1.0))
    assert judged([alone], even)[0].score == 1.0
    assert judged([one], even)[0].score < 0


def test_a_picture_without_texture_tells_nothing() -> None:
    even = np.full((HEIGHT, WIDTH, 3), 0.4, np.float32)
    share, *_, clear = told([sight_of(even, None) for _ in range(LENGTH)], 150.0)
    assert clear == 0
    assert 0 < share < 1


def test_what_lies_at_the_rim_is_no_line() -> None:
    frames = {}
    for number in range(5):
        picture = np.full((HEIGHT, WIDTH, 3), 0.5, np.float32)
        picture[:, 0:2] = picture[:, 60:62] = 0.1
        picture += np.random.default_rng(number).normal(0, 0.01, picture.shape).astype(np.float32)
        frames[number] = sight_of(picture, None)
    found = [round(float(one.path.across.mean())) for one in candidates_of(range(2, 3), frames)[2] if one.dark]
    assert any(abs(x - 60) <= 1 for x in found)
    assert not any(x < 4 for x in found)
