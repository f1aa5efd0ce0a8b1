"""How much of each candidate a missing line is made of.

There are four: what the filter bwdif gives, the mean of the lines above and below, and the lines that the fields before
and after hold just there, moved along the motion. Each errs in its own way: the filter and the mean where the picture
has finer detail than a field shows, the moved lines where the motion is wrong. Their squared errors are estimated
from what they say of each other, and weigh them.

Moved lines are lifted: what a moved picture misses of the field's own lines above and below is added to what it says
between them. So light that changed is made up for, part of what a wrong motion does cancels out, and the noise that
neighbouring lines share comes along.

How far the mean of two lines can be wrong is bounded by how far the field's own lines are from the mean of theirs,
which lie twice as far apart: where the picture is soft, it is right and the others are judged by it. Noise that is
new with every field is in all candidates, and of moved lines there is their own besides, so that under noise the
field's own lines count the more.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.steps.fields.between import Levels, Noise, Seen

Shares = npt.NDArray[np.float32]  # 0..1

# All of these were tried on the clips that rules are set on, with grain of 0, 2.5 and 5 levels.
EVEN_PX = 3  # square, of the halved maps, over which errors are looked at
SOFTENED = 0.8  # standard deviation in px: of what is missed, before its size says how far a motion is to be trusted
MISFIT_FALL = 15.0  # times the misfit of the calm part of the picture that take the trust in a motion down to 1/e
CALM_PCT = 15.0  # of the picture: where most of it flutters, what is usual is no measure
LEAST_MISFIT = 0.3  # 8-bit levels: what is less is no misfit
SOFT_SHARE = 0.2  # of the squared error of lines twice as far apart; a sixteenth in a picture that is smooth throughout
ROUNDING = 0.08  # squared 8-bit levels: the twelfth of a level by which integers err
LEAST_ERROR = 0.02  # squared 8-bit levels
FILTER_NOISE = 0.1  # of the noise's variance, by which the filter errs more than the mean of two lines
BLOCK = (8, 4)  # px (right, down) over which noise is looked at
MEAN_TO_SIGMA = 1.2533  # mean absolute deviation to standard deviation of a normal distribution


def noise_variance(one: Levels, other: Levels) -> float:
    """Squared 8-bit levels: noise of each of two moved lines, from what they say of one place.

    Args:
        one: (h, W) lines of one field moved onto the missing ones.
        other: those of the other.
    """
    apart = cv2.absdiff(one, other)
    size = tuple(max(1, length // block) for length, block in zip(apart.shape[::-1], BLOCK, strict=True))
    blocks = cv2.resize(apart, size, interpolation=cv2.INTER_AREA)
    return (MEAN_TO_SIGMA * float(np.median(blocks))) ** 2 / 2.0


@dataclass(frozen=True, eq=False)
class Mix:
    """Shares of the candidates, (h, W) each; they sum to 1.

    Attributes:
        filtered, mean: of the filter's lines, and of the mean of the lines above and below.
        moved: of each moved line.
    """

    filtered: Shares
    mean: Shares
    moved: tuple[Shares, ...]

    def on(self, shape: tuple[int, int]) -> Mix:
        """The same on a grid of (h, W)."""
        filtered, mean, *moved = (
            np.asarray(cv2.resize(share, shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)
            for share in (self.filtered, self.mean, *self.moved)
        )
        return Mix(filtered, mean, tuple(moved))


def mix_of(filtered: Levels, mean: Levels, known: Levels, seen: list[Seen], lifted: list[Levels], own: Noise) -> Mix:
    """Shares of the candidates by their errors.

    Args:
        filtered: (h, W) lines of the filter.
        mean: what the lines above and below say.
        known: the field's own lines.
        seen: what the field before and the one after show, or one of them.
        lifted: the lines of each, with what is missed above and below them.
        own: the field's own noise.
    """
    size = max(1, filtered.shape[1] // 2), max(1, filtered.shape[0] // 2)
    trusts = _trusts([one.missed for one in seen], size)
    variance = noise_variance(seen[0].lines, seen[1].lines if len(seen) > 1 else filtered)
    total = np.asarray(sum(trusts) + np.float32(1e-3), np.float32)
    parts = [np.asarray(trust / total, np.float32) for trust in trusts]
    joined = _joined(parts, lifted, filtered)
    # of the noise's variance, that is in the joined and not in the mean of two lines
    alone = np.asarray(sum(part * part for part in parts), np.float32)
    errors = _Errors(size, variance)
    of_next = _Errors(size, own.variance).of(known, _mean_of_next(known), 1.5 - 2.0 * own.next_line)
    soft = np.float32(SOFT_SHARE) * of_next
    first, second, of_joined = _within_the_field(errors, filtered, mean, joined, soft, alone)
    wide = cv2.resize(np.asarray(first, np.float32), filtered.shape[::-1], interpolation=cv2.INTER_LINEAR)
    apart = errors.of(mean + wide * (filtered - mean), joined, alone)
    own_error = ROUNDING + np.minimum(apart, soft)
    joined_error = variance * alone + ROUNDING + np.minimum(of_joined, apart)
    share = own_error / np.maximum(own_error + joined_error, LEAST_ERROR) * np.maximum.reduce(trusts)
    full = (first * (1.0 - share), second * (1.0 - share), *(part * share for part in parts))
    return _normalised([np.asarray(one, np.float32) for one in full])


@dataclass(frozen=True)
class _Errors:
    """Differences of candidates on a grid of half the size.

    Attributes:
        size: (width, height) of the grid.
        variance: of the noise.
    """

    size: tuple[int, int]
    variance: float

    def of(self, one: Levels, other: Levels, share: float | Levels) -> Levels:
        """Mean squared difference, less the share of the noise's variance that explains it."""
        apart = cv2.subtract(one, other)
        small = cv2.resize(cv2.multiply(apart, apart), self.size, interpolation=cv2.INTER_AREA)
        return np.asarray(np.maximum(cv2.blur(small, (EVEN_PX, EVEN_PX)) - share * self.variance, 0), np.float32)


