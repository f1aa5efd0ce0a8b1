"""Filling a dropout: from the field before, the field after, both, or the lines above and below.

Which of them shows best what is lost is told by the good lines beside it: what would a source have made of them? A
source that is right there is trusted inside, column by column, weighed by its error. The two fields have to agree
inside too. Levels are brought to those of the lines beside it.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, luma_weights
from grevin.core.picture.frame import Mask
from grevin.core.steps.dropout.settings import SourceName

BESIDE_LINES = 2  # good lines above and below that tell
ALONG_PX = 15  # over which errors are evened out along a line
LEAST_ERROR = 1.0 / 255  # nobody is surer than the noise
UNKNOWN = 0.1  # of nominal white: the error of what no line tells
SHARPNESS = 2.0  # power of the errors by which sources are weighed
SAME_PX, SAME_TIMES = 9, 1.5  # along a line, and times the error: so far apart brightness is right as it is
NOISE_LEVELS = 2.0  # 8-bit, of the least
LUMA = luma_weights("bt601").astype(np.float32)  # of tape (BT.601-7)
LEVEL_LIMIT = 12.0 / 255  # by which levels are brought to those beside
TAKEN: dict[SourceName, frozenset[str]] = {
    "best": frozenset({"before", "after", "lines"}), "both": frozenset({"before", "after"}),
    "before": frozenset({"before"}), "after": frozenset({"after"}), "lines": frozenset({"lines"}),
}  # fmt: skip

Values = npt.NDArray[np.float32]
Part = tuple[slice, slice]


@dataclass(frozen=True, eq=False)
class Source:
    """One from which dropouts can be filled.

    Attributes:
        name: for people.
        picture: (H, W, 3) float32 R'G'B', moved onto the field.
        dirty: (H, W) bool, where it is damaged itself.
    """

    name: str
    picture: Rgb
    dirty: Mask


@dataclass(frozen=True, eq=False)
class Chosen:
    """A place that a person wants filled from a source.

    Attributes:
        part: its rows and columns.
        inside: (h, w) bool, what is to be filled there.
        name: of the source.
    """

    part: Part
    inside: Mask
    name: SourceName


@dataclass(frozen=True, eq=False)
class Filled:
    """A place without its dropout.

    Attributes:
        picture: (h, w, 3) float32 R'G'B'.
        shares: of each source in it, 0..1.
        off: 8-bit levels by which each source is likely to miss, whether it was taken or not.
    """

    picture: Rgb
    shares: dict[str, float]
    off: dict[str, float]


def fill(
    picture: Rgb, mask: Mask, sources: list[Source], name: SourceName, of_colour: Mask,
    chosen: list[Chosen],
) -> None:  # fmt: skip
    """Fill every piece of a mask in place.

    Args:
        picture: (H, W, 3) float32 R'G'B' of a field.
        mask: (H, W) bool.
        sources: the fields around.
        name: which of them, or the lines, or what agrees best.
        of_colour: (H, W) bool, where only the colour is wrong.
        chosen: places for which a person chose another one.
    """
    came = picture.copy() if chosen else picture
    for part, inside in pieces(mask):
        made = filled(picture, mask, part, sources, name, of_colour).picture
        picture[part][inside] = made[inside]
    for one in chosen:
        made = filled(came, mask, one.part, sources, one.name, of_colour).picture
        picture[one.part][one.inside] = made[one.inside]


def pieces(mask: Mask) -> list[tuple[Part, Mask]]:
    """Rows, columns and pixels of each connected piece."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    found = []
    for label in range(1, count):
        x, y, width, height, _ = (int(value) for value in stats[label])
        part = slice(y, y + height), slice(x, x + width)
        found.append((part, labels[part] == label))
    return found


def filled(
    picture: Rgb, mask: Mask, part: Part, sources: list[Source], name: SourceName, of_colour: Mask | None = None
) -> Filled:  # fmt: skip
    """A place without its dropout, from a source or from what agrees best; from the lines where that is not to be had.

    Args:
        picture: (H, W, 3) float32 R'G'B' of a field.
        mask: (H, W) bool, where it is damaged.
        part: rows and columns of the place.
        sources: the fields around.
        name: which of them.
        of_colour: (H, W) bool, where only the colour is wrong.
    """
    known = _candidates(picture, mask, part, sources)
    taken = [one for one in known if one.name in TAKEN[name]] or [one for one in known if one.name == "lines"]
    errors = _errors(taken) if name == "best" else [one.error for one in taken]
    weights = [1.0 / np.maximum(error, LEAST_ERROR) ** (2 * SHARPNESS) for error in errors]
    if name == "both":  # a person's word: one as much as the other
        weights = [np.ones_like(error) for error in errors]
    whole = np.sum(weights, axis=0)
    made = np.sum([w[..., None] * one.picture for w, one in zip(weights, taken, strict=True)], axis=0)
    shares: dict[str, float] = {}
    for one, weight in zip(taken, weights, strict=True):  # two fields of one side have one name
        shares[one.name] = shares.get(one.name, 0.0) + float((weight / whole).mean())
    error = np.min(errors, axis=0)
    if of_colour is not None:
        error = np.where(of_colour[part], np.float32(np.inf), error)
    light = _with_own_light(np.asarray(made / whole[..., None], np.float32), picture[part], error)
    off: dict[str, float] = {}
    for one in known:
        off.setdefault(one.name, 255.0 * float(one.error.mean()))
    return Filled(light, shares, off)


@dataclass(frozen=True, eq=False)
class _Candidate:
    """What a source shows at a place, (h, w, 3), and by how much it is likely to be off, (h, w)."""

    name: str
    picture: Rgb
    error: Values


