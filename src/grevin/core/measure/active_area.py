"""Which part of the raster holds the picture: black, ragged and dotted sides, and the torn lines of a head switch.

A border is dark, even, and the same for every line and frame; what lies beyond is the picture wherever it is lit at
all. So from each side the first pixel that stays lit is looked for, line by line over frames of a whole shot: lines
that are dark there say nothing, the others agree within the raggedness of the border (common practice of blanking
measurement, no source).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

DARKEST = 44.0  # 8-bit levels: what is brighter is no border, whatever its evenness
LIT_LEVELS, LIT_SIGMAS = 10.0, 5.0  # above the border's own level, from which a pixel is lit
STAYS_PX, STAYS_OF = 3, 4  # so many of so many pixels in a row, so that dots of a torn border are not the picture
LEAST_LIT = 0.02  # of all lines and frames: fewer say nothing
WELL_LIT = 0.5  # of all lines and frames, from which they are believed alone
AGREE_PX = 6  # by which what single lines say and what their mean says may differ
EARLY = 0.03  # of the lit lines may begin outside the border: noise, captions
MOST_RAGGED_PX = 8  # from where the first lines begin to where the last do
RAGGED = 0.03  # of the lit lines that have to begin at a column for the border's edge to reach so far
UNEVEN_LEVELS = 2.5  # by which the border's lines may differ from each other: more is a dark picture
RISE = 0.93  # of the level that the pixels further in lead to, below which the picture is still rising at its edge
RISE_PX, MOST_RISE_PX = 5, 2
HARDLY_LIT = 20.0  # levels above the border, of a picture beside it that is so dark that single frames hardly tell
LINE_LEVELS, LINE_SIGMAS = 0.5, 5.0  # above the border, from which the mean of a line over time is lit
FEWEST_LINES, LEAST_LINES = 8, 0.2  # and share of all: fewer that are lit say nothing
TOGETHER = 0.6  # of those, that begin within three pixels: things in a dark picture begin anywhere
DARK_STEP_PX, DARK_STEP_LEVELS, DARK_STEP_TIMES = 3, 1.0, 3.0  # rise of the mean: over so far, and against all others
DARK_EVEN = 0.3  # of that rise, within which the border's own mean stays
HEAD_LINES = 16  # at most, that a head switch tears
HEAD_AROUND = 60  # lines above, that say how neighbouring lines belong together
HEAD_DROP = 0.12  # of the correlation, at least

LEAST_MOVED_PX, MOST_MOVED_PX = 3, 120  # by which a head switch moves lines
MOVED_ALIKE, MOVED_MORE = 0.4, 0.15  # correlation with the line before, moved, and above that as it lies
MOVED_USUALLY = 0.1  # of the lines above, from which so much is how the picture runs: slanting stripes, a lattice
NOISIER = 2.5  # times the harshness of the lines above

Luma8 = npt.NDArray[np.uint8]
Lines = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Borders:
    """What is no picture at each side.

    Attributes:
        left, right: px.
        top, bottom: lines.
        torn: lines of the bottom ones that a head switch tore, and that are not black.
    """

    left: int = 0
    right: int = 0
    top: int = 0
    bottom: int = 0
    torn: int = 0

    def __bool__(self) -> bool:
        return any((self.left, self.right, self.top, self.bottom))


def borders_of(frames: npt.NDArray[np.uint8], most_share: float = 0.25) -> Borders:
    """The borders of a shot.

    Args:
        frames: (N, H, W) luma of frames all over it.
        most_share: of the picture that a border takes at most.
    """
    _, height, width = frames.shape
    deep, wide = int(most_share * height), int(most_share * width)
    left = edge_of(frames[:, :, :wide])
    right = edge_of(frames[:, :, ::-1][:, :, :wide])
    inside = frames[:, :, left : width - right].transpose(0, 2, 1)
    top = edge_of(inside[:, :, :deep])
    bottom = edge_of(inside[:, :, ::-1][:, :, :deep])
    torn = torn_lines(frames[:, : height - bottom, left : width - right])
    return Borders(left, right, top, bottom + torn, torn)


def edge_of(strips: npt.NDArray[np.uint8]) -> int:
    """How deep a border reaches.

    Args:
        strips: (N, L, D) luma: frames, lines along the side, pixels from the edge inwards.

    Returns:
        Pixels; 0 where there is none, or nothing tells.
    """
    if not strips.size:
        return 0
    outermost = strips[:, :, :2].astype(np.float32)
    level = float(np.median(outermost))
    spread = 1.4826 * float(np.median(np.abs(outermost - level)))
    if level > DARKEST or strips.shape[2] < STAYS_OF:
        return 0
    if by_lines := _edge_of_lines(strips):
        return by_lines
    first = _first_lit(strips > level + max(LIT_LEVELS, LIT_SIGMAS * spread))
    depth = strips.shape[2] - STAYS_OF + 1
    lit = int((first < depth).sum())
    by_mean = _edge_of_mean(strips.reshape(-1, strips.shape[2]).mean(axis=0))
    passed_by = float(np.mean(first < by_mean - MOST_RISE_PX)) > EARLY  # what comes into view there shows a picture
    by_mean = 0 if by_mean and (passed_by or _is_picture(strips, by_mean)) else by_mean
    if lit < LEAST_LIT * first.size:
        return by_mean
    begins = np.bincount(first[first < depth], minlength=depth).astype(np.float64)
    edge = _end_of_cluster(begins, lit)
    if edge == 0 or _is_picture(strips, edge) or (by_mean and abs(edge - by_mean) > AGREE_PX):
        return by_mean
    if not by_mean and lit < WELL_LIT * first.size:
        return 0
    return edge + _rise(strips, first, edge, level)


def _edge_of_lines(strips: Luma8) -> int:
    """The same by the means of single lines over time, in which noise sinks, where the picture is hardly lit.

    0 where too few lines are lit, where they do not begin together, or where frames tell by themselves.
    """
    lines = strips.mean(axis=0, dtype=np.float32)
    level = float(np.median(lines[:, :2]))
    spread = 1.4826 * float(np.median(np.abs(lines[:, :2] - level)))
    first = _first_lit((lines > level + max(LINE_LEVELS, LINE_SIGMAS * spread))[None])[0]
    depth = lines.shape[1] - STAYS_OF + 1
    lit = first < depth
    count = int(lit.sum())
    if count < max(FEWEST_LINES, LEAST_LINES * len(first)):
        return 0
    begins = np.bincount(first[lit], minlength=depth).astype(np.float64)
    around = np.convolve(begins, np.ones(3), mode="same")
    place = int(around.argmax())
    if begins[: max(0, place - 1)].sum() > EARLY * count or around[place] < TOGETHER * count:
        return 0
    edge = _end_of_cluster(begins, count)
    beside = lines[lit, edge + MOST_RISE_PX : edge + MOST_RISE_PX + RISE_PX]
    if edge == 0 or not beside.size or float(np.median(beside)) - level > HARDLY_LIT:
        return 0
    return edge + _rise(lines[None], first[None], edge, level)


def _edge_of_mean(profile: npt.NDArray[np.float64]) -> int:
    """The same by the mean of all lines and frames: where it leaves the border's at once. Dark pictures tell so too.

    Args:
        profile: (D,) mean luma from the edge inwards.
    """
    steps = profile[DARK_STEP_PX:] - profile[:-DARK_STEP_PX]
    place = int(steps.argmax())
    others = np.abs(np.concatenate([steps[: max(0, place - DARK_STEP_PX)], steps[place + 2 * DARK_STEP_PX :]]))
    border = profile[: place + 1]
    rise = float(steps[place])
    stands_out = rise > max(DARK_STEP_LEVELS, DARK_STEP_TIMES * float(others.max(initial=0.0)))
    if place == 0 or not stands_out or float(np.ptp(border)) > DARK_EVEN * rise:
        return 0
    return int(np.argmax(profile >= float(border.mean()) + RISE * rise))


def _first_lit(lit: npt.NDArray[np.bool_]) -> npt.NDArray[np.intp]:
    """(N, L) the first pixel from which it stays lit; the depth where none does."""
    counts = np.cumsum(np.pad(lit, ((0, 0), (0, 0), (1, 0))), axis=2, dtype=np.int16)
    stays = (counts[:, :, STAYS_OF:] - counts[:, :, :-STAYS_OF] >= STAYS_PX) & lit[:, :, : -STAYS_OF + 1]
    return np.asarray(np.where(stays.any(axis=2), stays.argmax(axis=2), stays.shape[2]), np.intp)


def _end_of_cluster(begins: npt.NDArray[np.float64], lit: int) -> int:
    """Where the lines that agree end: from the column at which most begin, as far as enough begin beside it."""
    around = np.convolve(begins, np.ones(3), mode="same")
    place = int(around.argmax())
    if begins[0] > EARLY * lit or begins[: max(0, place - 4)].sum() > EARLY * lit:  # no border is lit at the rim
        return 0
    while place + 1 < len(begins) and begins[place + 1] > RAGGED * lit and begins[place + 1] > 0.15 * begins.max():
        place += 1
    return 0 if begins[: max(0, place - MOST_RAGGED_PX)].sum() > EARLY * lit else place


def _is_picture(strips: npt.NDArray[np.uint8], edge: int) -> bool:
    """Whether what is dark changes along the side: a dark part of the picture does, blanking does not."""
    dark = np.median(strips[:, :, : max(1, edge - RISE_PX + 2)], axis=2)  # dots in a border are none of its level
    return float(np.std(np.median(dark, axis=0))) > UNEVEN_LEVELS


def _rise(strips: npt.NDArray[Any], first: npt.NDArray[np.intp], edge: int, level: float) -> int:
    """Pixels behind the edge at which the picture has not yet come to its level."""
    lines = strips[first <= edge].astype(np.float32)
    if not len(lines):
        return 0
    profile = lines.mean(axis=0) - level
    for more in range(MOST_RISE_PX):
        place = edge + more
        further = profile[place + MOST_RISE_PX : place + MOST_RISE_PX + RISE_PX]
        if len(further) < RISE_PX:
            return more
        _, begin = np.polyfit(np.arange(RISE_PX) + MOST_RISE_PX, further, 1)  # a picture may be darker at its side
        if profile[place] >= RISE * begin:
            return more
    return MOST_RISE_PX


NARROWEST = 3  # px of a line that has a second difference


def torn_lines(frames: npt.NDArray[np.uint8]) -> int:
    """Lines at the bottom that do not belong to those above: heads were switched, and the line begins elsewhere.

    Args:
        frames: (N, H, W) luma.
    """
    _, height, width = frames.shape
    if height < HEAD_AROUND + HEAD_LINES + 2 or width < NARROWEST:
        return 0
    lines = frames[:, -(HEAD_AROUND + HEAD_LINES + 2) :].astype(np.float32)
    alike, elsewhere = _together(lines[:, 2:], lines[:, :-2])  # with the line before of the same field
    harsh = np.median(np.abs(np.diff(lines[:, 2:], 2, axis=2)).mean(axis=2), axis=0)
    middle, usual = np.median(alike, axis=0), slice(None, HEAD_AROUND)
    spread = 1.4826 * float(np.median(np.abs(middle[usual] - np.median(middle[usual]))))
    apart = middle < min(float(np.median(middle[usual])) - max(HEAD_DROP, 4 * spread), float(middle[usual].min()))
    moved = ((elsewhere > MOVED_ALIKE) & (elsewhere > alike + MOVED_MORE)).mean(axis=0) > 0.5
    noisy = harsh > NOISIER * np.median(harsh[usual])
    if moved[usual].mean() > MOVED_USUALLY:
        moved = np.zeros_like(moved)
    torn = (apart & (moved | noisy))[HEAD_AROUND:]
    return HEAD_LINES - int(torn.argmax()) if torn.any() else 0


def _together(lines: Lines, others: Lines) -> tuple[Lines, Lines]:
    """(N, L) correlation of lines with others as they lie, and the best where they are moved sideways."""
    lines, others = (one - one.mean(axis=2, keepdims=True) for one in (lines, others))
    size = np.sqrt(np.square(lines).mean(axis=2) * np.square(others).mean(axis=2)) + 1.0
    spectra = np.fft.rfft(lines, axis=2) * np.conj(np.fft.rfft(others, axis=2))
    moved = np.fft.irfft(spectra, lines.shape[2], axis=2) / lines.shape[2] / size[..., None]
    shifts = np.r_[LEAST_MOVED_PX:MOST_MOVED_PX, -MOST_MOVED_PX:-LEAST_MOVED_PX] % lines.shape[2]
    return np.asarray(moved[..., 0], np.float32), np.asarray(moved[..., shifts].max(axis=2), np.float32)
