"""Colour that ran out along the lines, brought back to the edges that brightness shows.

What a low-pass took is estimated in turns: colour is made to follow brightness where both go together (the guided
filter: He, Sun, Tang 2010, "Guided image filtering", from memory, its fits weighed by how well they fit), then held to
what the low-pass leaves of it (back-projection: Irani and Peleg 1991, from memory). Only what the low-pass would take
of the result is added to the colour as it came, so its grain stays, and places without edges stay as they are.
"""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.levels import Plane

TURNS = 8  # more gain nothing
SIDE = 5  # samples: of the surroundings in which colour follows brightness; 3 follows noise, 9 gains less
EVEN = 9.0  # squared levels of brightness below which it says nothing of colour
LEAST_MISFIT = 0.5  # squared levels: rounding
HELD = 0.5  # of the low-pass, by which what is missing is brought back a little wider than it is: sharper rings
UNDOUBLED = 0.8  # samples: the low-pass of a straight line between samples at twice the distance, about


def unsmeared(plane: Plane, luma: Plane, sigma: float) -> Plane:
    """(H, W) float32, a plane of colour without the low-pass along its lines.

    Args:
        plane: (H, W) float32, 8-bit levels.
        luma: (H, W) float32, brightness at the size of the plane.
        sigma: standard deviation of the low-pass, samples.
    """
    sharp = plane
    for _ in range(TURNS):
        sharp = _guided(sharp, luma)
        sharp = sharp + _along(plane - _along(sharp, sigma), HELD * sigma)
    sharp = _guided(sharp, luma)
    return np.asarray(plane + (sharp - _along(sharp, sigma)), np.float32)


def undoubled(plane: Plane) -> Plane:
    """(H, W) float32, straight between the middles of pairs of samples that are one."""
    width = plane.shape[1] // 2 * 2
    single = np.ascontiguousarray(plane[:, :width:2])
    made = plane.copy()
    made[:, :width] = cv2.resize(single, (width, len(plane)), interpolation=cv2.INTER_LINEAR)
    return made


def _along(plane: Plane, sigma: float) -> Plane:
    """The low-pass along the lines."""
    size = 2 * int(np.ceil(3.0 * sigma)) + 1
    kernel = cv2.getGaussianKernel(size, sigma)
    made = cv2.sepFilter2D(plane, cv2.CV_32F, kernel, np.ones(1), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def _guided(plane: Plane, luma: Plane) -> Plane:
    """The plane as brightness has it: a straight line in every surroundings, each as much as it fits."""
    mean_luma, mean = _mean(luma), _mean(plane)
    spread = np.maximum(_mean(luma * luma) - mean_luma * mean_luma, 0)
    both = _mean(luma * plane) - mean_luma * mean
    slope = both / (spread + np.float32(EVEN))
    misfit = np.maximum(_mean(plane * plane) - mean * mean - slope * both, 0) + np.float32(LEAST_MISFIT)
    weight = np.asarray(1.0 / misfit, np.float32)
    total = _mean(weight)
    slopes, offsets = _mean(np.asarray(weight * slope)), _mean(np.asarray(weight * (mean - slope * mean_luma)))
    return np.asarray((slopes * luma + offsets) / total, np.float32)


def _mean(plane: Plane) -> Plane:
    return np.asarray(cv2.blur(plane, (SIDE, SIDE)), np.float32)
