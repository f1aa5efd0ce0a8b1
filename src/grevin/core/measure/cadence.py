"""How frames repeat: which cadence, and what the true rate is."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.film_over_fields import FIELD_PERIOD
from grevin.core.measure.phases import FEWEST_PERIODS, PERIODS
from grevin.core.measure.repeats import CONTEXT, DIP, DISPLACED_SHARE

Curve = npt.NDArray[np.float32]
Flags = npt.NDArray[np.bool_]

REGULAR_SHARE = 0.85  # of the frames at one phase of a period that have to repeat
STRAY_SHARE = 0.1  # of the others that may: drawn animation holds pictures of its own
FIELD_STRAYS = 0.12  # a field has half the lines to tell by
IRREGULAR_SHARE = 0.03  # of all frames, from which repeats without a period are a cadence of their own kind
FEWEST_REPEATS = 3
WHOLE_SHARE = 0.85  # of the frames that can be told, from which the cadence of shots is that of the reel
# Own measurements on eighteen open clips, seven patterns, eight kinds of noise and compression
WIDE_CONTEXT = 12  # frames on either side that a repeat is judged against, so that a freeze sees beyond its end
HAND_DISPLACED = 0.3  # share of their change that most frames of a moving camera have from displacement
FEW_ABOVE = 0.5  # changes up to twice a limit for each below it; one and more where all sizes are as frequent
NEAR_CONTEXT = 2  # frames on either side whose ways are those of the same motion
LEAST_WAY = 0.25  # of the way of the calmer side, below which a way counts as that much
DONE = 0.06  # share of the way; repeats do 0, those of a worn freeze up to .09, frames of their own .2 and more
DUE_DONE = 0.3  # share of the way from which a frame is none of a cadence, though it is due
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


def repeats_of(change: Curve, displaced: Curve | None = None) -> Flags:
    """(N,) bool: frames that repeat the one before, exactly or nearly (`measure.repeats` over the whole curve).

    Args:
        change: (N,) mean of the largest block changes; NaN at cuts and beside unreadable frames.
        displaced: (N,) share of the change that one displacement explains, where that was looked at.
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
    return result if displaced is None else np.asarray(result & ~(displaced > DISPLACED_SHARE))


def cadences_of_shots(
    series: dict[str, Curve], frames: range, cuts: list[int], rate: Fraction
) -> list[tuple[int, int, Cadence]]:  # fmt: skip
    """First frame, last frame and cadence of each shot."""
    result = []
    for first, stop in pairwise([frames.start, *cuts, frames.stop]):
        part = slice(first - frames.start, stop - frames.start)
        fields = [series[name][part] for name in ("change_top", "change_bottom")]
        change, displaced = (series[name][part] for name in ("change_largest", "change_displaced"))
        result.append((first, stop - 1, cadence_of_shot(change, displaced, fields, rate)))
    return result


def cadence_of(shots: list[tuple[int, int, Cadence]], rate: Fraction) -> Cadence:
    """The cadence of a reel from those of its shots: that of nearly all frames, or "irregular"."""
    lengths: Counter[tuple[str, int | None]] = Counter()
    rates: dict[tuple[str, int | None], Cadence] = {}
    telling = [shot for shot in shots if shot[1] - shot[0] >= FEWEST_PERIODS * PERIODS[0]] or shots
    for first, last, cadence in telling:
        lengths[cadence.name, cadence.period] += last - first + 1
        rates[cadence.name, cadence.period] = cadence
    if not lengths:
        return Cadence("none", None, rate, 0.0)
    best, count = lengths.most_common(1)[0]
    share = count / lengths.total()
    if share < WHOLE_SHARE:
        kept = sum((last - first + 1) * float(one.true_rate / rate) for first, last, one in shots)
        frames = sum(last - first + 1 for first, last, _ in shots)
        return Cadence("irregular", None, rate * Fraction(round(1000 * kept / frames), 1000), 1.0 - share)
    found = rates[best]
    return Cadence(found.name, found.period, found.true_rate, share * found.confidence)


def of_period(period: int, rate: Fraction, confidence: float) -> Cadence:
    """The cadence in which one frame of so many repeats."""
    return Cadence(_name(period, rate), period, rate * (period - 1) / period, confidence)


