"""Grain made new: any frame alone, always the same for the same seed, with a given spectrum."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import PART

Plane = npt.NDArray[np.float32]


def grain(shape: tuple[int, int], spectrum: npt.NDArray[np.float64], size: float, seed: tuple[int, ...]) -> Plane:
    """(H, W) float32 grain with a standard deviation of 1.

    Args:
        shape: of the plane.
        spectrum: (PART, PART) power of each cosine of a block (`measure.noise.model`).
        size: times the size of the grain that was measured.
        seed: same seed, same grain.
    """
    white = np.random.default_rng(seed).standard_normal(shape).astype(np.float32)
    height, width = shape
    down = np.abs(np.fft.fftfreq(height)).astype(np.float32)[:, None]
    across = np.fft.rfftfreq(width).astype(np.float32)[None, :]
    places = (np.broadcast_to(2 * PART * size * f, (height, width // 2 + 1)) for f in (across, down))
    left, top = (np.clip(place, 0, PART - 1).astype(np.float32) for place in places)
    power = np.asarray(np.maximum(spectrum, 0.0), np.float32)
    shape_of = np.sqrt(cv2.remap(power, left, top, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
    beyond = (left >= PART - 1) | (top >= PART - 1)
    if size > 1:  # grain that was made larger has nothing finer than it had
        shape_of[beyond] = 0.0
    made = np.fft.irfft2(np.fft.rfft2(white) * shape_of, s=shape).astype(np.float32)
    spread = float(made.std())
    return made * np.float32(1.0 / spread) if spread > 0 else made


def plain_spectrum(size_px: float) -> npt.NDArray[np.float64]:
    """(PART, PART) of grain whose pixels were blurred by a Gaussian of that standard deviation; 0 for white."""
    frequency = np.arange(PART) / (2 * PART)
    fall = np.exp(-np.square(2 * np.pi * frequency * size_px))
    power = fall[:, None] * fall[None, :]
    return np.asarray(power / power.mean())
