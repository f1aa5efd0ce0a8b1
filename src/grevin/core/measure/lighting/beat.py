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
    turn = 2.0 * np.pi * line / (FINER * length) * np.arange(length)
    swing = np.column_stack([np.cos(turn), np.sin(turn)])
    fitted = swing @ np.linalg.lstsq(swing, away, rcond=None)[0]
    share = float(fitted @ fitted) / energy
    chance = length / 2 * (1.0 - min(1.0, share)) ** (length / 2 - 1)
    return FINER * length / line if share > LEAST_SHARE and chance < CHANCE else 0.0