def repeats_of_shot(change: Curve, displaced: Curve) -> tuple[Flags, tuple[float, int, int] | None]:
    """Repeats of a run of frames without a cut, and how regularly they come (`regular`)."""
    repeats = repeats_of(change, displaced)
    found = regular(repeats, ~np.isnan(change))
    return (repeats if found else standing_apart(change, displaced, repeats)), found


def cadence_of_shot(change: Curve, displaced: Curve, fields: list[Curve], rate: Fraction) -> Cadence:
    """The cadence of a run of frames without a cut.

    Args:
        change: change of the whole frames.
        displaced: share of it that one displacement explains.
        fields: that of the top and of the bottom fields.
        rate: frames per second.
    """
    known = ~np.isnan(change)
    repeats, found = repeats_of_shot(change, displaced)
    if found is not None:
        confidence, period, _ = found
        return of_period(period, rate, confidence)
    spread = _over_fields(fields)
    if spread > 0:
        return Cadence("3:2 fields", FIELD_PERIOD, rate * (FIELD_PERIOD - 1) / FIELD_PERIOD, spread)
    return of_repeats(repeats, known, rate)


def of_repeats(repeats: Flags, known: Flags, rate: Fraction) -> Cadence:
    """The cadence of repeats that come without a period: irregular, or none."""
    share = float(repeats[known].mean()) if known.any() else 0.0
    if share > IRREGULAR_SHARE and repeats.sum() >= FEWEST_REPEATS:
        return Cadence("irregular", None, rate * Fraction(round(1000 * (1 - share)), 1000), share)
    return Cadence("none", None, rate, 1.0 - share)


def regular(repeats: Flags, known: Flags) -> tuple[float, int, int] | None:
    """(confidence, period, phase) where repeats come regularly, None where they do not."""
    fits = [(*_fit(repeats, known, period, STRAY_SHARE), period) for period in PERIODS]
    confidence, phase, period = max(fits)
    return (confidence, period, phase) if confidence > 0 else None


def _over_fields(fields: list[Curve]) -> float:
    """Confidence that film lies over fields."""
    fits = _field_fits(fields)
    return min(fit[0] for fit in fits) if fits else 0.0


def field_phases(fields: list[Curve]) -> tuple[int, int] | None:
    """The frames, modulo five, in which the top and the bottom field repeat; None where no film lies over fields.

    Args:
        fields: change of the top and of the bottom fields.
    """
    fits = _field_fits(fields)
    return (fits[0][1], fits[1][1]) if fits else None


def _field_fits(fields: list[Curve]) -> list[tuple[float, int]]:
    """(confidence, phase) of each kind of field; each repeats once in five frames, two or three apart."""
    flags = [repeats_of(change) for change in fields]
    both = flags[0] & flags[1]
    if not len(both) or both.mean() > STRAY_SHARE:
        return []
    fits = [
        _fit(flag & ~both, ~np.isnan(change), FIELD_PERIOD, FIELD_STRAYS)
        for flag, change in zip(flags, fields, strict=True)
    ]
    apart = (fits[0][1] - fits[1][1]) % FIELD_PERIOD
    return fits if apart in {2, 3} and min(fit[0] for fit in fits) > 0 else []


def done_shares(shared: Curve, whole: Curve) -> Curve:
    """(N,) share of the way over three frames that each frame does (`measure.repeats.step_done`).

    Where next to nothing moves, as within a freeze, the way is that of the calmer side around: what a codec still
    refines is no step.

    Args:
        shared: (N,) squared 8-bit levels; NaN at cuts and beside unreadable frames.
        whole: likewise.
    """
    least = _least_ways(whole, WIDE_CONTEXT)
    return np.asarray(shared / np.maximum(np.maximum(whole, least), np.float32(1e-6)), np.float32)


def _least_ways(whole: Curve, reach: int) -> Curve:
    """(N,) what each way is expected to be at least, by those of so many frames around; NaN where it is not known."""
    result = np.full(len(whole), np.nan, np.float32)
    for place in np.flatnonzero(~np.isnan(whole)):
        sides = _largest_around(whole, int(place), reach)
        around = [largest for largest in sides if largest is not None]
        result[place] = LEAST_WAY * float(min(around) if around else whole[place])
    return result