def _errors(known: list[_Candidate]) -> list[Values]:
    """By how much each is likely to be off: two fields have to agree inside too."""
    errors = [one.error for one in known]
    if len(known) == 3:
        apart = _along(np.abs(known[0].picture - known[1].picture).mean(axis=2))
        errors[:2] = [np.asarray(np.hypot(error, 0.5 * apart), np.float32) for error in errors[:2]]
    return errors


def _candidates(picture: Rgb, mask: Mask, part: Part, sources: list[Source]) -> list[_Candidate]:
    """Of every source, the lines last."""
    beside = _beside(mask, part)
    known = [_Candidate(one.name, *_from_field(picture, one, part, beside)) for one in sources]
    return [*known, _Candidate("lines", _from_lines(picture, mask, part), _error_of_lines(picture, mask, part))]


def _with_own_light(made: Rgb, own: Rgb, error: Values) -> Rgb:
    """What was made, in the brightness that is there where that is no farther off than what was made may be.

    Whole blocks of chroma are mended, and the line beside a streak shares some; and where only the colour is wrong the
    brightness is right.
    """
    apart = (own - made) @ LUMA
    right = _over(np.abs(apart), SAME_PX) < np.maximum(LEAST_ERROR * NOISE_LEVELS, SAME_TIMES * error)
    return np.asarray(made + np.where(right, apart, np.float32(0))[..., None], np.float32)


def _beside(mask: Mask, part: Part) -> list[int]:
    """Good lines above and below a place, the nearest first; fewer at the edges of the picture."""
    rows, columns = part
    found = []
    for start, step in ((rows.start - 1, -1), (rows.stop, 1)):
        at, near = start, 0
        while 0 <= at < len(mask) and near < BESIDE_LINES and abs(at - start) < 4 * BESIDE_LINES:
            if not mask[at, columns].any():
                found.append(at)
                near += 1
            at += step
    return found


def _from_field(picture: Rgb, source: Source, part: Part, beside: list[int]) -> tuple[Rgb, Values]:
    """What a field shows there, brought to the levels beside; and (h, w) by how much it is likely to be off."""
    columns = part[1]
    made = source.picture[part]
    height, width = made.shape[:2]
    if not beside:
        return made, np.full((height, width), UNKNOWN, np.float32)
    apart = picture[beside][:, columns] - source.picture[beside][:, columns]
    offset = np.clip(_colours_along(apart.mean(axis=0)), -LEVEL_LIMIT, LEVEL_LIMIT)
    error = _along(np.abs(apart - offset).mean(axis=(0, 2))[None])
    error = np.repeat(error, height, axis=0)
    error = np.where(source.dirty[part], np.float32(1.0), error)
    return np.asarray(made + offset[None], np.float32), np.asarray(error, np.float32)


def _from_lines(picture: Rgb, mask: Mask, part: Part) -> Rgb:
    """(h, w, 3) straight down between the nearest good pixels above and below."""
    rows, columns = part
    height = rows.stop - rows.start
    over, under = _good(mask, rows.start - 1, -1, columns), _good(mask, rows.stop, 1, columns)
    at = np.arange(columns.start, columns.stop)
    first, last = picture[np.maximum(over, 0), at], picture[np.minimum(under, len(picture) - 1), at]
    first = np.where((over < 0)[:, None], last, first)
    last = np.where((under >= len(picture))[:, None], first, last)
    share = ((np.arange(rows.start, rows.stop)[:, None] - over) / np.maximum(under - over, 1))[..., None]
    made = (1 - share) * first[None] + share * last[None]
    return np.asarray(made.reshape(height, len(at), 3), np.float32)


def _good(mask: Mask, start: int, step: int, columns: slice) -> npt.NDArray[np.int64]:
    """(w,) the nearest line from `start` on that is good in each column; beyond the picture where there is none."""
    found = np.full(columns.stop - columns.start, start)
    for _ in range(4 * BESIDE_LINES):
        inside = (found >= 0) & (found < len(mask))
        bad = np.zeros_like(inside)
        bad[inside] = mask[found[inside], np.arange(columns.start, columns.stop)[inside]]
        if not bad.any():
            break
        found = np.where(bad, found + step, found)
    return found


def _error_of_lines(picture: Rgb, mask: Mask, part: Part) -> Values:
    """(h, w) by how much lines as far apart miss those between them, just above and below."""
    rows, columns = part
    height, width = rows.stop - rows.start, columns.stop - columns.start
    apart = max(1, (height + 1) // 2)
    found = []
    for first, last in ((rows.start - 1 - 2 * apart, rows.start - 1), (rows.stop, rows.stop + 2 * apart)):
        middle = (first + last) // 2
        if first >= 0 and last < len(picture) and not mask[[first, middle, last]][:, columns].any():
            guess = 0.5 * (picture[first, columns] + picture[last, columns])
            found.append(np.abs(picture[middle, columns] - guess).mean(axis=1))
    if not found:
        return np.full((height, width), UNKNOWN, np.float32)
    return np.repeat(_along(np.mean(found, axis=0)[None]), height, axis=0)


def _along(values: npt.NDArray[np.floating]) -> Values:
    """(h, w) evened out along the lines."""
    return _over(values, ALONG_PX)


def _over(values: npt.NDArray[np.floating], px: int) -> Values:
    return np.asarray(cv2.blur(values.astype(np.float32), (px, 1)), np.float32)


def _colours_along(line: npt.NDArray[np.floating]) -> Values:
    """(w, 3) of one line, evened out along it."""
    return np.asarray(cv2.blur(line.astype(np.float32), (1, ALONG_PX)), np.float32)
