"""The scratches of a frame, from what was learned of its shot."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.steps.evidence import Blob
from grevin.core.steps.scratch.responses import BAND, CHANNELS, HOP_PX, ROWS, middle_of
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.core.steps.seen import Arrays

LOWEST, HIGHEST = -1.7, 1.7  # scores from which a line is taken with caution 0 and 1
DOUBTFUL = 0.8  # of the score beside that: the step was nearly of the other opinion
MOST_LEAN, LEAN_PX = 0.04, 1.5  # px across for each row, and besides: a film drifts less than that over a frame
REACH_PX = 14  # beside the middle, where its profile is read
LEAST_STEP, CUT_FAR_PX = 0.24, 10  # share of a cut's height that falls from px to px; px from which its sides are flat
CLEARLY_SEEN, LEAST_PROFILE = 4.0, 1.0 / 255  # times what is beside it, and what is at least
FEWEST_ROWS = 4  # of a line that a person drew
TOGETHER_PX = 5.0  # beside half of both widths
EDGE_SHARE = 0.35  # of the profile's greatest deviation, where a scratch ends,
EDGE_LEVELS = 20.0 / 255  # or so much of it is left: the flanks of a strong one are seen farther out
RIM_PX = 1  # beyond that
POLARITIES = {"both": (False, True), "darker": (True,), "brighter": (False,)}

Values = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Line:
    """A scratch on a frame.

    Attributes:
        top: its first row.
        centre: (N,) px from the left in each of its rows.
        width: px, as it was found.
        dark: its polarity.
        score: how sure it is one.
        track: which scratch of the shot it is.
        bridged: whether it was not found on this frame, only before and behind.
    """

    top: int
    centre: Values
    width: int
    dark: bool
    score: float
    track: int
    bridged: bool = False

    @property
    def rows(self) -> npt.NDArray[np.int64]:
        """Its rows."""
        return np.arange(self.top, self.top + len(self.centre))


def lines_of(study: Arrays, number: int, height: int, settings: ScratchSettings) -> list[Line]:
    """The scratches of a frame of a height, by the settings, with those that are nearly taken."""
    wanted = _wanted(study, height, settings)
    here = [line_at(study, int(at), height) for at in np.flatnonzero(wanted & (study["frame"] == number))]
    limit = threshold(settings)
    sure = [line for line in here if line.score > limit]
    known = {line.track for line in sure}
    for line in _bridged(study, wanted, number, height, settings):
        if line.score > limit and line.track not in known and not any(_lie_together(line, one) for one in sure):
            here = [one for one in here if not _lie_together(line, one)]
            here.append(line)
    return here


def _lie_together(one: Line, other: Line) -> bool:
    """Whether two lines are one scratch."""
    top, bottom = max(one.top, other.top), min(one.top + len(one.centre), other.top + len(other.centre))
    if bottom <= top:
        return False
    ours, theirs = one.centre[top - one.top : bottom - one.top], other.centre[top - other.top : bottom - other.top]
    return float(np.abs(ours - theirs).mean()) < TOGETHER_PX + 0.5 * (one.width + other.width)


def threshold(settings: ScratchSettings) -> float:
    """Score from which a line is taken."""
    return LOWEST + (HIGHEST - LOWEST) * settings.caution


def _wanted(study: Arrays, height: int, settings: ScratchSettings) -> Mask:
    """(N,) which lines are of the kind that is asked for; those nearly sure enough are among them."""
    wanted = study["score"] > threshold(settings) - DOUBTFUL
    wanted &= np.isin(study["dark"], POLARITIES[settings.polarity])
    wanted &= (study["width"] >= settings.least_width_px) & (study["width"] <= settings.most_width_px)
    wanted &= study["bands"] * HOP_PX >= settings.min_length_pct / 100 * height
    wanted &= upright(study)
    if settings.seen_in != "any":
        wanted &= study["channel"] == CHANNELS.index(settings.seen_in)
    return np.asarray(wanted)


def upright(study: Arrays) -> Mask:
    """(N,) which lines lean no more than what goes on along the film can.

    Where a scratch leaves a frame it comes into the next one: one that leans far would be elsewhere on every frame.
    """
    last = study["begins"] + study["bands"] - 1
    if not len(last):
        return np.ones(0, np.bool_)
    aside = np.abs(study["across"][last] - study["across"][study["begins"]])
    return np.asarray(aside <= MOST_LEAN * HOP_PX * study["bands"] + LEAN_PX)


def line_at(study: Arrays, at: int, height: int) -> Line:
    """A line of a study, by its place there, on a picture so high."""
    begin, count = int(study["begins"][at]), int(study["bands"][at])
    across = study["across"][begin : begin + count]
    return _drawn(study, at, int(study["first"][at]), across, height)


def _drawn(study: Arrays, at: int, first: int, across: Values, height: int, bridged: bool = False) -> Line:
    half = ROWS * BAND // 2
    middles = middle_of(np.arange(first, first + len(across)))
    top, bottom = max(0, int(middles[0]) - half), min(height, int(middles[-1]) + half)
    # bands end a little before the picture does: a line that reaches the last one reaches its edge
    bottom = height if height - bottom < HOP_PX + ROWS else bottom
    centre = np.interp(np.arange(top, bottom), middles, across)
    width, dark = int(study["width"][at]), bool(study["dark"][at])
    return Line(top, centre, width, dark, float(study["score"][at]), int(study["track"][at]), bridged)


def _bridged(
    study: Arrays, wanted: Mask, number: int, height: int, settings: ScratchSettings
) -> list[Line]:  # fmt: skip
    """Scratches that were found shortly before and behind a frame, and not on it."""
    found = []
    near = np.flatnonzero(wanted & (np.abs(study["frame"] - number) <= settings.bridge_frames))
    for track in np.unique(study["track"][near]):
        mine = near[study["track"][near] == track]
        before, behind = mine[study["frame"][mine] < number], mine[study["frame"][mine] > number]
        if not len(before) or not len(behind):
            continue
        one, other = (int(some[np.argmin(np.abs(study["frame"][some] - number))]) for some in (before, behind))
        if study["frame"][other] - study["frame"][one] > settings.bridge_frames + 1:
            continue
        line = _between(study, one, other, number, height)
        found += [line] if line is not None else []
    return found


def _between(study: Arrays, one: int, other: int, number: int, height: int) -> Line | None:
    firsts = [int(study["first"][at]) for at in (one, other)]
    stops = [first + int(study["bands"][at]) for first, at in zip(firsts, (one, other), strict=True)]
    first, stop = max(firsts), min(stops)
    if stop <= first:
        return None
    ways = [
        study["across"][int(study["begins"][at]) + first - start : int(study["begins"][at]) + stop - start]
        for start, at in zip(firsts, (one, other), strict=True)
    ]
    share = (number - study["frame"][one]) / (study["frame"][other] - study["frame"][one])
    return _drawn(study, one, first, (1 - share) * ways[0] + share * ways[1], height, bridged=True)


def along_track(
    study: Arrays, number: int, area: Area, size: tuple[int, int], settings: ScratchSettings
) -> list[tuple[int, Area]]:  # fmt: skip
    """The scratch that lies in an area of a frame, on all frames on which it was found: frame and box round it.

    For the arguments see `track_at`.
    """
    track = track_at(study, number, area, size, settings)
    lines = ((int(study["frame"][at]), line_at(study, at, size[0])) for at in lines_of_track(study, track))
    return [(frame, lay(np.zeros(size, np.bool_), one, one.width // 2, one.width // 2)) for frame, one in lines]


def track_at(
    study: Arrays, number: int, area: Area, size: tuple[int, int], settings: ScratchSettings
) -> int | None:  # fmt: skip
    """Which scratch of the shot lies in an area of a frame; None for none.

    Args:
        study: of the step, for the shot.
        number: of the frame.
        area: in its picture.
        size: (H, W) of the picture.
        settings: of the step.
    """
    x, y, width, tall = area
    for line in lines_of(study, number, size[0], settings):
        mask = np.zeros(size, np.bool_)
        lay(mask, line, line.width // 2, line.width // 2)
        if mask[max(0, y) : y + tall, max(0, x) : x + width].any():
            return line.track
    return None


def lines_of_track(study: Arrays, track: int | None) -> list[int]:
    """Places in the study of the lines of a scratch, one a frame, the earliest first."""
    rows = np.flatnonzero(study["track"] == track) if track is not None else np.zeros(0, np.int64)
    return [int(at) for at in rows[np.argsort(study["frame"][rows], kind="stable")]]


def tracks_of(study: Arrays, height: int, settings: ScratchSettings) -> list[range]:
    """The frames from the first to the last of every scratch of a shot, the earliest first."""
    taken = _wanted(study, height, settings) & (study["score"] > threshold(settings))
    frames = {
        int(track): study["frame"][taken & (study["track"] == track)] for track in np.unique(study["track"][taken])
    }
    return sorted((range(int(some.min()), int(some.max()) + 1) for some in frames.values()), key=lambda run: run.start)


def course_of(study: Arrays, track: int) -> dict[int, float]:
    """Where a scratch lies, px from the left in the mean of its bands, on each frame on which it was found."""
    return {
        int(study["frame"][at]): float(
            study["across"][int(study["begins"][at]) : int(study["begins"][at]) + int(study["bands"][at])].mean()
        )
        for at in np.flatnonzero(study["track"] == track)
    }


def sampled(rgb: Rgb, line: Line, reach: int) -> Rgb:
    """(N, 2 reach + 1, 3) the picture beside a line, its middle in the middle of every row."""
    offsets = np.arange(-reach, reach + 1, dtype=np.float32)
    across = (line.centre[:, None] + offsets[None, :]).astype(np.float32)
    down = np.broadcast_to(line.rows[:, None], across.shape).astype(np.float32)
    return np.asarray(cv2.remap(rgb, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)


def deviations(values: Rgb, far: int, wide: int = REACH_PX) -> Rgb:
    """What is beyond the line through both flanks, which begin `far` px from the middle and are at most so wide."""
    reach = values.shape[1] // 2
    left = _mean_across(values[:, max(0, reach - far + 1 - wide) : reach - far + 1])
    right = _mean_across(values[:, reach + far : reach + far + wide])
    share = np.clip((np.arange(values.shape[1]) - reach + far) / (2 * far), 0, 1).astype(np.float32)[None, :, None]
    return np.asarray(values - (left[:, None] * (1 - share) + right[:, None] * share), np.float32)


def _mean_across(values: Rgb) -> npt.NDArray[np.float32]:
    """(N, 3) means over the columns of (N, W, 3): column by column, several times faster than all at once."""
    total = values[:, 0].copy()
    for column in range(1, values.shape[1]):
        total += values[:, column]
    return total / np.float32(values.shape[1])


def is_cut(rgb: Rgb, line: Line) -> bool:
    """Whether a line has the sides of a cut: on both a good part of its height falls within one px, however wide it is.

    What stands in the picture is lit from a side, round, or out of focus: it rises and falls slowly, or on one side.

    Args:
        rgb: (H, W, 3) R'G'B'.
        line: brought to its middle (`centred`).
    """
    profile = np.median(deviations(sampled(rgb, line, REACH_PX), CUT_FAR_PX), axis=0)
    near = slice(REACH_PX - line.width // 2 - 2, REACH_PX + line.width // 2 + 3)
    channel = int(np.argmax(np.abs(profile[near]).max(axis=0)))
    one = profile[:, channel] * (1 if profile[near, channel].sum() > 0 else -1)
    top = near.start + int(np.argmax(one[near]))
    beside = float(np.abs(one[[0, 1, 2, -3, -2, -1]]).max())
    if one[top] < CLEARLY_SEEN * max(beside, LEAST_PROFILE):
        return True  # too faint for its sides to be told
    sides = one[top : top + CUT_FAR_PX], one[top::-1][:CUT_FAR_PX]
    return min(float(-np.diff(side).min()) for side in sides) >= LEAST_STEP * float(one[top])


def extent_of(rgb: Rgb, line: Line) -> tuple[int, int]:
    """Px that a scratch reaches to the left and to the right of its middle, by its mean profile over its rows."""
    far = line.width // 2 + 3
    deviation = deviations(sampled(rgb, line, REACH_PX), far)
    profile = np.abs(np.median(deviation, axis=0))
    noise = 1.25 * deviation[:, [0, 1, -2, -1]].std(axis=(0, 1)) / np.sqrt(len(deviation))  # of a median
    channel = int(np.argmax(profile[REACH_PX - far : REACH_PX + far + 1].max(axis=0)))
    one = profile[:, channel]
    limit = max(
        min(EDGE_SHARE * float(one[REACH_PX - 1 : REACH_PX + 2].max()), EDGE_LEVELS), 3.0 * float(noise[channel])
    )
    reach = []
    for way in (-1, 1):
        away = 1
        while away < far and one[REACH_PX + way * away] > limit:
            away += 1
        reach.append(away - 1)
    least = max(0, line.width // 2 - 1)
    return max(least, reach[0]) + RIM_PX, max(least, reach[1]) + RIM_PX


def lay(mask: Mask, line: Line, left: int, right: int) -> Area:
    """Set the pixels of a scratch in a mask; the box round it."""
    middle = np.rint(line.centre).astype(int)
    at = middle[:, None] + np.arange(-left, right + 1)[None, :]
    inside = (at >= 0) & (at < mask.shape[1])
    rows = np.broadcast_to(line.rows[:, None], at.shape)
    mask[rows[inside], at[inside]] = True
    first, last = max(0, int(at.min())), min(mask.shape[1] - 1, int(at.max()))
    return first, line.top, last - first + 1, len(line.centre)


def drawn_line(mask: Mask, area: Area) -> tuple[Line, tuple[int, int]] | None:
    """The line that a person drew: the middle of a mask in every row of an area, and how far it reaches."""
    x, y, width, tall = area
    part = mask[y : y + tall, x : x + width]
    rows = np.flatnonzero(part.any(axis=1))
    if len(rows) < FEWEST_ROWS:
        return None
    first, last = part[rows].argmax(axis=1), width - 1 - part[rows, ::-1].argmax(axis=1)
    centre = np.interp(np.arange(rows[0], rows[-1] + 1), rows, x + (first + last) / 2)
    half = int(np.ceil(float((last - first).max()) / 2))
    return Line(y + int(rows[0]), centre, 2 * half + 1, False, 0.0, -1), (half, half)


def blob_of(line: Line, area: Area, rgb: Rgb, limit: float) -> Blob:
    """A scratch as a piece of evidence."""
    middle = np.clip(np.rint(line.centre).astype(int), 0, rgb.shape[1] - 1)
    beside = [np.clip(middle + by, 0, rgb.shape[1] - 1) for by in (-line.width - 3, line.width + 3)]
    around = 0.5 * (rgb[line.rows, beside[0]] + rgb[line.rows, beside[1]])
    apart = np.median(rgb[line.rows, middle] - around, axis=0) * 255
    contrast = float(apart[int(np.argmax(np.abs(apart)))])
    sure = 1.0 / (1.0 + np.exp(-line.score))
    return Blob(area, len(line.centre) * line.width, contrast, float(sure), line.score < limit + DOUBTFUL)