def alone_of_its_own(change: Curve, shared: Curve, whole: Curve, flags: Flags) -> Flags:
    """(N,) bool: single near repeats that do a part of their own way, or lie in none: the picture is slow, or rests.

    A repeat lies in a way that goes on: two steps of it where the frames around have two or three, and it does
    nothing of that. What is slow against the frames a second away looks the same. Within a freeze, where no way is
    left to tell by, others stand beside it.
    """
    wide = np.pad(flags, 1)
    beside = wide[:-2] | wide[2:]
    least = _least_ways(whole, NEAR_CONTEXT)
    rests = (whole < least) | (np.abs(shared) >= DONE * np.maximum(whole, least))
    return np.asarray(flags & (change > 0) & ~beside & rests)


def surely_repeated(change: Curve, done: Curve, displaced: Curve, dip: float = DIP) -> Flags:
    """(N,) bool: frames equal to the one before, or that change little against both sides and do nothing of the way."""
    result = np.asarray(change == 0)
    for place in np.flatnonzero(~np.isnan(change) & (np.abs(done) < DONE) & (displaced <= DISPLACED_SHARE)):
        before, after = _largest_around(change, int(place), WIDE_CONTEXT)
        if before is not None and after is not None:
            result[place] |= bool(change[place] < dip * min(before, after))
    return result


def standing_apart(change: Curve, displaced: Curve, flags: Flags) -> Flags:
    """The flags (N,), less near repeats that are but the small end of changes of all sizes: a camera held in hand.

    Where most changes are displacements, near repeats are taken up to the largest that hardly any change lies just
    above: in between it and twice as much.
    """
    others, near = flags < ~np.isnan(change), flags & (change > 0)
    if not near.any() or not others.any() or float(np.median(displaced[others])) <= HAND_DISPLACED:
        return flags
    share = _shares_of_around(change)
    kept = 0.0
    for limit in np.sort(share[near]):
        above = int(((share > limit) & (share < 2 * limit)).sum())
        if above < FEW_ABOVE * int((share[near] <= limit).sum()):
            kept = float(limit)
    return np.asarray(flags & ~(near & (share > kept)))


def _shares_of_around(change: Curve) -> Curve:
    """(N,) each change over the largest one of the calmer side; NaN where it is not known."""
    result = np.full(len(change), np.nan, np.float32)
    for place in np.flatnonzero(~np.isnan(change)):
        sides = [side for side in _largest_around(change, int(place), WIDE_CONTEXT) if side is not None]
        result[place] = change[place] / max(min(sides, default=float(change[place])), 1e-6)
    return result


def _largest_around(curve: Curve, place: int, reach: int) -> tuple[float | None, float | None]:
    """The largest known value within so many frames before, and after."""
    sides = curve[max(0, place - reach) : place], curve[place + 1 : place + 1 + reach]
    known = [side[~np.isnan(side)] for side in sides]
    first, second = (float(side.max()) if len(side) else None for side in known)
    return first, second


def _fit(repeats: Flags, known: Flags, period: int, strays: float) -> tuple[float, int]:
    """(share of frames that keep to it, phase); (0, 0) where the period does not hold."""
    places = np.arange(len(repeats))
    if known.sum() < FEWEST_PERIODS * period:
        return 0.0, 0
    for phase in range(period):
        at, off = known & (places % period == phase), known & (places % period != phase)
        if at.any() and repeats[at].mean() >= REGULAR_SHARE and repeats[off].mean() <= strays:
            return float((repeats[at].sum() + (~repeats[off]).sum()) / known.sum()), phase
    return 0.0, 0


def _name(period: int, rate: Fraction) -> str:
    if period == 2:
        return "12.5 in 25" if rate == 25 else "2:2"
    ntsc = abs(float(rate / NTSC) - 1) < 0.002
    if period == 5 and ntsc:
        return "24 in 29.97"
    if period == 6 and ntsc:
        return "25 in 29.97"
    return "irregular"
