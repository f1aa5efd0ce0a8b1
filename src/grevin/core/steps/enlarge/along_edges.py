"""Twice as large along edges: cubic convolution in the direction in which a place changes least.

Directional cubic convolution (Zhou, Yuan and Dong, "Image zooming using directional cubic convolution interpolation",
IET Image Processing 6, 2012): first what lies between four samples, along one diagonal or the other, then what lies
between two, along lines or columns; where neither direction changes clearly less, a mean of both. Its picture has the
source's samples at every other place; it is then looked up half a place beside, where a picture's middle stays.
"""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.levels import Plane
from grevin.core.picture.resampling import KERNELS, resampled

CLEARLY = 1.15  # times that one direction changes more than the other (section 2.2 there, from memory)
POWER = 5  # of a change, in the weights of the mean (the same)
CUBIC = np.array([-1, 9, 9, -1], np.float32) / 16  # half-way between samples, Keys' kernel
PAD_PX = 4  # of the source round it: as far as both passes look
NEAR = np.ones((3, 3), np.float32)


def doubled_along_edges(luma: Plane) -> Plane:
    """(2 H, 2 W) float32: luma at twice its size, 8-bit levels."""
    padded = np.pad(luma, PAD_PX, mode="edge")
    grid = np.zeros((2 * padded.shape[0], 2 * padded.shape[1]), np.float32)
    grid[::2, ::2] = padded
    grid[1::2, 1::2] = _between_four(padded)
    _fill_between_two(grid)
    down, across = (np.arange(2 * size) - 0.5 + 2 * PAD_PX for size in luma.shape)
    return resampled(grid, down, across, KERNELS["lanczos"])


def _between_four(luma: Plane) -> Plane:
    """(H, W): what lies half a place to the right of each sample and below it."""
    kernels = []
    for order in (1, -1):  # from the top left, from the top right
        kernel = np.zeros((4, 4), np.float32)
        kernel[np.arange(4), np.arange(4)[::order]] = CUBIC
        kernels.append(kernel)
    falling, rising = (_filtered(luma, kernel, (1, 1)) for kernel in kernels)
    changes = [
        _filtered(np.abs(_filtered(luma, np.array(apart, np.float32), (0, 0))), NEAR)
        for apart in ([[1, 0], [0, -1]], [[0, 1], [-1, 0]])
    ]
    return _chosen((falling, rising), (changes[0], changes[1]))


def _fill_between_two(grid: Plane) -> None:
    """What is still missing, from the samples and what lies between four of them."""
    spread = np.zeros((1, 7), np.float32)
    spread[0, ::2] = CUBIC
    apart = np.array([[1, 0, -1]], np.float32)
    missing = np.zeros(grid.shape, np.float32)
    missing[::2, 1::2] = missing[1::2, ::2] = 1
    ways, changes = [], []
    for turn in (lambda kernel: kernel, np.transpose):
        ways.append(_filtered(grid, turn(spread)))
        changes.append(_filtered(np.abs(_filtered(grid, turn(apart))) * missing, NEAR))
    made = _chosen((ways[0], ways[1]), (changes[0], changes[1]))
    np.copyto(grid, made, where=missing > 0)


def _chosen(ways: tuple[Plane, Plane], changes: tuple[Plane, Plane]) -> Plane:
    """Of two values that of the direction which changes clearly less, else their mean, weighted by that."""
    one, other = (1 + change for change in changes)
    share = 1 / (1 + np.power(one / other, np.float32(POWER)))
    share[one > CLEARLY * other] = 0
    share[other > CLEARLY * one] = 1
    return np.asarray(share * ways[0] + (1 - share) * ways[1], np.float32)


def _filtered(plane: Plane, kernel: Plane, anchor: tuple[int, int] = (-1, -1)) -> Plane:
    # mirrored at the outermost sample, which keeps the raster
    made = cv2.filter2D(plane, cv2.CV_32F, kernel, anchor=anchor, borderType=cv2.BORDER_REFLECT_101)
    return np.asarray(made, np.float32)
