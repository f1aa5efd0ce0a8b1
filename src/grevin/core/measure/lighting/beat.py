"""Lamps out of step with the camera: light that swings evenly, with a period that need not be whole frames.

Fisher's test of the largest line of a periodogram (Fisher 1929, doi:10.1098/rspa.1929.0151).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

FEWEST = 16  # frames
TURNS = 3  # that must be seen
CHANCE = 1e-4  # of white flicker to look as even
LEAST_SHARE = 0.5  # of the flicker that one swing explains
FINER = 8  # times the lines of the periodogram, so that the peak is met
HARMONICS, FRAMES_A_TERM = 3, 8  # most sines of a swing, and frames of a shot that each of their terms asks for


def beat_of(values: npt.NDArray[Any]) -> float:
    """Frames after which a curve swings again, 0 for none.

    Args:
        values: (T,) what flickers, without the scene's own light.
    """
    length = len(values)
    if length < FEWEST:
        return 0.0
    away = np.asarray(values, np.float64) - np.mean(values)
    energy = float(away @ away)
    if energy <= 0:
        return 0.0
    power = np.square(np.abs(np.fft.rfft(away, FINER * length)))
    first = FINER * TURNS
    line = first + int(np.argmax(power[first:]))
    period = met_best(away, FINER * length / line)
    share = float(np.square(swing_of(away[:, None], period, 1)).sum()) / energy
    chance = length / 2 * (1.0 - min(1.0, share)) ** (length / 2 - 1)
    return period if share > LEAST_SHARE and chance < CHANCE else 0.0


def met_best(values: npt.NDArray[np.float64], period: float) -> float:
    """Frames after which a sine swings that explains most of (T,) values, near a period."""
    from scipy.optimize import minimize_scalar  # here: it takes long to load (docs/decisions/007)

    length = FINER * len(values)
    line = length / period

    def unexplained(place: float) -> float:
        return -float(np.square(swing_of(values[:, None], length / place, 1)).sum())

    return length / float(minimize_scalar(unexplained, bounds=(line - 1.0, line + 1.0), method="bounded").x)


def swing_of(columns: npt.NDArray[np.float64], period: float, most: int = HARMONICS) -> npt.NDArray[np.float64]:
    """(T, C) the part of curves that swings with a period, by sines and their harmonics.

    Args:
        columns: (T, C) values.
        period: frames, not necessarily whole.
        most: sines; fewer in short shots.
    """
    length = len(columns)
    count = max(1, min(most, length // (2 * FRAMES_A_TERM)))
    turn = 2.0 * np.pi / period * np.arange(length)[:, None] * np.arange(1, count + 1)
    sines = np.concatenate([np.cos(turn), np.sin(turn)], axis=1)
    sines -= sines.mean(axis=0)
    return np.asarray(sines @ np.linalg.lstsq(sines, columns - columns.mean(axis=0), rcond=None)[0])
