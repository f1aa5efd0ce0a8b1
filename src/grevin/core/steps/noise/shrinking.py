"""Noise taken out of a single plane: cosines of overlapping blocks that are no larger than noise makes them go.

Shrinkage of an overcomplete cosine transform, first by a threshold, then by the ratio of what that left to the noise
(empirical Wiener: Yaroslavsky and others 2001, Dabov and others 2007, from memory). The noise of each cosine is the
measured spectrum, so that correlated grain is taken as well as white noise.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import COSINES, PART

Plane = npt.NDArray[np.float32]

THRESHOLD = 2.7  # standard deviations of noise: Dabov and others 2007
COARSE_STEP, FINE_STEP = 4, 2  # px between overlapping blocks


def shrunk(plane: Plane, variance: Plane, spectrum: Plane, step: int = FINE_STEP, quick: bool = False) -> Plane:
    """A plane without its noise.

    Args:
        plane: (H, W) float32.
        variance: (H, W) float32, of the noise, in squared units of the plane.
        spectrum: (PART, PART) float32, power of each cosine over the mean of all.
        step: px between overlapping blocks of the second pass.
        quick: the first pass alone.
    """
    padded, variances = (np.pad(one, PART, mode="symmetric") for one in (plane, variance))
    rows, columns = (-(-size // PART) * PART for size in padded.shape)
    ends = ((0, rows - padded.shape[0]), (0, columns - padded.shape[1]))
    padded, variances = (np.pad(one, ends, mode="edge") for one in (padded, variances))

    def by_threshold(blocks: Plane, noise: Plane, _pilot: Plane) -> Plane:
        return np.where(blocks * blocks > np.float32(THRESHOLD**2) * noise, blocks, np.float32(0.0))

    def by_ratio(blocks: Plane, noise: Plane, pilot: Plane) -> Plane:
        power = pilot * pilot
        return blocks * (power / (power + noise + np.float32(1e-9)))

    first = _overlapped(padded, padded, variances, spectrum, by_threshold, COARSE_STEP)
    second = first if quick else _overlapped(padded, first, variances, spectrum, by_ratio, step)
    return second[PART : PART + plane.shape[0], PART : PART + plane.shape[1]]


def _shifts(step: int) -> Iterator[tuple[slice, slice]]:
    for down in range(0, PART, step):
        for across in range(0, PART, step):
            yield slice(down, down - PART or None), slice(across, across - PART or None)


def _overlapped(
    plane: Plane, pilot: Plane, variance: Plane, spectrum: Plane, keep: Callable[[Plane, Plane, Plane], Plane],
    step: int,
) -> Plane:  # fmt: skip
    """Blocks at several places, shrunk and averaged."""
    total, count = np.zeros_like(plane), np.zeros_like(plane)
    for where in _shifts(step):
        blocks = _spectra(plane[where])
        noise = _means(variance[where]).T[:, None, :, None] * spectrum.T[None, :, None, :]
        noise = np.maximum(noise, 0.0).astype(np.float32)
        shapes = _spectra(pilot[where]) if pilot is not plane else blocks
        total[where] += _pictures(keep(blocks, noise, shapes))
        count[where] += 1.0
    return np.asarray(total / np.maximum(count, 1.0), np.float32)


def _means(plane: Plane) -> Plane:
    """(rows, columns) means of blocks."""
    height, width = plane.shape
    size = width // PART, height // PART
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.float32)


def _spectra(plane: Plane) -> Plane:
    """(columns, PART, rows, PART) cosines of blocks, lying on their side: turning costs less than small products."""
    height, width = plane.shape
    down = np.matmul(COSINES, np.ascontiguousarray(plane).reshape(height // PART, PART, width)).reshape(height, width)
    across = np.matmul(COSINES, cv2.transpose(down).reshape(width // PART, PART, height))
    return np.asarray(across.reshape(width // PART, PART, height // PART, PART), np.float32)


def _pictures(blocks: Plane) -> Plane:
    """The plane of cosines of blocks."""
    columns, _, rows, _ = blocks.shape
    across = np.matmul(COSINES.T, blocks.reshape(columns, PART, rows * PART)).reshape(columns * PART, rows * PART)
    down = np.matmul(COSINES.T, cv2.transpose(across).reshape(rows, PART, columns * PART))
    return np.asarray(down.reshape(rows * PART, columns * PART), np.float32)
