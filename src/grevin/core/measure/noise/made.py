"""Grain made new: any frame alone, always the same for the same seed, with a given spectrum."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import PART
from grevin.core.measure.noise.model import NoiseModel

Plane = npt.NDArray[np.float32]


def grains(shapes: list[tuple[int, int]], model: NoiseModel, size: float, seed: tuple[int, ...]) -> list[Plane]:
    """(H, W) float32 grain of each plane, with a standard deviation of 1; they go together as those measured did.

    Args:
        shapes: of the planes.
        model: whose spectra and correlations it has.
        size: times the size of the grain that was measured.
        seed: same seed, same grain.
    """
    own = [
        np.random.default_rng((*seed, place)).standard_normal(shape).astype(np.float32)
        for place, shape in enumerate(shapes)
    ]
    mix = _root(model.together[: len(shapes), : len(shapes)])
    made = []
    for place, shape in enumerate(shapes):
        parts = [(share, part) for share, part in zip(mix[place], own, strict=True) if share]
        white = sum((np.float32(share) * _even(part, shape) for share, part in parts), np.zeros(shape, np.float32))
        made.append(_shaped(white, model.spectrum[place], size))
    return made


def _root(together: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Of a matrix of correlations, which noise of measuring may have made none."""
    values, vectors = np.linalg.eigh(together)
    root = np.linalg.cholesky((vectors * np.maximum(values, 1e-4)) @ vectors.T)
    return np.asarray(root / np.linalg.norm(root, axis=1, keepdims=True))


def _even(white: Plane, shape: tuple[int, int]) -> Plane:
    """White noise at the size of another plane, a standard deviation of 1 as before."""
    if white.shape == shape:
        return white
    small = cv2.resize(white, shape[::-1], interpolation=cv2.INTER_AREA)
    return np.asarray(small / small.std(), np.float32)


def _shaped(white: Plane, spectrum: npt.NDArray[np.float64], size: float) -> Plane:
    """White noise brought to a spectrum, (PART, PART) power of each cosine of a block."""
    height, width = white.shape
    down = np.abs(np.fft.fftfreq(height)).astype(np.float32)[:, None]
    across = np.fft.rfftfreq(width).astype(np.float32)[None, :]
    places = (np.broadcast_to(2 * PART * size * f, (height, width // 2 + 1)) for f in (across, down))
    left, top = (np.clip(place, 0, PART - 1).astype(np.float32) for place in places)
    power = np.asarray(np.maximum(spectrum, 0.0), np.float32)
    share = np.sqrt(cv2.remap(power, left, top, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
    beyond = (left >= PART - 1) | (top >= PART - 1)
    if size > 1:  # grain that was made larger has nothing finer than it had
        share[beyond] = 0.0
    made = np.fft.irfft2(np.fft.rfft2(white) * share, s=white.shape).astype(np.float32)
    spread = float(made.std())
    return made * np.float32(1.0 / spread) if spread > 0 else made


def plain_spectrum(size_px: float) -> npt.NDArray[np.float64]:
    """(PART, PART) of grain whose pixels were blurred by a Gaussian of that standard deviation; 0 for white."""
    frequency = np.arange(PART) / (2 * PART)
    fall = np.exp(-np.square(2 * np.pi * frequency * size_px))
    power = fall[:, None] * fall[None, :]
    return np.asarray(power / power.mean())
