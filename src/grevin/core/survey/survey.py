"""One pass over a reel: every measure on every frame, then what stands out."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.errors import UnreadableFrameError
from grevin.core.keys import content_key
from grevin.core.measure.cadence import Cadence, cadence_of, cadences_of_shots
from grevin.core.parallel import in_parallel
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.survey.findings import SurveyFinding, findings_of
from grevin.core.survey.measures.base import SPOT, Depth, Measure, Seen, Sight, Spots
from grevin.core.survey.measures.registry import MEASURES
from grevin.core.survey.rows import Curve, MeasuredStore, Row
from grevin.core.survey.standing import marks_of_shots
from grevin.core.treatment.shots import ShotFinder
from grevin.core.treatment.window import CachedSource

SURVEY_FORMAT, SURVEY_VERSION = "grevin-survey", 1
MEASURES_VERSION = 6  # raised when a measure gives other values, so that older ones are measured anew
QUICK_STEP = 5  # the quick pass looks at every fifth frame
CACHE_BYTES = 160 << 20  # a handful of HD frames; independent of the reel's length
SEEN_BYTES = 4  # held a pixel by a frame that was looked at: luma, half, half R'G'B', rounded up
KEEP_SECONDS = 1.0  # how often what was measured is written down: a kill loses no more
DEPTHS: tuple[Depth, ...] = ("first", "quick", "full")


@dataclass
class Survey:
    """What was measured.

    Attributes:
        frames: the frames that were looked at.
        rate: frames per second of the reel.
        units: unit of each curve.
        series: a value for each of `frames`, NaN where it cannot be told.
        cuts: first frame of each new shot, without the first one; empty for a quick pass, which cannot see them.
        unreadable: frame and reason.
        cadence: how frames repeat; None for a quick pass.
        shots: first frame, last frame and cadence of each shot.
        findings: what stands out, but for single places of damage.
        spots: those, an array of `SPOT`.
    """

    frames: range
    rate: Fraction
    units: dict[str, str]
    series: dict[str, Curve]
    cuts: list[int] = field(default_factory=list)
    unreadable: list[tuple[int, str]] = field(default_factory=list)
    cadence: Cadence | None = None
    shots: list[tuple[int, int, Cadence]] = field(default_factory=list)
    findings: list[SurveyFinding] = field(default_factory=list)
    spots: Spots = field(default_factory=lambda: np.zeros(0, SPOT))

    def every_finding(self) -> Iterator[SurveyFinding]:
        """Findings and single places."""
        yield from self.findings
        yield from map(finding_of_spot, self.spots)

    def data(self, reel: dict[str, Any]) -> dict[str, Any]:
        """Plain data for JSON; `reel` says what was looked at (as `grevin probe` does)."""
        return {
            "format": SURVEY_FORMAT,
            "version": SURVEY_VERSION,
            "reel": reel,
            "frames": [self.frames.start, self.frames.stop, self.frames.step],
            "cuts": self.cuts,
            "cadence": self.cadence.data() if self.cadence is not None else None,
            "shots": [{"first_frame": a, "last_frame": b, "cadence": one.data()} for a, b, one in self.shots],
            "series": {
                name: {"unit": self.units[name], "values": [_plain(value) for value in curve]}
                for name, curve in self.series.items()
            },
            "findings": [finding.data() for finding in self.every_finding()],
        }


def _plain(value: np.float32) -> float | None:
    return None if np.isnan(value) else round(float(value), 3)


def finding_of_spot(spot: Any) -> SurveyFinding:
    """A single place as a finding."""
    area = (int(spot["x"]), int(spot["y"]), int(spot["width"]), int(spot["height"]))
    figures = {"pixels": float(spot["pixels"])}
    if spot["contrast"]:
        figures["contrast"] = float(spot["contrast"])
    frame = int(spot["frame"])
    return SurveyFinding(spot["kind"].decode(), frame, frame, float(spot["confidence"]), figures, area)


def measures_of(depth: Depth) -> tuple[Measure, ...]:
    """The measures that a pass takes."""
    return tuple(measure for measure in MEASURES if DEPTHS.index(measure.depth) <= DEPTHS.index(depth))


def curve_names(depth: Depth) -> list[str]:
    """Names of the curves of a pass, in the order of a row's values."""
    return [series.name for measure in measures_of(depth) for series in measure.series]


def measured_key(source: FrameSource, depth: Depth) -> str:
    """Names everything that the rows of a pass depend on, but for the frame."""
    return content_key("measured", source.identity, MEASURES_VERSION, depth, *curve_names(depth))


def looked_at(frames: range, depth: Depth) -> range:
    """The frames that a pass looks at."""
    return range(frames.start, frames.stop, QUICK_STEP) if depth == "quick" else frames