def _joined(parts: list[Shares], moved: list[Levels], filtered: Levels) -> Levels:
    """The lines of the fields around, each by its part; the filter's where none is trusted."""
    wide = [cv2.resize(part, filtered.shape[::-1], interpolation=cv2.INTER_LINEAR) for part in parts]
    joined = np.asarray(sum(cv2.multiply(part, one) for part, one in zip(wide, moved, strict=True)), np.float32)
    joined += (np.float32(1.0) - np.asarray(sum(wide), np.float32)) * filtered
    return joined


def _within_the_field(
    errors: _Errors, filtered: Levels, mean: Levels, joined: Levels, soft: Levels, spread: Levels
) -> tuple[Shares, Shares, Levels]:  # fmt: skip
    """Shares of the filter and of the mean, and the error of the joined, from how far the three lie apart."""
    by_filter, by_mean = errors.of(filtered, joined, 0.0), errors.of(mean, joined, 0.0)
    noisy = np.minimum(spread * np.float32(errors.variance), np.minimum(by_filter, by_mean))
    of_mean = np.minimum(by_mean - noisy, soft)
    of_joined = by_mean - noisy - of_mean
    of_filter = np.minimum(by_filter - noisy, errors.of(filtered, mean, 0.1) + of_mean)
    first = 1.0 / (of_filter + FILTER_NOISE * errors.variance + LEAST_ERROR)
    second = 1.0 / (of_mean + LEAST_ERROR)
    return first / (first + second), second / (first + second), of_joined


def _normalised(shares: list[Shares]) -> Mix:
    total = np.asarray(sum(shares), np.float32)
    filtered, mean, *moved = (np.asarray(one / total, np.float32) for one in shares)
    return Mix(filtered, mean, tuple(moved))


def _trusts(misfits: list[Levels], size: tuple[int, int]) -> list[Shares]:
    """How far each motion is to be trusted by what it misses, against what is usual in the picture."""
    sizes = (np.abs(cv2.GaussianBlur(one, (0, 0), SOFTENED)) for one in misfits)
    small = [cv2.blur(cv2.resize(one, size, interpolation=cv2.INTER_AREA), (EVEN_PX, EVEN_PX)) for one in sizes]
    usual = np.float32(max(LEAST_MISFIT, float(np.median([np.percentile(one, CALM_PCT) for one in small]))))
    fall = np.float32(MISFIT_FALL) * usual
    return [np.asarray(cv2.exp(-np.maximum(one - usual, 0) / fall), np.float32) for one in small]


def _mean_of_next(known: Levels) -> Levels:
    """For each line the mean of the lines above and below it."""
    padded = cv2.copyMakeBorder(known, 1, 1, 0, 0, cv2.BORDER_REFLECT_101)
    return np.asarray(cv2.addWeighted(padded[:-2], 0.5, padded[2:], 0.5, 0), np.float32)
