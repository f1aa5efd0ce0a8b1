"""The motion of a camera: known to a small part of a pixel under noise, and flow where things move of themselves."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.motion.camera import with_camera
from grevin.core.motion.flow import Flow, Luma8, estimate_flow

HEIGHT, WIDTH = 240, 320
NOISE = 10.0  # 8-bit levels


def scene(seed: int = 5) -> np.ndarray:
    """(2 HEIGHT, 2 WIDTH) a soft picture, twice as large as a frame."""
    rng = np.random.default_rng(seed)
    soft = cv2.GaussianBlur(rng.normal(0, 1, (2 * HEIGHT, 2 * WIDTH)).astype(np.float32), (0, 0), 4.0)
    return np.asarray(128 + 45 * soft / soft.std(), np.float32)


def filmed(matrix: np.ndarray, grain_px: float = 0.0, seed: int = 1) -> Luma8:
    """The middle of the scene through a move (2, 3) of its points, under noise of its own."""
    rng = np.random.default_rng(seed)
    picture = cv2.warpAffine(scene(), matrix, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC)
    noise = rng.standard_normal(picture.shape).astype(np.float32)
    if grain_px:
        noise = cv2.GaussianBlur(noise, (0, 0), grain_px)
    return np.clip(np.rint(picture + NOISE * noise / noise.std()), 0, 255).astype(np.uint8)


def pose(right: float, down: float, turn_deg: float = 0.0, zoom: float = 1.0) -> np.ndarray:
    """(2, 3) from points of the scene to those of a frame."""
    made = cv2.getRotationMatrix2D((WIDTH, HEIGHT), turn_deg, zoom)
    made[:, 2] += (right - WIDTH / 2, down - HEIGHT / 2)
    return np.asarray(made)


def true_flow(here: np.ndarray, there: np.ndarray) -> Flow:
    square = [np.vstack([one, [0, 0, 1]]) for one in (here, there)]
    whole = square[1] @ np.linalg.inv(square[0])
    down, across = np.indices((HEIGHT, WIDTH), np.float64)
    points = np.stack([across, down, np.ones_like(across)], axis=-1)
    return np.asarray((points @ whole.T)[..., :2] - points[..., :2], np.float32)


@pytest.mark.parametrize(
    ("move", "grain_px"),
    [((2.3, -1.1), 0.0), ((2.3, -1.1), 1.2), ((0.4, 0.7, 0.8), 0.0), ((0.0, 0.0, 0.0, 1.02), 1.2), ((23.0, 0.6), 0.0)],
)
def test_what_a_camera_does_is_known_under_noise(move: tuple[float, ...], grain_px: float) -> None:
    here, there = pose(0, 0), pose(*move)
    flow = estimate_flow(filmed(here, grain_px, 1), filmed(there, grain_px, 2), "steady")
    inner = (slice(20, -20), slice(40, -40))
    off = np.hypot(*(flow - true_flow(here, there))[inner].transpose(2, 0, 1))
    assert float(off.mean()) < 0.12  # px


def test_what_moves_of_itself_is_left_to_flow() -> None:
    here, there = filmed(pose(0, 0), seed=1).copy(), filmed(pose(2, 0), seed=2).copy()
    thing = scene(9)[:80, :80]
    here[80:160, 100:180] = thing
    there[80:160, 94:174] = thing  # six to the left, two to the right around it
    flow = estimate_flow(here, there, "steady")
    assert float(np.abs(flow[100:140, 120:160] - [-6, 0]).mean()) < 0.5
    assert float(np.abs(flow[180:, 40:280] - [2, 0]).mean()) < 0.12


def test_plain_pictures_keep_their_flow() -> None:
    plain = np.full((HEIGHT, WIDTH), 90, np.uint8)
    flow = with_camera(np.zeros((HEIGHT, WIDTH, 2), np.float32), plain, plain)
    assert np.isfinite(flow).all()
    assert float(np.abs(flow).max()) < 1e-3
