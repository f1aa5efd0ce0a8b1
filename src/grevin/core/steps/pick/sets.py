"""Capture sets: which captures show the same film frame, and which show the film on its way to the next.

A capture that changes little against the one before belongs to its set; one that differs from both neighbours is a
transition picture, a blend of two film frames. What is little and what is much is told by the reel itself (Otsu 1979,
on the logarithm of the change). A jolt of the camera returns and a film step does not: the least change between a few
captures on either side of a border tells them apart.

Where the film only pans, captures moved onto each other are all alike. Then the places that the camera points at tell:
they tremble about one place for each film frame, and step from one to the next. That is believed only where it is much
likelier than a steady motion.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from grevin.core.steps.pick.division import (
    SAID_BY_HAND,
    CaptureSet,
    Curve64,
    Division,
    Rhythm,
    best_division,
)
from grevin.core.steps.pick.looking import LAGS, Curve

__all__ = ["Borders", "CaptureSet", "Levels", "levels_of", "sets_in"]

LEAST_CHANGE = 0.02  # 8-bit levels, so that equal pictures have a logarithm
LEAST_BETWEEN = 0.3  # 8-bit levels of change between two sets: what codecs leave in a still picture is less
APART = 1.5  # times: the usual change between sets over that within one, from which there are sets at all
SIDES = (3, 2, 1)  # captures on either side of a border that are compared
FEWEST_SETS = 3
AGREED = 0.85  # share of what speaks for and against borders that a division has to follow
STEADY = -0.25  # log-likelihood a capture for sets over a steady motion, below which the path speaks against sets
MOST_SAID = 3.0  # how much one change can speak for or against a border
LOWEST_MIDDLE = 0.3  # of the way from the usual change within a set to that between two

SHORTEST, LONGEST = 2, 30  # captures of a set, where only the path tells
STRETCHES, STRETCH = 3, 300  # parts of a reel on which the length of its sets is tried, captures each
LEAST_TREMBLE_PX = 0.02  # of the small picture; from memory: a shift is measured no better
MEDIAN_SQUARE = 0.455  # of a normal variable (chi-squared of one degree)
CHANCE, SURELY = 2.0, 10.0  # log-likelihood that a set gains by its choice of borders, and that has to be beyond that
DRIFT = 0.2  # log of the scatter within sets over that about a line: above it the sets themselves move
UNEVEN = 0.3  # standard deviation of the lengths of sets over their mean: a shaken camera steps without a rhythm
STEP_SCATTERS, STEPPING = 2.5, 0.8  # standard errors of a step that is one; share of the borders that have one


@dataclass(frozen=True)
class Borders:
    """A person's word on borders.

    Attributes:
        begins: captures that begin a film frame.
        joins: captures that begin none.
    """

    begins: tuple[int, ...] = ()
    joins: tuple[int, ...] = ()

    def onto(self, border: Curve64) -> Curve64:
        """What speaks for a border before each capture, once a person has spoken."""
        said = border.copy()
        for numbers, word in ((self.joins, -SAID_BY_HAND), (self.begins, SAID_BY_HAND)):
            inside = [number for number in numbers if 0 < number < len(border)]
            said[inside] = word
        return said


@dataclass(frozen=True)
class Levels:
    """The usual logarithm of the change within a set, between two, and where neither is likelier."""

    within: float
    middle: float
    between: float

    def border(self, changes: Curve) -> Curve64:
        """(N,) how much speaks for a border before each capture: about 2 between sets, -2 within, 0 for neither."""
        told = np.nan_to_num(np.log(changes + LEAST_CHANGE) - self.middle)
        reach = np.where(told < 0, self.middle - self.within, self.between - self.middle) / 2
        return np.asarray(np.clip(told / reach, -MOST_SAID, MOST_SAID))


def levels_of(changes: Curve) -> Levels | None:
    """What is little and what is much (Otsu 1979 on logarithms); None where all is about the same.

    Captures of one film frame differ by noise, always about as much; film frames differ by all sorts of motion. So the
    middle lies as many standard deviations from the one as from the other.
    """
    logs = np.sort(np.log(changes[~np.isnan(changes)] + LEAST_CHANGE))
    count = len(logs)
    if count < 2 * FEWEST_SETS:
        return None
    sums, total = np.cumsum(logs), float(logs.sum())
    below = np.arange(1, count)
    low, high = sums[:-1] / below, (total - sums[:-1]) / (count - below)
    best = int(np.argmax(below * (count - below) * np.square(high - low)))
    within, between = float(low[best]), float(high[best])
    if between - within < np.log(APART) or between < np.log(LEAST_BETWEEN):
        return None
    spread, beyond = float(logs[: best + 1].std()), float(logs[best + 1 :].std())
    share = min(max(spread / max(spread + beyond, 1e-9), LOWEST_MIDDLE), 0.5)
    return Levels(within, within + share * (between - within), between)


def sets_in(
    changes: Curve, way: Curve64, captures: int, vary: int, said: Borders = Borders()
) -> tuple[list[CaptureSet], list[int]]:  # fmt: skip
    """The sets of a run of captures, and the transition pictures between them.

    Args:
        changes: (N, LAGS) change of each capture against those before it, tremble taken out; NaN for none.
        way: (N, 2) px that each lies right and down of the one before.
        captures: of each film frame, 0 where that is to be found.
        vary: by how many a set may differ from that.
        said: a person's word on borders.

    Returns:
        Sets in order, none where the captures are no sets; numbers of transition pictures.
    """
    path = np.cumsum(way, axis=0)
    found = _told_by_change(changes, path, captures, vary, said)
    if found is None:
        found = _told_by_path(path, captures, vary, said)
    return (found.sets, found.transitions) if found is not None else ([], [])


def _told_by_change(changes: Curve, path: Curve64, captures: int, vary: int, said: Borders) -> Division | None:
    """The division by the furthest looking opinion on change that it follows; None where no sets are clear."""
    for side in SIDES:
        lasting = _lasting(changes, side)
        if (levels := levels_of(lasting)) is None:
            continue
        border = levels.border(lasting)
        found = _divided(border, captures, vary)
        if found is None or _agreement(border, found) < AGREED:
            continue
        if _likelier(path, found.sets) < STEADY * len(path) or (not captures and _uneven(found.sets)):
            continue
        return _divided(said.onto(border), captures, vary) if said != Borders() else found
    return None


def _lasting(changes: Curve, side: int) -> Curve:
    """(N,) the least change between any of so many captures before each place and any from there on."""
    count = len(changes)
    least = np.full(count, np.nan, np.float32)
    for before in range(1, side + 1):
        for after in range(side):
            lag = before + after
            if lag <= LAGS and lag < count:
                least[before : count - after] = np.fmin(least[before : count - after], changes[lag:, lag - 1])
    return least


def _divided(border: Curve64, captures: int, vary: int) -> Division | None:
    """The division that the borders speak for; None where they make no sets."""
    runs = _plain_runs(border > 0)
    alone = sum(stop - first == 1 for first, stop in runs[1:-1])
    lengths = [stop - first for first, stop in runs[1:-1] if stop - first > 1]
    if len(lengths) < FEWEST_SETS or len(runs) > len(border) / 2:
        return None
    rhythm = Rhythm(captures or _usual_length(np.array(lengths)), vary, alone > 0.5 * len(lengths))
    found = best_division(border, rhythm)
    if not captures and len(found.sets) > 2:  # jolts had cut some short; and the reel tells how much its sets vary
        inner = [len(one) for one in found.sets[1:-1]]
        usual = int(np.median(inner))
        spread = int(np.ceil(max(abs(edge - usual) for edge in np.percentile(inner, (5, 95)))))
        found = best_division(border, replace(rhythm, usual=usual, vary=max(vary, min(spread, usual - 1))))
    return found


def _usual_length(lengths: npt.NDArray[np.int64]) -> int:
    """The length of the run that a capture usually lies in: jolts make many short runs, which hold few captures."""
    ordered = np.sort(lengths)
    return int(ordered[np.searchsorted(np.cumsum(ordered), ordered.sum() / 2)])


def _plain_runs(border: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    starts = [0, *(int(place) for place in np.flatnonzero(border) if place)]
    return list(pairwise([*starts, len(border)]))


def _agreement(border: Curve64, found: Division) -> float:
    """-1..1, how much of what speaks for or against borders the division follows."""
    followed = np.where(found.borders(len(border)), border, -border)[1:]
    return float(followed.sum() / max(float(np.abs(border[1:]).sum()), 1e-9))


def _told_by_path(path: Curve64, captures: int, vary: int, said: Borders) -> Division | None:
    """The division into places that the camera steps between; None where a steady motion is as likely."""
    if len(path) < 2 * FEWEST_SETS:
        return None
    places = path / _tremble(path)
    found = best_division(said.onto(np.zeros(len(path))), _rhythm_of(places, captures, vary), places)
    if len(found.sets) < FEWEST_SETS:
        return None
    if not captures and not _steps(path, found.sets):
        return None
    return found


def _tremble(path: Curve64) -> float:
    """Standard deviation of where the camera points, px an axis: most captures lie in one set with the one before."""
    apart = np.square(np.diff(path, axis=0))
    return max(LEAST_TREMBLE_PX, float(np.sqrt(np.median(apart) / MEDIAN_SQUARE / 2)))


def _rhythm_of(places: Curve64, captures: int, vary: int) -> Rhythm:
    """How long sets have to be for the places to be likeliest, tried on a few stretches of the reel."""
    starts = np.unique(np.linspace(0, max(0, len(places) - STRETCH), STRETCHES).astype(int))
    stretches = [places[start : start + STRETCH] for start in starts]
    lengths = [captures] if captures else range(SHORTEST, min(LONGEST, len(places) // FEWEST_SETS) + 1)
    rhythms = [Rhythm(usual, vary, transitions) for usual in lengths for transitions in (True, False)]
    return max(rhythms, key=lambda one: sum(best_division(np.zeros(len(s)), one, s).value for s in stretches))


def _steps(path: Curve64, sets: list[CaptureSet]) -> bool:
    """Whether the path stands within sets and steps between them, much rather than that it moves on steadily."""
    if _likelier(path, sets) < CHANCE * len(sets) + SURELY or _drift(path, sets) > DRIFT:
        return False
    if _uneven(sets):
        return False
    squares, free = _scatter(path, sets)
    means = np.array([path[one.first : one.stop].mean(axis=0) for one in sets])
    shares = np.array([1 / len(one) for one in sets])
    errors = np.sqrt(squares / max(1, free) * (shares[1:] + shares[:-1]))
    sizes = np.linalg.norm(np.diff(means, axis=0), axis=1)
    return float((sizes > STEP_SCATTERS * np.maximum(errors, LEAST_TREMBLE_PX)).mean()) >= STEPPING


def _uneven(sets: list[CaptureSet]) -> bool:
    """Whether sets have no rhythm: their borders lie where a picture happens to change more."""
    lengths = np.array([len(one) for one in sets[1:-1]])
    return len(lengths) > 0 and float(lengths.std()) > UNEVEN * float(lengths.mean())


def _scatter(path: Curve64, sets: list[CaptureSet]) -> tuple[float, int]:
    """Squares about the means of sets, and how many of them are free."""
    squares = sum(float(np.square(path[o.first : o.stop] - path[o.first : o.stop].mean(axis=0)).sum()) for o in sets)
    return squares, sum(2 * (len(one) - 1) for one in sets)


def _likelier(path: Curve64, sets: list[CaptureSet]) -> float:
    """Log-likelihood of a place for each set over that of a steady motion; 0 for a reel too short to tell."""
    squares, free = _scatter(path, sets)
    width = 2 * ((int(np.median([len(one) for one in sets])) + 1) // 2) + 1
    if len(path) < width + 4 or not free:
        return 0.0
    smooth = np.stack([np.convolve(axis, np.ones(width) / width, "valid") for axis in path.T], axis=1)
    rest = path[width // 2 : len(path) - width // 2] - smooth
    least = LEAST_TREMBLE_PX**2
    steady = float(np.square(rest).mean()) / (1 - 1 / width)
    return float(len(path) * np.log(max(steady, least) / max(squares / free, least)))


def _drift(path: Curve64, sets: list[CaptureSet]) -> float:
    """Log of the scatter about the means of sets over that about a line through each: 0 where they stand."""
    about_means, free_of_means, about_lines, free_of_lines = 0.0, 0, 0.0, 0
    for one in sets:
        if len(one) < 3:
            continue
        inside = path[one.first : one.stop] - path[one.first : one.stop].mean(axis=0)
        time = np.arange(len(one)) - (len(one) - 1) / 2
        line = np.outer(time, time @ inside / (time @ time))
        about_means += float(np.square(inside).sum())
        about_lines += float(np.square(inside - line).sum())
        free_of_means, free_of_lines = free_of_means + 2 * (len(one) - 1), free_of_lines + 2 * (len(one) - 2)
    if not free_of_lines:
        return 0.0
    return float(np.log(max(about_means / free_of_means, 1e-9) / max(about_lines / free_of_lines, 1e-9)))