def run_survey(
    source: FrameSource, frames: range, depth: Depth, progress: Progress, store: MeasuredStore | None = None,
    take: Callable[[Row], object] | None = None, workers: int = 0,
) -> Survey:  # fmt: skip
    """Measure a run of frames.

    Args:
        source: the reel.
        frames: what is looked at, one after the other.
        depth: "first": levels and cuts; "quick": every fifth frame and the cheap measures; "full": everything.
        progress: one unit a frame.
        store: rows that are in it are not measured again; the others are kept in it about every second.
        take: told of every row, those from the store first.
        workers: threads; 0 for all processors.

    Raises:
        CancelledError: if asked to stop; what was measured is kept.
    """
    frames = looked_at(frames, depth)
    survey = _empty(source, frames, depth)
    spots: list[Spots] = []
    known: set[int] = set()
    key = measured_key(source, depth)

    def enter(row: Row) -> None:
        _enter(survey, spots, row)
        if take is not None:
            take(row)

    progress.begin(len(frames), "Measuring")
    for row in store.measured(key) if store is not None else ():
        if row.frame in frames:
            known.add(row.frame)
            enter(row)
    wanted = [number for number in frames if number not in known]
    if known:
        progress.advance(len(known))
    for row in _kept_now_and_then(_rows(source, wanted, depth, workers), store, key):
        enter(row)
        progress.advance()
    _conclude(survey, spots, depth)
    if depth == "full":
        _add_marks(survey, source, progress, store, key, workers)
    return survey


def _empty(source: FrameSource, frames: range, depth: Depth) -> Survey:
    every = [series for measure in measures_of(depth) for series in measure.series]
    curves = {one.name: np.full(len(frames), np.nan, np.float32) for one in every}
    return Survey(frames, source.format.rate, {one.name: one.unit for one in every}, curves)


def _enter(survey: Survey, spots: list[Spots], row: Row) -> None:
    if row.fault:
        survey.unreadable.append((row.frame, row.fault))
        return
    place = survey.frames.index(row.frame)
    for curve, value in zip(survey.series.values(), row.values, strict=True):
        curve[place] = value
    if row.cut and place:
        survey.cuts.append(row.frame)
    if len(row.spots):
        spots.append(row.spots)


def _kept_now_and_then(rows: Iterable[Row], store: MeasuredStore | None, key: str) -> Iterator[Row]:
    waiting: list[Row] = []
    last = time.monotonic()
    try:
        for row in rows:
            waiting.append(row)
            if store is not None and time.monotonic() - last > KEEP_SECONDS:
                store.keep_measured(key, waiting)
                waiting, last = [], time.monotonic()
            yield row
    finally:
        if store is not None and waiting:
            store.keep_measured(key, waiting)


def _rows(source: FrameSource, wanted: list[int], depth: Depth, workers: int) -> Iterator[Row]:
    cache = ByteCache(CACHE_BYTES)
    looker = _Looker(CachedSource(source, cache), cache, depth)
    return in_parallel(looker.look, wanted, workers)


def _conclude(survey: Survey, spots: list[Spots], depth: Depth) -> None:
    """What follows from all rows together."""
    survey.cuts.sort()
    survey.unreadable.sort()
    if spots:
        survey.spots = np.concatenate(spots)
        survey.spots = survey.spots[np.argsort(survey.spots["frame"], kind="stable")]
    if depth == "full":
        survey.shots = cadences_of_shots(survey.series, survey.frames, survey.cuts, survey.rate)
        survey.cadence = cadence_of(survey.shots, survey.rate)
    survey.findings = findings_of(survey.series, survey.frames, survey.cuts, survey.unreadable)


def _add_marks(
    survey: Survey, source: FrameSource, progress: Progress, store: MeasuredStore | None, key: str, workers: int
) -> None:  # fmt: skip
    """A finding for each mark that stands all through a shot."""
    shots = [range(first, last + 1) for first, last, _ in survey.shots]
    for shot, row in marks_of_shots(source, shots, progress, store, content_key("standing", key), workers):
        survey.findings += [replace(finding_of_spot(spot), last=shot[-1]) for spot in row.spots]
    survey.findings.sort(key=lambda finding: (finding.first, finding.kind))


class _Looker:
    """Looks at single frames, from any thread."""

    def __init__(self, source: CachedSource, cache: ByteCache, depth: Depth) -> None:
        self._source = source
        self._cache = cache
        self._shots = ShotFinder(source, cache)
        self._measures = measures_of(depth)
        self._cuts = depth != "quick"
        self._beside = depth == "full"

    def look(self, number: int) -> Row:
        """What a frame measures, or why it cannot be read."""
        try:
            here = self._seen(number)
        except UnreadableFrameError as fault:
            return Row(number, np.zeros(0, np.float32), fault=fault.what)
        sight = Sight(here)
        if self._beside:
            sight = Sight(here, self._joined(number, -1), self._joined(number, 1))
        values: list[float] = []
        spots: list[Spots] = []
        for measure in self._measures:
            if hasattr(measure, "spots_of"):
                told, found = measure.spots_of(sight)
                spots.append(found)
            else:
                told = measure.of(sight)
            values += told
        cut = self._cuts and number > 0 and self._shots.cut_before(number) and self._can_read(number - 1)
        return Row(number, np.array(values, np.float32), cut, "", np.concatenate(spots) if spots else np.zeros(0, SPOT))

    def _seen(self, number: int) -> Seen:
        def size(seen: Seen) -> int:
            return seen.frame.nbytes + SEEN_BYTES * seen.frame.format.width * seen.frame.format.height

        return self._cache.get(f"seen/{number}", lambda: Seen(self._source.frame(number)), size)

    def _joined(self, number: int, offset: int) -> Seen | None:
        """The frame beside one, if it belongs to the same shot and can be read."""
        if not self._shots.same_shot(number, number + offset):
            return None
        return self._seen(number + offset)

    def _can_read(self, number: int) -> bool:
        try:
            self._source.frame(number)
        except UnreadableFrameError:
            return False
        return True
