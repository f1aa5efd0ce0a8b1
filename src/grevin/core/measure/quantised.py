"""Whether a picture was coded by itself: the cosine coefficients of its blocks are then whole multiples of few steps.

What a codec foretells from other pictures and corrects has no such comb, nor has what was scaled, graded or coded again
afterwards (Fan and de Queiroz 2003, "Identification of bitmap compression history: JPEG detection and quantizer
estimation", from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

SIDE = 8  # px of a block: JPEG, MPEG-1, 2 and 4, DV
PLACES = ((0, 1), (1, 0), (1, 1), (0, 2), (2, 0))  # (down, across) coefficients: finer ones are mostly nothing
STEPS = np.arange(3.0, 64.0, 1.0)  # levels between multiples; below, rounding of the decoded samples hides them
BIN, REACH = 0.25, 512.0  # levels of the coefficients that are told apart, and up to which they are looked at
LEAST = 0.6  # steps: what is nearer to nothing is a multiple of everything
FEWEST = 60  # coefficients that say something of a step
CHANCE = 3.0  # standard errors that are left off
# share of the pictures from which all were coded so, and share of the greatest comb that each of them has
MOST, ALIKE = 0.8, 0.7
NEAR = 2  # pictures around of which it is the most combed one
RISE, SHARE = 0.15, 0.4  # over the picture before, and of the greatest comb: pictures behind one keep some of its comb,
# the more so the less moves, and hold a few blocks that were coded by themselves
COMBED = 0.2  # from which a picture was coded by itself: clean open clips reach .13, most coded ones .22 (by hand)

Luma = npt.NDArray[np.float32]


def combed(luma: Luma, right: int = 0, down: int = 0) -> float:
    """How far the coefficients of a picture's blocks are whole multiples: about 0 by chance, 1 for all.

    Args:
        luma: (H, W) float32, 8-bit levels.
        right: px of the first border of blocks from the left, below 8.
        down: px of it from the top.
    """
    part = luma[down:, right:]
    rows, columns = (length // SIDE * SIDE for length in part.shape)
    if not rows or not columns:
        return 0.0
    blocks = part[:rows, :columns].reshape(rows // SIDE, SIDE, columns // SIDE, SIDE).swapaxes(1, 2)
    basis = cv2.dct(np.eye(SIDE, dtype=np.float32), flags=cv2.DCT_ROWS).T
    return float(np.mean([_best(np.einsum("abij,i,j->ab", blocks, basis[y], basis[x])) for y, x in PLACES]))


@dataclass(frozen=True)
class Coded:
    """How the pictures of a run were coded.

    Attributes:
        each: whether each by itself.
        whole: else the places in the run of those that were.
    """

    each: bool = False
    whole: tuple[int, ...] = ()

    @property
    def group(self) -> int:
        """Pictures from one that was coded by itself to the next, mostly; 0 where none is told."""
        lengths, counts = np.unique(np.diff(self.whole), return_counts=True)
        return int(lengths[counts.argmax()]) if len(lengths) else 0


def coded_as(combs: npt.NDArray[np.floating]) -> Coded:
    """What the combs of a run of pictures, one after the other, say together."""
    most = float(np.max(combs, initial=0.0))
    if most < COMBED:
        return Coded()
    if np.mean(combs >= max(COMBED, ALIKE * most)) >= MOST:
        return Coded(each=True)
    before = np.append(combs[1:2], combs[:-1])  # the first is held against the one behind it
    around = np.lib.stride_tricks.sliding_window_view(np.pad(combs, NEAR), 2 * NEAR + 1).max(axis=1)
    is_whole = (combs == around) & (combs - before >= RISE) & (combs >= max(COMBED, SHARE * most))
    return Coded(whole=tuple(int(place) for place in np.flatnonzero(is_whole)))


def _best(coefficients: Luma) -> float:
    """Of the step whose multiples they are most, less what chance gives."""
    waves, counted, edges = _waves()
    histogram = np.histogram(np.abs(coefficients), edges)[0].astype(np.float64)
    count = np.maximum(counted @ histogram, 1.0)
    found = waves @ histogram / count - CHANCE / np.sqrt(2.0 * count)
    return max(0.0, float(found[count >= FEWEST].max(initial=0.0)))


@cache
def _waves() -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """For every step a wave that is 1 at its multiples, over bins of coefficients; which of them count; their edges."""
    edges = np.arange(-BIN / 2, REACH, BIN)
    middles = (edges[1:] + edges[:-1]) / 2
    counted = (middles[None] > LEAST * STEPS[:, None]).astype(np.float64)
    return np.cos(2 * np.pi * middles[None] / STEPS[:, None]) * counted, counted, edges
