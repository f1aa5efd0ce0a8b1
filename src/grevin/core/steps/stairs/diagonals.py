"""Diagonal edges, smoothed along themselves.

The direction of an edge is that of the structure tensor (Förstner and Gülch 1987, from memory): where the picture
changes strongly one way and hardly the other. A pass takes the mean of a few samples along the edge; flat places, level
and upright edges, corners and textures are left.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb

Weight = npt.NDArray[np.float32]

WIDTH_PX = 1.6  # standard deviation of the surroundings in which a direction is told
COHERENT = 0.45, 0.75  # coherence of the tensor from which an edge is smoothed a little, and wholly
SLOPE = 0.10, 0.25  # smaller over larger part of its direction, likewise: what is level or upright has no stairs
ALONG_PX = (-2.0, -1.0, 1.0, 2.0)  # samples along the edge
TAPS = (0.12, 0.23, 0.23, 0.12)  # their weights; the pixel itself has the rest
AT_ONCE = 1024  # samples in a row of those that are looked up


@dataclass(frozen=True, eq=False)
class Edges:
    """Where diagonal edges run, and how.

    Attributes:
        along: (H, W, 2) float32 unit vectors, x and y.
        weight: (H, W) float32, 0..1 how much of an edge a pixel lies on.
    """

    along: Weight
    weight: Weight


def edges_of(luma: Weight, threshold: float) -> Edges:
    """The diagonal edges of a picture.

    Args:
        luma: (H, W) float32, 8-bit levels.
        threshold: levels between both sides of an edge.
    """
    x = cv2.Sobel(luma, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
    y = cv2.Sobel(luma, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)
    xx, yy, xy = (cv2.GaussianBlur(one, (0, 0), WIDTH_PX) for one in (x * x, y * y, x * y))
    more, both = xx - yy, xx + yy
    apart = cv2.magnitude(more, xy + xy)
    coherence = apart / np.maximum(both, np.float32(1e-3))
    # half of the angle whose cosine this is lies at right angles to the edge
    cosine = np.clip(more / np.maximum(apart, np.float32(1e-12)), -1, 1)
    x, y = cv2.sqrt(np.float32(0.5) - np.float32(0.5) * cosine), cv2.sqrt(np.float32(0.5) + np.float32(0.5) * cosine)
    slope = np.minimum(x, y) / np.maximum(x, y)
    # an edge of some levels rises by about a quarter of them a pixel, in the mean over its surroundings
    contrast = np.float32(4.0 / threshold) * cv2.sqrt(np.maximum(both, 0))
    weights = (_between(coherence, *COHERENT), _between(slope, *SLOPE), _between(contrast, 0.75, 1.25))
    along = cv2.merge([np.copysign(x, -xy), y])
    return Edges(np.asarray(along, np.float32), np.asarray(weights[0] * weights[1] * weights[2], np.float32))


def smoothed(picture: Rgb, edges: Edges, passes: int) -> Rgb:
    """(H, W, 3) float32 with its edges smoothed along themselves as often as is asked for."""
    rows, columns = np.nonzero(edges.weight)
    if not passes or not len(rows):
        return picture
    along, share = edges.along[rows, columns], edges.weight[rows, columns][:, None]
    places = np.column_stack([columns, rows]).astype(np.float32)
    made = picture.copy()
    for _ in range(passes):
        own = made[rows, columns]
        mean = np.float32(1 - sum(TAPS)) * own
        for tap, offset in zip(TAPS, ALONG_PX, strict=True):
            mean += np.float32(tap) * _sampled(made, places + np.float32(offset) * along)
        made[rows, columns] = own + share * (mean - own)
    return made


def _sampled(picture: Rgb, places: Weight) -> Weight:
    """(N, 3) values at (N, 2) places, in rows of which OpenCV takes no more than some."""
    lines = -(-len(places) // AT_ONCE)
    whole = np.zeros((lines * AT_ONCE, 2), np.float32)
    whole[: len(places)] = places
    table = whole.reshape(lines, AT_ONCE, 2)
    x, y = cv2.split(table)
    found = cv2.remap(picture, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(found.reshape(-1, picture.shape[2])[: len(places)], np.float32)


def faded(mask: npt.NDArray[np.bool_], soft_px: float) -> Weight:
    """(H, W) float32, 1 inside a mask, falling to 0 over some pixels outside."""
    if soft_px <= 0:
        return mask.astype(np.float32)
    distance = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray(np.clip(1 - distance / np.float32(soft_px + 1), 0, 1), np.float32)


def _between(value: npt.NDArray[Any], low: float, high: float) -> Weight:
    return np.asarray(np.clip((value - np.float32(low)) / np.float32(high - low), 0, 1), np.float32)
