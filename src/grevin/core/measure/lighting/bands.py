"""Soft bands that roll over the picture: found as one wave that travels, from how rows change between frames.

A lamp on alternating current before a camera that takes its rows one after the other leaves a dark band whose place
moves by the same way from frame to frame. The rows of two frames, compared along the motion, show the wave less the
same wave a little farther on; period and speed are those that explain all pairs best, the shape is a sum of harmonics.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.pairs import Pair, SmallPicture

Values = npt.NDArray[np.float64]
Rows = npt.NDArray[np.float32]

STRIPS = 4  # parts of the picture's width, so that a band that leans is told
HARMONICS = 3
CHANNELS = 3  # red, green, blue
DARK, BRIGHT = 20.0, 245.0  # levels of 255 of R'G'B' between which a ratio says something
LEAST_PIXELS = 6  # of a row in a strip
PERIODS = (0.22, 4.0, 40)  # of the picture's height: shortest, longest, how many are tried
PHASES = 96  # steps of the way from frame to frame that are tried, of a whole period
SLANTS = (-0.5, -0.25, 0.0, 0.25, 0.5)  # rows a column
REFINEMENTS = 90
HELD = 1e-4  # share of the matrix that holds waves back
USUAL_PERCENT, USUAL_TIMES = 75, 3.0  # of the pairs, by which it is told how much rows change, and times that count
SHORTER_AS_GOOD = 0.93  # share of what the longer period explains that is enough for its half


@dataclass(frozen=True, eq=False)
class Band:
    """A travelling wave of log light.

    Attributes:
        period: of the wave, as a share of the picture's height.
        phase: periods that it goes down from frame to frame, -0.5 to 0.5.
        slant: rows a column by which it leans.
        waves: (CHANNELS, 2 * HARMONICS) cosine and sine of each harmonic.
        explained: share of the change of rows that it explains, 0 to 1.
        depth: share of light between its brightest and its darkest place.
    """

    period: float
    phase: float
    slant: float
    waves: Values
    explained: float
    depth: float

    def at(self, frame: int, rows: Values, columns: Values, channel: int) -> Values:
        """Log light of the band at places in shares of the picture's height.

        Args:
            frame: counted from the shot's first.
            rows: down, any shape.
            columns: across, the same shape.
            channel: 0 to 2.
        """
        wave = (rows + self.slant * columns) / self.period - self.phase * frame
        return np.asarray(_harmonics(wave) @ self.waves[channel])


def _harmonics(wave: Values) -> Values:
    """(..., 2 * HARMONICS) cosines and sines."""
    angle = 2 * np.pi * wave[..., None] * np.arange(1, HARMONICS + 1)
    return np.concatenate([np.cos(angle), np.sin(angle)], axis=-1)


def row_ratios(here: SmallPicture, pair: Pair) -> Rows:
    """(CHANNELS, STRIPS, h) log of light of the second frame over the first, row by row; NaN where little is seen."""
    one, other = here.levels[1:], pair.moved[1:]
    height, width = one.shape[1:]
    out = np.full((CHANNELS, STRIPS, height), np.nan, np.float32)
    for channel in range(CHANNELS):
        seen = pair.both & (one[channel] > DARK) & (other[channel] > DARK)
        seen &= (one[channel] < BRIGHT) & (other[channel] < BRIGHT)
        ratio = np.where(seen, np.log(np.maximum(other[channel], 1.0) / np.maximum(one[channel], 1.0)), np.inf)
        for strip, columns in enumerate(np.array_split(np.arange(width), STRIPS)):
            cells = np.sort(ratio[:, columns], axis=1)
            known = np.isfinite(cells).sum(axis=1)
            middle = cells[np.arange(height), np.maximum(known // 2, 0)]
            out[channel, strip] = np.where(known >= LEAST_PIXELS, middle, np.nan)
    return out


@dataclass(frozen=True, eq=False)
class RowTable:
    """What all pairs of a shot say of rows.

    Attributes:
        first, second: (P,) frames counted from the shot's first.
        ratio: (P, CHANNELS, STRIPS, h) float32.
        aspect: width over height of the picture.
    """

    first: npt.NDArray[np.int64]
    second: npt.NDArray[np.int64]
    ratio: Rows
    aspect: float

    def thinned(self) -> RowTable:
        """With fewer rows, for the search: a band is soft."""
        rows = self.ratio.shape[-1]
        step = max(1, rows // 40)
        return RowTable(self.first, self.second, self.ratio[..., step // 2 :: step], self.aspect)


def found_band(table: RowTable, near: Band | None = None) -> Band | None:
    """The wave that explains the rows best; None where they say nothing.

    Args:
        table: the rows.
        near: a band of the frames before, from which the search begins.
    """
    small = table.thinned()
    if len(small.first) < 4 or not np.isfinite(small.ratio).any():
        return None
    problem = _Problem(small)
    period, phase = problem.searched() if near is None else (near.period, near.phase)
    slants = SLANTS if near is None else (near.slant,)
    slant = max(slants, key=lambda one: problem.explained(period, phase, one))
    best = problem.refined(period, phase, slant)
    if near is None and problem.explained(best[1] / 2, _wrapped(best[2] * 2), best[3]) > 0.5 * best[0]:
        half = problem.refined(best[1] / 2, _wrapped(best[2] * 2), best[3])
        best = half if half[0] > SHORTER_AS_GOOD * best[0] else best
    return problem.band(*best[1:])


def _wrapped(phase: float) -> float:
    return phase - round(phase)


class _Problem:
    """Least squares of the wave over all pairs; what a whole frame changes by is left out of it."""

    def __init__(self, table: RowTable) -> None:
        self._table = table
        rows = table.ratio.shape[-1]
        self._down = (np.arange(rows) + 0.5) / rows
        self._across = (np.arange(STRIPS) + 0.5) / STRIPS * table.aspect
        seen = np.isfinite(table.ratio)
        luma = np.where(seen, table.ratio, 0.0).sum(axis=1) / np.maximum(seen.sum(axis=1), 1)
        self._known = np.asarray(seen.any(axis=1))
        self._luma = _centred(np.where(self._known, luma, 0.0).astype(np.float64), self._known)
        limit = 3.0 * float(np.sqrt(np.mean(np.square(self._luma[self._known])))) if self._known.any() else 1.0
        self._luma = np.clip(self._luma, -limit, limit)
        self._say = _say_of(np.square(self._luma).sum(axis=(1, 2)))
        self._luma *= self._say
        self._power = float(np.square(self._luma).sum())

    def searched(self) -> tuple[float, float]:
        """(period, phase) of the single wave, upright, that explains most."""
        shortest, longest, count = PERIODS
        phases = (np.arange(PHASES) + 0.5) / PHASES - 0.5
        data = self._luma.mean(axis=1)  # (P, h)
        best, most = (1.0, 0.1), -1.0
        for period in np.geomspace(shortest, longest, count):
            down = np.exp(-2j * np.pi * self._down / period)
            down = down - down.mean()
            found = data @ down.conj()  # (P,) of a wave e^(i(y - phase t))
            scale = float(np.sum(np.abs(down) ** 2)) + 1e-9
            for phase in phases:
                step = np.exp(2j * np.pi * phase * self._table.second) - np.exp(2j * np.pi * phase * self._table.first)
                size = float(np.sum(np.abs(step) ** 2)) * scale
                power = abs(np.sum(found * step.conj())) ** 2 / (size + 1e-9)
                if power > most:
                    best, most = (float(period), float(phase)), power
        return best

    def refined(self, period: float, phase: float, slant: float) -> tuple[float, float, float, float]:
        """(explained, period, phase, slant) at the best place near a first guess."""
        from scipy.optimize import minimize  # here: it takes long to load (docs/decisions/007)

        scale = np.array([0.04 * period, 0.004, 0.05])
        start = np.array([period, phase, slant])

        def cost(move: Values) -> float:
            at = start + move * scale
            return -self.explained(float(at[0]), float(at[1]), float(at[2])) if at[0] > 0.1 else 1.0

        options = {"maxfev": REFINEMENTS, "xatol": 1e-2, "fatol": 1e-5}
        found = minimize(cost, np.zeros(3), method="Nelder-Mead", options=options)
        at = start + found.x * scale
        return -float(found.fun), float(at[0]), float(at[1]), float(at[2])

    def explained(self, period: float, phase: float, slant: float) -> float:
        """Share of the change of rows that a wave explains."""
        return self._explained(period, phase, slant)[0]

    def _columns(self, period: float, phase: float, slant: float) -> Values:
        """(P, STRIPS, h, 2 * HARMONICS) what each wave would change rows by, without the whole frame's part."""
        place = (self._down[None, :] + slant * self._across[:, None]) / period
        frames = {
            frame: _harmonics(place - phase * frame) for frame in np.unique([self._table.first, self._table.second])
        }
        columns = np.stack([frames[b] - frames[a] for a, b in zip(self._table.first, self._table.second, strict=True)])
        return self._say[..., None] * _centred(np.where(self._known[..., None], columns, 0.0), self._known)

    def _explained(self, period: float, phase: float, slant: float) -> tuple[float, Values]:
        if self._power <= 0:  # rows change on few pairs or on none: no wave goes through them
            return 0.0, np.zeros(2 * HARMONICS)
        columns = self._columns(period, phase, slant).reshape(-1, 2 * HARMONICS)
        right = self._luma.reshape(-1)
        waves = _waves(columns, right)
        left = right - columns @ waves
        return 1.0 - float(left @ left) / self._power, waves

    def band(self, period: float, phase: float, slant: float) -> Band:
        """The wave with its channels."""
        explained, _ = self._explained(period, phase, slant)
        columns = self._columns(period, phase, slant)
        waves = np.zeros((CHANNELS, 2 * HARMONICS))
        for channel in range(CHANNELS):
            ratio = self._table.ratio[:, channel].astype(np.float64)
            known = np.isfinite(ratio) & self._known
            right = (self._say * _centred(np.where(known, ratio, 0.0), known))[known]
            waves[channel] = _waves(columns[known], right)
        wave = _harmonics(np.linspace(0, 1, 200)) @ waves.mean(axis=0)
        return Band(period, _wrapped(phase), slant, waves, explained, float(1 - np.exp(wave.min() - wave.max())))


def _say_of(powers: Values) -> Values:
    """(P, 1, 1) how much each pair of frames has to say: a band goes through all of them, a flash is in a few."""
    usual = USUAL_TIMES * float(np.percentile(powers, USUAL_PERCENT)) if len(powers) else 0.0
    return np.asarray(np.sqrt(np.minimum(1.0, usual / np.maximum(powers, 1e-12))))[:, None, None]


def _waves(columns: Values, right: Values) -> Values:
    """Least squares, held back a little where nothing speaks for a wave; no wave where nothing is known."""
    matrix = columns.T @ columns
    if not np.trace(matrix):
        return np.zeros(len(matrix))
    held = HELD * np.trace(matrix) / len(matrix) * np.eye(len(matrix))
    return np.asarray(np.linalg.solve(matrix + held, columns.T @ right))


def _centred(values: Values, known: npt.NDArray[np.bool_]) -> Values:
    """Without the mean of each pair over what is known: what the whole frame changes by is no band."""
    wide = known if values.ndim == known.ndim else known[..., None]
    axes = (1, 2)
    mean = values.sum(axis=axes, keepdims=True) / np.maximum(wide.sum(axis=axes, keepdims=True), 1)
    return np.asarray(np.where(wide, values - mean, 0.0))
