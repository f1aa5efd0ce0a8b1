"""Lines and columns that repeat their neighbours, made anew from the samples that there are."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.measure.repeated_lines import Repeats, first_middle, samples_at
from grevin.core.picture.colour import Rgb
from grevin.core.picture.resampling import Places, lines_at

DOUBLED = 2.0  # lines a sample of a field that was doubled


def doubled_lines(down: Repeats, across: Repeats) -> bool:
    """Whether one field was doubled to a frame: then the first line of each pair is where it belongs."""
    return down.period == DOUBLED and not across


def places_of(repeats: Repeats, lines: int, kept: bool) -> Places:
    """(lines,) where among the samples each line lies.

    Args:
        repeats: the pattern.
        lines: of the picture.
        kept: whether the first line of each sample is where it belongs; else the middle of its lines.
    """
    first = first_middle(repeats, lines) - (repeats.period - 1) / 2 * kept
    return np.asarray((np.arange(lines) - first) / repeats.period)


def made_anew(picture: Rgb, down: Repeats, across: Repeats) -> Rgb:
    """(H, W, 3) float32 with each line and column at its place between the samples."""
    made = picture
    if down:
        made = _along(made, down, doubled_lines(down, across))
    if across:
        made = np.ascontiguousarray(_along(np.ascontiguousarray(made.swapaxes(0, 1)), across, False).swapaxes(0, 1))
    return made


def _along(picture: Rgb, repeats: Repeats, kept: bool) -> Rgb:
    samples = samples_at(repeats, len(picture))
    firsts = np.flatnonzero(np.diff(samples, prepend=-1))
    count = np.diff(firsts, append=len(picture))
    means = picture[firsts]
    for place in range(1, int(count.max())):  # samples of so many lines and more
        more = np.flatnonzero(count > place)
        means[more] += picture[firsts[more] + place]
    means /= count.reshape(-1, 1, 1).astype(np.float32)
    return lines_at(means, places_of(repeats, len(picture), kept))


def between(picture: Rgb, lines: npt.NDArray[np.int64]) -> Rgb:
    """(N, W, 3) lines from those one and three away on both sides: what lies between single lines of a field."""
    return lines_at(picture[(lines[0] + 1) % 2 :: 2], (lines - (lines[0] + 1) % 2) / 2.0)
