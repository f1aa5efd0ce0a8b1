"""Curves of light: how each frame of a shot would have to change so that all of them show things at one level.

All pairs of frames are solved together, robustly: a chain of pairs alone loses contrast and drifts.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]

FOOT = 16.0  # 8-bit levels added before the logarithm: dark levels do not run away
TERMS = 4  # Legendre polynomials a frame: gain, offset, gamma and one more
ROUNDS = 4
CAUCHY_LEVELS = 1.0  # 8-bit levels of disagreement at which a pair counts half
HELD = 1e-6, 1e-5  # shares of the matrix that hold gain, and the bent terms, back where nothing speaks for them
LOWEST_U, HIGHEST_U = np.log(FOOT), np.log(255.0 + FOOT)


@dataclass(frozen=True, eq=False)
class PairTable:
    """What all pairs of a shot said.

    Attributes:
        first: (P,) int, the earlier frame, counted from the shot's first.
        second: (P,) int, the later one.
        levels: (P, C, K, 2) float32 levels that stand for each other.
    """

    first: npt.NDArray[np.int64]
    second: npt.NDArray[np.int64]
    levels: npt.NDArray[np.float32]


def terms(levels: npt.NDArray[np.floating]) -> Values:
    """(..., TERMS) polynomials at levels; below and above what can be they go on evenly."""
    u = (np.log(np.clip(levels, 0.0, 255.0) + FOOT) - LOWEST_U) / (HIGHEST_U - LOWEST_U) * 2.0 - 1.0
    return np.stack([np.ones_like(u), u, 1.5 * u**2 - 0.5, 2.5 * u**3 - 1.5 * u], axis=-1).astype(np.float64)


def solved(length: int, table: PairTable, channel: int) -> Values:
    """(length, TERMS) what is to be added to log(level + FOOT) of each frame; in the mean over the frames nothing.

    That the mean is nothing is part of what is solved, not taken off behind it: a curve that brings all levels of all
    frames to one makes every pair agree, and without it whatever is wrong in the pairs draws the solution there.

    Args:
        length: frames of the shot.
        table: its pairs.
        channel: which of the table's channels.
    """
    values = table.levels[:, channel].astype(np.float64)
    one, other = terms(values[..., 0]), terms(values[..., 1])
    away = np.log(values[..., 1] + FOOT) - np.log(values[..., 0] + FOOT)
    in_levels = 0.5 * (values[..., 0] + values[..., 1]) + FOOT
    found = np.zeros((length, TERMS))
    weight = np.ones_like(away)
    for _ in range(ROUNDS):
        found = _round(length, table, one, other, away, weight * in_levels**2)
        left = (one * found[table.first][:, None]).sum(-1) - (other * found[table.second][:, None]).sum(-1) - away
        weight = 1.0 / (1.0 + np.square(left * in_levels / CAUCHY_LEVELS))
    return found


def _round(length: int, table: PairTable, one: Values, other: Values, away: Values, weight: Values) -> Values:
    """Weighted least squares; the matrix is a band, for only near frames meet."""
    from scipy.linalg import solveh_banded  # here: it takes long to load (docs/decisions/007)

    reach = int((table.second - table.first).max(initial=1))
    band = TERMS * (reach + 1)
    matrix = np.zeros((band, length * TERMS))
    right = np.zeros((length, TERMS))
    blocks = (
        (table.first, table.first, one, one, 1.0), (table.second, table.second, other, other, 1.0),
        (table.second, table.first, other, one, -1.0),
    )  # fmt: skip
    for row, column, left, up, sign in blocks:
        block = sign * np.einsum("pk,pki,pkj->pij", weight, left, up)
        for i in range(TERMS):
            for j in range(TERMS):
                down = TERMS * (row - column) + i - j
                kept = down >= 0
                np.add.at(matrix, (down[kept], TERMS * column[kept] + j), block[kept, i, j])
    np.add.at(right, table.first, np.einsum("pk,pki,pk->pi", weight, one, away))
    np.add.at(right, table.second, -np.einsum("pk,pki,pk->pi", weight, other, away))
    scale = float(matrix[0].mean()) or 1.0
    matrix[0] += np.tile(scale * np.array([HELD[0], *[HELD[1]] * (TERMS - 1)]), length)
    means = np.tile(np.eye(TERMS), (length, 1))
    free = solveh_banded(matrix, np.column_stack([right.ravel(), means]), lower=True)
    share = np.linalg.solve(means.T @ free[:, 1:], means.T @ free[:, 0])  # Lagrange multipliers: the mean is nothing
    return np.asarray((free[:, 0] - free[:, 1:] @ share).reshape(length, TERMS))


def compared_levels(length: int, table: PairTable, channel: int) -> tuple[Values, Values]:
    """(length,) lowest and highest level of each frame that was compared: its curve says nothing of others.

    A frame so dark that one of its colours is black all over has a curve at that one level.
    """
    lowest, highest = np.full(length, 255.0), np.zeros(length)
    for frames, end in ((table.first, 0), (table.second, 1)):
        levels = table.levels[:, channel, :, end].astype(np.float64)
        np.minimum.at(lowest, frames, levels[:, 0])
        np.maximum.at(highest, frames, levels[:, -1])
    return np.minimum(lowest, highest), highest


def changes(coefficients: Values, levels: npt.NDArray[np.floating]) -> Values:
    """(T, L) by how many 8-bit levels curves change levels."""
    factor = np.exp(coefficients @ terms(levels).T)
    return np.asarray((levels + FOOT) * (factor - 1.0))
