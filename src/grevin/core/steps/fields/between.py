"""What lies between two lines of a field, and how much the two lines beyond them count for it.

The mean of both lines is the plain way. Half a line's worth of what it lacks is told by the lines beyond: the sum of
the two near lines less that of the two far ones, times a *bend*. The bend with the least squared error is the ratio of
how the missing line goes along with that difference to how large the difference is (linear regression). How the picture
goes along is seen on lines that other fields hold in just that place. Their noise is their own, so what the noise of
this field adds is reckoned from the noise that its own lines share: lines that were softened before they were taken
apart, as cameras do, have noise in common with the lines between them. Noise is told by what is fine along a line;
grain larger than a pixel, by all that two other fields both miss.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

Levels = npt.NDArray[np.float32]  # 8-bit levels

MOST = 0.1  # of a bend; one that makes up for all that a mean of two lacks of a smooth curve is a sixteenth
COLUMN_STEP = 8  # one column of so many is looked at: they all say the same
OUTLYING = 3.0  # standard deviations beyond which nothing is noise
LEAST_SPREAD = 0.3  # 8-bit levels: standard deviation of what rounding leaves
ACROSS = (1.0, -4.0, 6.0, -4.0, 1.0)  # along a line: noise is kept, what is left of the picture mostly not
ACROSS_POWER = 70.0  # the sum of its squares
# How much of its noise a line shares with the next of its field, and with the line of the frame between them: where a
# filter 1-3-1 softened the lines, and a filter 1-2-1. Beside less than the first a half is reckoned with all the same,
# for two lines that were read out as one share nothing with the next of the field, and a half with the one between.
NEXT_OF_FIELD = (0.078, 1 / 6)
LINE_BETWEEN = (1 / 2, 2 / 3)
LEAST_LINES = 16
MAD_TO_SIGMA = 1.4826  # of a normal distribution
LEAST_POWER = 1e-3  # squared 8-bit levels


@dataclass(frozen=True)
class Noise:
    """What is new with every field.

    Attributes:
        variance: squared 8-bit levels.
        next_line: how much of it neighbouring lines of a field share, 0..1; in a frame they lie two lines apart.
    """

    variance: float
    next_line: float


@dataclass(frozen=True)
class Bends:
    """How much the lines beyond count.

    Attributes:
        mean: for what the field's own lines say of the ones between them.
        lift: for what moved lines miss.
    """

    mean: float = 0.0
    lift: float = 0.0


@dataclass(frozen=True, eq=False)
class Seen:
    """What another field, made whole and moved onto this one, shows of a plane.

    Attributes:
        lines: (h, W) its own lines, which are the missing ones here.
        missed: (h', W) by how much this field's own lines lie above what it says of them.
    """

    lines: Levels
    missed: Levels

    def lifted(self, missing: int, bend: float) -> Levels:
        """(h, W) the lines with what is missed above and below them."""
        return np.asarray(self.lines + between(self.missed, missing, len(self.lines), bend), np.float32)


def between(known: Levels, missing: int, rows: int, bend: float = 0.0) -> Levels:
    """(rows, W): each missing line from the known ones around it.

    Args:
        known: (h, W) every other line of a picture, 8-bit levels or differences of them.
        missing: 0 where the picture's first line is not among them, else 1.
        rows: how many lines are missing.
        bend: how much the lines beyond count.
    """
    wide = cv2.copyMakeBorder(known, 2, 2, 0, 0, cv2.BORDER_REPLICATE)
    first = 2 if missing else 1
    far, upper, lower, beyond = (wide[first + place : first + place + rows] for place in (-1, 0, 1, 2))
    mean = np.asarray(cv2.addWeighted(upper, 0.5 + bend, lower, 0.5 + bend, 0), np.float32)
    if bend:
        cv2.scaleAdd(far, -bend, mean, mean)
        cv2.scaleAdd(beyond, -bend, mean, mean)
    return mean


def bends_of(known: Levels, seen: list[Seen], missing: int, noise: Noise) -> Bends:
    """The bends with the least squared error.

    Args:
        known: (h, W) the field's own lines.
        seen: what the fields before and after show. Of one alone nothing tells the field's noise from what it misses:
            then nothing is bent. Nor is it in a picture of a few lines.
        missing: 0 where the picture's first line is missing, else 1.
        noise: of the field.
    """
    if len(seen) < 2 or len(known) < LEAST_LINES:
        return Bends()
    between_lines = noise.variance * float(np.interp(noise.next_line, NEXT_OF_FIELD, LINE_BETWEEN))
    misses = [np.asarray(one.missed[:, ::COLUMN_STEP], np.float32) for one in seen]
    shared = between_lines + _grain_between(_within(misses[0]), _within(misses[1]), noise)
    return Bends(
        _bend_of_mean(known, [one.lines for one in seen], missing, shared),
        _bend_of_lift(_within(np.mean(misses, 0, np.float32)), noise, between_lines),
    )


def own_noise(one: Levels, other: Levels) -> Noise:
    """A field's own noise.

    Only the field's own noise is in what two other fields miss of it, each with a noise of its own besides: their
    product has its variance for a mean.

    Args:
        one: (h, W) by how much the field's lines lie above what another field says of them.
        other: the same of a third field.
    """
    if len(one) < 2 or one.shape[1] < len(ACROSS):
        return Noise(0.0, 0.0)
    first, second = (_across(levels) for levels in (one, other))
    limit = OUTLYING * _spread(first)
    first[np.abs(first) > limit] = 0
    second[np.abs(second) > limit] = 0
    power = _alike(first, second, 0) / ACROSS_POWER
    if power <= 0:
        return Noise(0.0, 0.0)
    shared = _alike(first, second, 1) / ACROSS_POWER
    return Noise(power, min(1.0, max(0.0, shared / power)))


def _across(levels: Levels) -> Levels:
    count = levels.shape[1] - len(ACROSS) + 1
    parts = (np.float32(weight) * levels[:, place : place + count : COLUMN_STEP] for place, weight in enumerate(ACROSS))
    return np.asarray(sum(parts), np.float32)


def _spread(levels: Levels) -> float:
    """Standard deviation by the median, 8-bit levels."""
    return max(LEAST_SPREAD, MAD_TO_SIGMA * float(np.median(np.abs(levels))))


def _within(levels: Levels) -> Levels:
    limit = OUTLYING * _spread(levels)
    return np.asarray(np.clip(levels, -limit, limit), np.float32)


def _bend_of_mean(known: Levels, lines: list[Levels], missing: int, shared: float) -> float:
    """Regression of what the mean of two lacks, the noise that a missing line shares with the known ones added."""
    one, other, own = (np.ascontiguousarray(part[:, ::COLUMN_STEP]) for part in (*lines, known))
    mean = between(own, missing, len(one))
    difference = between(own, missing, len(one), 1.0) - mean
    apart = np.abs(one - other)
    sure = apart < OUTLYING * _spread(apart)
    sure[:2] = sure[-2:] = False  # lines beyond the border are made up
    if not sure.any():
        return 0.0
    lacks = 0.5 * (one + other) - mean
    along = float(np.mean((lacks * difference)[sure])) + 2.0 * shared
    return _limited(along, float(np.mean((difference * difference)[sure])))


def _bend_of_lift(missed: Levels, noise: Noise, between_lines: float) -> float:
    """The same for what is missed, of which nothing is seen between the lines.

    There the noise shares as much as reckoned; all else is taken to be less alike by an equal factor with every line.
    """
    power, next_line, second, third = (_alike(missed, missed, apart) for apart in range(4))
    rest = _rest(power, next_line, second, noise)
    rest_along = 2.0 * ((rest.power * rest.next_line) ** 0.5 - (rest.next_line * rest.second) ** 0.5)
    along = 2.0 * between_lines - noise.variance + rest_along - (rest.power - rest.second)
    return _limited(along, 4.0 * power - 2.0 * next_line - 4.0 * second + 2.0 * third)


@dataclass(frozen=True)
class _Rest:
    """What is not the fine noise of a field: squared 8-bit levels that lines have in common.

    Attributes:
        power: with themselves.
        next_line, second: with the next line of the field, and the one after it.
    """

    power: float
    next_line: float
    second: float


def _rest(power: float, next_line: float, second: float, noise: Noise) -> _Rest:
    rest = max(0.0, power - noise.variance)
    rest_next = min(rest, max(0.0, next_line - noise.variance * min(noise.next_line, NEXT_OF_FIELD[1])))
    return _Rest(rest, rest_next, min(rest_next, max(0.0, second)))


def _grain_between(one: Levels, other: Levels, noise: Noise) -> float:
    """How much more of large grain a missing line has in common with the lines beside it than with those beyond.

    Grain that is larger than a pixel is hardly in the fine noise of a field, but it is in what two other fields both
    miss. What lines come to have in common without a filter between them is none: as far as they are more alike than
    the weakest one leaves them, it is grain. Round grain is alike as a normal curve is high: with a line at half the
    distance by the power .75 of what it is with itself, and .25 of what it is with the next of the field.

    Args:
        one: (h, W) by how much the field's lines lie above what another field says of them.
        other: the same of a third field.
        noise: its fine noise, which is not counted here.
    """
    power, next_line, second = (_alike(one, other, apart) for apart in range(3))
    rest = _rest(power, next_line, second, noise)
    like = max(0.0, rest.next_line - NEXT_OF_FIELD[0] * rest.power) / (1.0 - NEXT_OF_FIELD[0])
    return float(rest.power**0.75 * like**0.25 - like ** (7 / 12) * rest.second ** (5 / 12))


def _alike(one: Levels, other: Levels, apart: int) -> float:
    """Mean product of lines so many apart, of either with the other."""
    count = len(one) - apart
    if count <= 0:
        return 0.0
    return 0.5 * float(np.mean(one[apart:] * other[:count]) + np.mean(other[apart:] * one[:count]))


def _limited(along: float, power: float) -> float:
    return min(MOST, max(-MOST, along / max(power, LEAST_POWER)))
