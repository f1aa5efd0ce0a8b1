"""Planes sampled anew along their axes, by published kernels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

CUBIC = -0.5  # of Keys' kernel (Keys 1981: the one that is of third order)
LANCZOS = 4  # lobes of the windowed sinc (Duchon 1979)

Places = npt.NDArray[np.float64]
Plane = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Kernel:
    """How much of a sample there is at some distance.

    Attributes:
        weight: by the distance, in samples.
        reach: samples beyond which there is nothing.
    """

    weight: Callable[[Places], Places]
    reach: int


def cubic(distance: Places) -> Places:
    """Weights of Keys' kernel at some distances, in samples."""
    x = np.abs(distance)
    near = (CUBIC + 2) * x**3 - (CUBIC + 3) * x**2 + 1
    far = CUBIC * (x**3 - 5 * x**2 + 8 * x - 4)
    return np.where(x <= 1, near, np.where(x < 2, far, 0.0))


def lanczos(distance: Places) -> Places:
    """Weights of the windowed sinc at some distances, in samples."""
    inside = np.abs(distance) < LANCZOS
    return np.where(inside, np.sinc(distance) * np.sinc(distance / LANCZOS), 0.0)


def linear(distance: Places) -> Places:
    """Weights of the straight line between two samples at some distances."""
    return np.maximum(0.0, 1.0 - np.abs(distance))


KERNELS = {"linear": Kernel(linear, 1), "cubic": Kernel(cubic, 2), "lanczos": Kernel(lanczos, LANCZOS)}


def halving_taps() -> Places:
    """(8,) weights that bring down to half the size without aliasing: Keys' kernel at twice its width."""
    taps = cubic((np.arange(8) - 3.5) / 2)
    return np.asarray(taps / taps.sum())


def places_between(old: int, new: int, inset: float = 0.5) -> Places:
    """(new,) where among old samples new ones lie that cover the same length.

    Args:
        old: samples.
        new: samples.
        inset: of the first sample from the edge, in samples: half of one, or less where colour lies on the left.
    """
    return np.asarray((np.arange(new) + inset) * (old / new) - inset, np.float64)


def lines_at(picture: Plane, places: Places, kernel: Kernel = KERNELS["cubic"]) -> Plane:
    """Lines between those of a picture, or fewer than it has; beyond its ends its last ones.

    Args:
        picture: (H, ...) float32.
        places: (N,) where in it the lines lie, evenly apart, line 0 at 0.
        kernel: of the interpolation; wider where there are fewer lines than before.
    """
    made = _weights(len(picture), places, kernel) @ picture.reshape(len(picture), -1)
    return np.asarray(made.reshape(len(places), *picture.shape[1:]), np.float32)


def _weights(old: int, places: Places, kernel: Kernel) -> Any:
    """(N, old) sparse float32: how much of each line there is in those at some places."""
    from scipy.sparse import csr_array  # here: it takes long to load (docs/decisions/007)

    apart = float(places[1] - places[0]) if len(places) > 1 else old / max(1, len(places))
    stretch = max(1.0, apart)
    reach = int(np.ceil(kernel.reach * stretch))
    first = np.floor(places).astype(np.int64)
    offsets = np.arange(1 - reach, reach + 1)
    weights = kernel.weight((places[:, None] - first[:, None] - offsets) / stretch)
    weights /= weights.sum(axis=1, keepdims=True)
    lines = np.clip(first[:, None] + offsets, 0, old - 1)
    row_ends = np.arange(0, lines.size + 1, len(offsets))
    return csr_array((weights.ravel().astype(np.float32), lines.ravel(), row_ends), shape=(len(places), old))


def resampled(plane: Plane, down: Places, across: Places, kernel: Kernel) -> Plane:
    """(len(down), len(across)) float32, a plane at lines and columns between its own.

    Args:
        plane: (H, W) float32.
        down: where its lines are looked up.
        across: where its columns are.
        kernel: of the interpolation.
    """
    wide = lines_at(np.ascontiguousarray(plane.T), across, kernel)
    return lines_at(np.ascontiguousarray(wide.T), down, kernel)


def resized(plane: Plane, shape: tuple[int, int], kernel: Kernel) -> Plane:
    """(H, W) float32, the whole plane at another size."""
    down, across = (places_between(old, new) for old, new in zip(plane.shape, shape, strict=True))
    return resampled(plane, down, across, kernel)
