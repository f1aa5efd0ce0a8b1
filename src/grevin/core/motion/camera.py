"""The part of motion that a camera makes: six numbers for the whole picture, where they fit as well as flow does.

Flow is worked out for each place from little of the picture, so noise bends it, and grain is laid onto grain. What a
camera does by panning, turning, and going nearer is the same over the whole picture and known far better (Bergen,
Anandan, Hanna, Hingorani 1992, "Hierarchical model-based motion estimation", from memory). Flow is kept where
something moves of itself.
"""

from __future__ import annotations

from typing import cast

import cv2
import numpy as np
import numpy.typing as npt

Flow = npt.NDArray[np.float32]
Picture = npt.NDArray[np.float32]
Six = npt.NDArray[np.float64]  # (3, 2): shift, change along the rows, change down the columns; of (right, down), in px

EVERY_PX = 8  # places of the flow that are looked at
FITS, LEAST_SPREAD_PX = 12, 0.1  # times that places are weighed, and what they always may be off by
LOOKS, LOOK_PX, SETTLED_PX = 4, 2, 0.005  # on the pictures: how often at most, on which pixels, and when it is enough
NEAR_PX = 7  # side of the surroundings in which both are compared
BLUR_PX = 0.7  # against noise, when both are compared
ROUNDING = 1.0 / 6.0  # variance of the difference of two pictures of whole numbers
OVER = 0.3  # by how much less flow may leave, for it follows noise, which the camera does not: set on clips that rule


def with_camera(flow: Flow, here: npt.NDArray[np.uint8], there: npt.NDArray[np.uint8]) -> Flow:
    """A flow with the motion of the camera wherever that leads to the same thing.

    Args:
        flow: (H, W, 2) float32, from one picture to the other.
        here: (H, W) uint8 luma.
        there: (H, W) uint8 luma.

    Returns:
        (H, W, 2) float32.
    """
    first, second = (
        np.asarray(cv2.GaussianBlur(one.astype(np.float32), (0, 0), BLUR_PX), np.float32) for one in (here, there)
    )
    six = _fitted(flow)
    camera = _flow_of(_sharpened(six, first, second), here.shape)
    left, left_by_camera = (_left(first, second, one) for one in (flow, camera))
    same = (left_by_camera <= (1.0 + OVER) * left + ROUNDING).astype(np.float32)
    share = cv2.blur(same, (NEAR_PX, NEAR_PX))[..., None]
    return np.asarray(share * camera + (1 - share) * flow, np.float32)


def _axes(shape: tuple[int, ...]) -> tuple[Picture, Picture]:
    """((1, W), (H, 1)) from the middle of the picture, in widths of it."""
    height, width = shape[:2]
    across = (np.arange(width, dtype=np.float32) - width / 2) / width
    down = (np.arange(height, dtype=np.float32) - height / 2) / width
    return across[None].astype(np.float32), down[:, None].astype(np.float32)


def _fitted(flow: Flow) -> Six:
    """Of what most of a flow agrees on: least squares, with places that are far off counting less and less."""
    across, down = np.broadcast_arrays(*_axes(flow.shape))
    places = slice(EVERY_PX // 2, None, EVERY_PX)
    known = np.stack([np.ones_like(across), across, down], axis=-1)[places, places].reshape(-1, 3).astype(np.float64)
    moved = flow[places, places].reshape(-1, 2).astype(np.float64)
    six = np.stack([np.median(moved, axis=0), np.zeros(2), np.zeros(2)])
    for _ in range(FITS):
        off = np.hypot(*(moved - known @ six).T)
        spread = max(LEAST_SPREAD_PX, 1.5 * float(np.median(off)))
        weight = 1.0 / np.square(1.0 + np.square(off / spread))[:, None]  # Geman and McClure 1987
        six = np.linalg.solve(known.T @ (weight * known) + 1e-6 * np.eye(3), known.T @ (weight * moved))
    return six


def _flow_of(six: Six, shape: tuple[int, ...]) -> Flow:
    across, down = _axes(shape)
    return np.stack([six[0, n] + six[1, n] * across + six[2, n] * down for n in (0, 1)], axis=-1).astype(np.float32)


def _sharpened(six: Six, here: Picture, there: Picture) -> Six:
    """Six numbers by what the pictures themselves show (Gauss and Newton), unlike places counting little."""
    some = slice(None, None, LOOK_PX)
    across, down = np.broadcast_arrays(*_axes(here.shape))
    x, y, mine = across[some, some], down[some, some], here[some, some]
    slopes = [np.asarray(cv2.Sobel(there, cv2.CV_32F, *which, scale=1 / 8), np.float32) for which in ((1, 0), (0, 1))]
    for _ in range(LOOKS):
        at = _places(_flow_of(six, here.shape)[some, some], LOOK_PX)
        theirs, right, below = (_read(one, at) for one in (there, *slopes))
        away = mine - theirs
        inside = (at[0] >= 1) & (at[1] >= 1) & (at[0] < here.shape[1] - 2) & (at[1] < here.shape[0] - 2)
        unlike = cv2.blur(away * away, (NEAR_PX, NEAR_PX))
        if not inside.any():
            return six
        usual = 2.0 * float(np.median(unlike[inside])) + ROUNDING
        weight = inside / (1.0 + np.square(unlike / usual))
        slope = np.stack([one.ravel() for one in (right, right * x, right * y, below, below * x, below * y)])
        weighted = slope * weight.ravel()
        normal = (weighted @ slope.T).astype(np.float64)
        ridge = 1e-6 * np.trace(normal) * np.eye(6) + 1e-9 * np.eye(6)
        more = np.linalg.solve(normal + ridge, (weighted @ away.ravel()).astype(np.float64)).reshape(2, 3).T
        six = six + more
        if float(np.abs(more).max()) < SETTLED_PX:
            break
    return six


def _places(flow: Flow, every_px: int = 1) -> tuple[Flow, Flow]:
    """(across, down) where a flow leads that is known every so many pixels."""
    down, across = np.indices(flow.shape[:2], np.float32) * np.float32(every_px)
    return across + flow[..., 0], down + flow[..., 1]


def _read(picture: Picture, at: tuple[Flow, Flow]) -> Picture:
    return np.asarray(cv2.remap(picture, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _left(here: Picture, there: Picture, flow: Flow) -> Picture:
    """(H, W) mean square of what is left around each place."""
    down, across = np.indices(here.shape, np.float32)
    moved = cv2.remap(
        there, across + flow[..., 0], down + flow[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    return cast("Picture", cv2.blur(np.square(here - moved), (NEAR_PX, NEAR_PX)))
