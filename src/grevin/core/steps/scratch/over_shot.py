"""The lines of a whole shot: found on every frame, judged, and followed from frame to frame.

A stretch of frames is held at a time, whatever the length of the shot.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
import numpy.typing as npt

from grevin.core.measure.logistic import CrossedModel
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress
from grevin.core.steps.scratch.built import bent_evenly, crossed
from grevin.core.steps.scratch.company import Company
from grevin.core.steps.scratch.features import FEATURES, features_of, width_and_channel
from grevin.core.steps.scratch.paths import Path, over_time, paths_of
from grevin.core.steps.scratch.responses import beyond_flanks
from grevin.core.steps.scratch.sight import Sight
from grevin.core.steps.seen import Arrays

STRETCH, MARGIN = 24, 12  # frames that are judged at a time, and those around that are looked at
LEAST_SCORE = -2.5  # of a line by itself, that is followed
LINK_PX, LINK_GROWS_PX = 2.0, 0.55  # aside from one frame to the next, and times the root of the frames between
GAP = 4  # frames for which a line may be gone
ALIKE = 0.4  # of the shorter line's bands that both have to have
AROUND = 8  # frames a side by which a line is judged together
FALL = 0.8  # of their say, for every two frames
# Lines at even distances, one after the other missing at most. Of twelve that lie anywhere on 720 px five do so by
# chance on one frame of four hundred (simulated); that a line does on most of its frames takes more than chance.
FEWEST_IN_ROW, MAY_MISS, LEAST_APART_PX, ROW_OFF_PX, ROW_STRENGTHS = 5, 1, 8.0, 2.0, 2.0
COMPANY, COMPANY_TOLD = FEATURES.index("in company"), FEATURES.index("company told")
COMPANY_FROM = 0.5  # share of the picture beside a line, from which it is dearer
SURCHARGE = 1.5  # of its score, where all of the picture beside it goes with it
STEADY_FRAMES = 12  # a side, over which it is looked whether a line goes its way evenly, and
FEWEST_STEADY = 4  # on which it was found at least
MOST_OF_IT = 0.5  # of its frames, round which it has to do so: one that wanders does now and then
LEAST_WAY_PX, EVEN_SHARE = 5.0, 0.035  # of the way it goes, and the rms by which it leaves that, as a share of it
ROUNDS, TRIMMED = 3, 0.75  # of the fit, and the share of the frames that is to agree: others were found beside it
GOES = 20.0  # of its score, which is 10 for the clearest scratch
ABSENT = -1.5  # score of a line on a frame where it was not found
LEAST_SIDE_PX = 4.0  # from the middle of a line to the rim of the picture
DOUBLE_PX = 5.0  # from a stronger line, beside half of both widths: the same one again


@dataclass(frozen=True, eq=False)
class Candidate:
    """A line on a frame.

    Attributes:
        frame: its number.
        dark: its polarity.
        path: where it lies.
        width: px.
        channel: where it shows most.
        features: (F,) what the judge goes by.
        score: of the judge.
        drawn: whether it stands in a row with others of its frame, bends evenly, or one like it lies across.
    """

    frame: int
    dark: bool
    path: Path
    width: int
    channel: int
    features: npt.NDArray[np.float64]
    score: float = 0.0
    drawn: bool = False


def measured(frames: range, sight: Callable[[int], Sight | None], model: CrossedModel, progress: Progress) -> Arrays:
    """The lines of a shot, as `packed`.

    Args:
        frames: of the shot.
        sight: of one of them; None where it cannot be looked at.
        model: who judges.
        progress: one unit a frame.
    """
    progress.begin(len(frames), "Looking for scratches")
    held: dict[int, Sight] = {}
    found: list[Candidate] = []

    def look(number: int) -> tuple[int, Sight | None]:
        return number, sight(number)

    for start in range(frames.start, frames.stop, STRETCH):
        stop = min(start + STRETCH, frames.stop)
        wanted = range(max(frames.start, start - MARGIN), min(frames.stop, stop + MARGIN))
        for number in [one for one in held if one not in wanted]:
            del held[number]
        for number, seen in in_parallel(look, [one for one in wanted if one not in held]):
            if seen is not None:
                held[number] = seen
            progress.advance()
        for number, some in candidates_of(range(start, stop), held).items():
            found += with_built(judged(some, model), held[number])
    return packed(found, _tracks(found), frames)


def candidates_of(core: range, held: dict[int, Sight]) -> dict[int, list[Candidate]]:
    """What may be a line on some frames, not judged yet.

    Args:
        core: the frames.
        held: they, and those around, as far as they can be looked at.
    """
    numbers = sorted(held)
    sights = [held[number] for number in numbers]
    found: dict[int, list[Candidate]] = {number: [] for number in core if number in held}
    company = Company(sights)
    for dark in (False, True):
        sums = over_time([one.of(dark).strength for one in sights]) if sights else []
        for place, number in enumerate(numbers):
            if number in found:
                sight = sights[place]
                lines = [
                    one for one in paths_of(sums[place], sight.of(dark).strength)
                    if _has_sides(one, sight.of(dark).strength.shape[1])
                ]  # fmt: skip
                found[number] += [
                    Candidate(number, dark, line, *width_and_channel(sight, line, dark),
                              features_of(place, sights, line, dark, lines, company))
                    for line in lines
                ]  # fmt: skip
    return found


def _has_sides(path: Path, width: int) -> bool:
    """Whether the picture is seen on both sides of a line: what lies at its rim cannot be told from a border."""
    middle = path.middle
    return min(middle, width - 1 - middle) >= LEAST_SIDE_PX


def judged(some: list[Candidate], model: CrossedModel) -> list[Candidate]:
    """Those of a frame that may be scratches, with their scores; what is but the flank of a stronger one is left out.

    Flanks may score higher than what they are flanks of: a short piece of one looks like nothing else.
    """
    if not some:
        return []
    rows = np.stack([one.features for one in some])
    scores = model.scores(rows) - _dearer(rows)
    kept: list[Candidate] = []
    for at in sorted(np.flatnonzero(scores >= LEAST_SCORE), key=lambda at: -some[at].path.score):
        one = replace(some[at], score=float(scores[at]))
        if not any(_same_again(one, stronger) for stronger in kept):
            kept.append(one)
    return kept


def with_built(lines: list[Candidate], sight: Sight) -> list[Candidate]:
    """The lines of a frame, each told whether it was drawn or built."""
    rows, luma = in_a_row(lines), sight.channels[0]
    beyond = cache(lambda width: beyond_flanks(luma, width))

    def is_built(one: Candidate) -> bool:
        return bent_evenly(one.path) or crossed(luma, beyond(one.width), sight.columns, one.path, one.width, one.dark)

    return [replace(one, drawn=bool(row) or is_built(one)) for one, row in zip(lines, rows, strict=True)]


def in_a_row(lines: Sequence[Candidate]) -> npt.NDArray[np.bool_]:
    """(N,) bool, which lines of a frame stand at even distances: a grid, a railing; scratches lie anywhere."""
    drawn = np.zeros(len(lines), np.bool_)
    middles = np.array([one.path.middle for one in lines])
    for dark in (False, True):
        own = np.flatnonzero([one.dark == dark for one in lines])
        own = own[np.argsort(middles[own])]
        for place, first in enumerate(own):
            for second in own[place + 1 :]:
                row = _row_from(middles, own, int(first), int(second))
                if len(row) >= FEWEST_IN_ROW and _alike([lines[at].path.own for at in row]):
                    drawn[row] = True
    return drawn


def _row_from(middles: npt.NDArray[np.float64], own: npt.NDArray[np.intp], first: int, second: int) -> list[int]:
    """The lines that go on at the distance of the first two, which is told better by each that follows."""
    row, at = [first, second], 1  # and of how many distances the last one lies from the first
    if middles[second] - middles[first] < LEAST_APART_PX:
        return row
    missing = 0
    while missing <= MAY_MISS:
        due = middles[first] + (at + missing + 1) * (middles[row[-1]] - middles[first]) / at
        nearest = int(own[np.abs(middles[own] - due).argmin()])
        if nearest in row or abs(middles[nearest] - due) > ROW_OFF_PX:
            missing += 1
            continue
        row.append(nearest)
        at, missing = at + missing + 1, 0
    return row


def _alike(strengths: list[float]) -> bool:
    return max(strengths) <= ROW_STRENGTHS * min(strengths)


def _dearer(rows: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """(N,) by how much more lines of such measures have to score.

    Where a line goes with all of the picture beside it nothing but its looks tells it from what stands there, and what
    stands there is not to be harmed.
    """
    company = np.clip((rows[:, COMPANY] - COMPANY_FROM) / (1 - COMPANY_FROM), 0, 1)
    return np.asarray(SURCHARGE * company * rows[:, COMPANY_TOLD])


def _same_again(one: Candidate, stronger: Candidate) -> bool:
    """Whether a line is but a flank of a stronger one."""
    apart, share = _apart(one.path, stronger.path)
    return share > ALIKE and apart < DOUBLE_PX + 0.5 * (one.width + stronger.width)


def _apart(one: Path, other: Path) -> tuple[float, float]:
    """Mean distance in px over the bands that both have, and their share of the shorter one."""
    first, stop = max(one.first, other.first), min(one.first + len(one.across), other.first + len(other.across))
    if stop <= first:
        return float("inf"), 0.0
    ours, theirs = (
        one.across[first - one.first : stop - one.first],
        other.across[first - other.first : stop - other.first],
    )
    return float(np.abs(ours - theirs).mean()), (stop - first) / min(len(one.across), len(other.across))


def _tracks(found: list[Candidate]) -> npt.NDArray[np.int64]:
    """(N,) which line over time each belongs to."""
    track = np.full(len(found), -1, np.int64)
    ends: dict[int, int] = {}  # by line: its last candidate
    by_frame: dict[int, list[int]] = {}
    for at, one in enumerate(found):
        by_frame.setdefault(one.frame, []).append(at)
    for frame in sorted(by_frame):
        pairs = sorted(
            (distance, at, line)
            for at in by_frame[frame]
            for line, last in ends.items()
            if 0 < frame - found[last].frame <= GAP
            and (distance := _linked(found[last], found[at])) is not None
        )  # fmt: skip
        taken: set[int] = set()
        for _, at, line in pairs:
            if track[at] < 0 and line not in taken:
                track[at] = line
                taken.add(line)
        for at in by_frame[frame]:
            if track[at] < 0:
                track[at] = len(ends)
                taken.add(len(ends))
                ends[len(ends)] = at
            ends[int(track[at])] = at
    return track


def _linked(last: Candidate, one: Candidate) -> float | None:
    """How far a line is from one on an earlier frame, px; None where it is another one."""
    if last.dark != one.dark:
        return None
    apart, share = _apart(last.path, one.path)
    return apart if share >= ALIKE and apart < LINK_PX + LINK_GROWS_PX * np.sqrt(one.frame - last.frame) else None


def packed(found: list[Candidate], track: npt.NDArray[np.int64], frames: range) -> Arrays:
    """As arrays that are kept: a row a line and frame, and the places of all bands one after the other."""
    lengths = np.array([len(one.path.across) for one in found], np.int64)
    return {
        "frame": np.array([one.frame for one in found], np.int64),
        "dark": np.array([one.dark for one in found], np.bool_),
        "width": np.array([one.width for one in found], np.int64),
        "channel": np.array([one.channel for one in found], np.int64),
        "first": np.array([one.path.first for one in found], np.int64),
        "begins": np.concatenate([[0], np.cumsum(lengths)])[: len(found)].astype(np.int64),
        "bands": lengths,
        "track": track,
        "score": _together(found, track, frames),
        "across": np.concatenate([one.path.across for one in found]) if found else np.zeros(0),
    }


def _together(found: list[Candidate], track: npt.NDArray[np.int64], frames: range) -> npt.NDArray[np.float64]:
    """(N,) scores of lines judged together with themselves on the frames around."""
    lines: dict[int, dict[int, float]] = {}
    middles: dict[int, dict[int, float]] = {}
    drawn: dict[int, list[bool]] = {}
    for one, line in zip(found, track, strict=True):
        lines.setdefault(int(line), {})[one.frame] = one.score
        middles.setdefault(int(line), {})[one.frame] = float(np.median(one.path.across))
        drawn.setdefault(int(line), []).append(one.drawn)
    told = {line for line, places in middles.items() if passes(places) or np.mean(drawn[line]) >= MOST_OF_IT}
    offsets = range(-AROUND, AROUND + 1)
    result = np.zeros(len(found))
    for at, (one, line) in enumerate(zip(found, track, strict=True)):
        inside = [offset for offset in offsets if one.frame + offset in frames]
        weights = np.array([FALL ** (abs(offset) / 2) for offset in inside])
        scores = np.array([lines[int(line)].get(one.frame + offset, ABSENT) for offset in inside])
        result[at] = float(weights @ scores / weights.sum()) - GOES * (int(line) in told)
    return result


def passes(middles: dict[int, float]) -> bool:
    """Whether a line goes its way as things do that pass, or that a camera passes: a scratch wanders, and comes back.

    Of lines that wander at random by up to .6 px a frame at most one in four hundred does so by chance, by 1.2 px one
    in twenty-five (simulated).

    Args:
        middles: px where it lies, by frame.
    """
    return float(np.mean([_goes_evenly(middles, frame) for frame in middles])) >= MOST_OF_IT


def _goes_evenly(middles: dict[int, float], frame: int) -> bool:
    """Whether it does round a frame."""
    around = range(frame - STEADY_FRAMES, frame + STEADY_FRAMES + 1)
    numbers = [number for number in around if number in middles]
    if len(numbers) < FEWEST_STEADY:
        return False
    times, places = np.array(numbers, np.float64), np.array([middles[number] for number in numbers])
    if np.ptp(places) < LEAST_WAY_PX:
        return False
    kept = np.ones(len(numbers), np.bool_)
    for _ in range(ROUNDS):
        slope, start = np.polyfit(times[kept], places[kept], 1)
        off = np.abs(places - slope * times - start)
        kept = off <= np.quantile(off, TRIMMED)
    way = abs(float(slope)) * float(np.ptp(times))
    return way >= LEAST_WAY_PX and float(np.sqrt(np.mean(np.square(off[kept])))) <= EVEN_SHARE * way
