"""How frames repeat: which cadence, and what the true rate is."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.repeats import CONTEXT, DIP

Curve = npt.NDArray[np.float32]

PERIODS = (2, 5, 6)
REGULAR_SHARE = 0.85  # of the frames at one phase of a period that have to repeat
STRAY_SHARE = 0.05  # of the others that may
FEWEST_PERIODS = 4
IRREGULAR_SHARE = 0.03  # of all frames, from which repeats without a period are a cadence of their own kind
NTSC = Fraction(30000, 1001)


@dataclass(frozen=True)
class Cadence:
    """A cadence.

    Attributes:
        name: as in docs/formats.md.
        period: frames after which it comes again; None where there is none.
        true_rate: frames per second without the repeats.
        confidence: 0..1, share of the frames that keep to it.
    """

    name: str
    period: int | None
    true_rate: Fraction
    confidence: float

    def data(self) -> dict[str, Any]:
        """Plain data."""
        rate = f"{self.true_rate.numerator}/{self.true_rate.denominator}"
        return {"name": self.name, "period": self.period, "true_rate": rate, "confidence": round(self.confidence, 3)}


def repeats_of(change: Curve) -> npt.NDArray[np.bool_]:
    """(N,) bool: frames that repeat the one before, exactly or nearly (`measure.repeats` over the whole curve).

    Args:
        change: (N,) mean of the largest block changes; NaN at cuts and beside unreadable frames.
    """
    result = np.zeros(len(change), np.bool_)
    for place in np.nonzero(~np.isnan(change))[0]:
        if change[place] == 0:
            result[place] = True
            continue
        before, after = change[max(0, place - CONTEXT) : place], change[place + 1 : place + 1 + CONTEXT]
        known = [side[~np.isnan(side)] for side in (before, after)]
        if len(known[0]) and len(known[1]):
            result[place] = change[place] < DIP * min(known[0].max(), known[1].max())
    return result


def cadence_of(change: Curve, frames: range, rate: Fraction) -> Cadence:
    """The cadence of a run of frames."""
    repeats, known = repeats_of(change), ~np.isnan(change)
    share = float(repeats[known].mean()) if known.any() else 0.0
    best = max((_fit(repeats, known, period) for period in PERIODS), default=(0.0, 0))
    if best[0] > 0:
        period = best[1]
        return Cadence(_name(period, rate), period, rate * (period - 1) / period, best[0])
    if share > IRREGULAR_SHARE:
        return Cadence("irregular", None, rate * Fraction(round(1000 * (1 - share)), 1000), share)
    return Cadence("none", None, rate, 1.0 - share)


def _fit(repeats: npt.NDArray[np.bool_], known: npt.NDArray[np.bool_], period: int) -> tuple[float, int]:
    """(share of frames that keep to it, period); (0, period) where the period does not hold."""
    places = np.arange(len(repeats))
    if known.sum() < FEWEST_PERIODS * period:
        return 0.0, period
    for phase in range(period):
        at, off = known & (places % period == phase), known & (places % period != phase)
        if at.any() and repeats[at].mean() >= REGULAR_SHARE and repeats[off].mean() <= STRAY_SHARE:
            kept = float((repeats[at].sum() + (~repeats[off]).sum()) / known.sum())
            return kept, period
    return 0.0, period


def _name(period: int, rate: Fraction) -> str:
    if period == 2:
        return "12.5 in 25" if rate == 25 else "2:2"
    ntsc = abs(float(rate / NTSC) - 1) < 0.002
    if period == 5 and ntsc:
        return "24 in 29.97"
    if period == 6 and ntsc:
        return "25 in 29.97"
    return "irregular"
