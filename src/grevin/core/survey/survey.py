"""One pass over a reel: every measure on every frame, then what stands out."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.cache import ByteCache
from grevin.core.errors import UnreadableFrameError
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.render.frames_in_parallel import in_parallel
from grevin.core.survey.cadence import Cadence, cadence_of
from grevin.core.survey.findings import SurveyFinding, findings_of
from grevin.core.survey.measures.base import Measure, Sight
from grevin.core.survey.measures.registry import MEASURES
from grevin.core.treatment.chain import CachedSource
from grevin.core.treatment.shots import ShotFinder

SURVEY_FORMAT, SURVEY_VERSION = "grevin-survey", 1
QUICK_STEP = 5  # the quick pass looks at every fifth frame
CACHE_BYTES = 128 << 20  # a handful of HD frames; independent of the reel's length

Curve = npt.NDArray[np.float32]


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
        findings: what stands out.
    """

    frames: range
    rate: Fraction
    units: dict[str, str]
    series: dict[str, Curve]
    cuts: list[int] = field(default_factory=list)
    unreadable: list[tuple[int, str]] = field(default_factory=list)
    cadence: Cadence | None = None
    findings: list[SurveyFinding] = field(default_factory=list)

    def data(self, reel: dict[str, Any]) -> dict[str, Any]:
        """Plain data for JSON; `reel` says what was looked at (as `grevin probe` does)."""
        return {
            "format": SURVEY_FORMAT,
            "version": SURVEY_VERSION,
            "reel": reel,
            "frames": [self.frames.start, self.frames.stop, self.frames.step],
            "cuts": self.cuts,
            "cadence": self.cadence.data() if self.cadence is not None else None,
            "series": {
                name: {"unit": self.units[name], "values": [_plain(value) for value in curve]}
                for name, curve in self.series.items()
            },
            "findings": [finding.data() for finding in self.findings],
        }


def _plain(value: np.float32) -> float | None:
    return None if np.isnan(value) else round(float(value), 3)


def run_survey(source: FrameSource, frames: range, quick: bool, progress: Progress) -> Survey:
    """Measure a run of frames.

    Args:
        source: the reel.
        frames: what is looked at, one after the other.
        quick: every fifth frame and the cheap measures only.
        progress: one unit a frame.

    Raises:
        CancelledError: if asked to stop.
    """
    frames = range(frames.start, frames.stop, QUICK_STEP) if quick else frames
    measures = tuple(measure for measure in MEASURES if measure.quick or not quick)
    names = [series for measure in measures for series in measure.series]
    survey = Survey(
        frames, source.format.rate, {one.name: one.unit for one in names},
        {one.name: np.full(len(frames), np.nan, np.float32) for one in names},
    )  # fmt: skip
    cache = ByteCache(CACHE_BYTES)
    looker = _Looker(CachedSource(source, cache), cache, frames, measures, quick)
    progress.begin(len(frames), "Measuring")
    for place, (number, seen) in enumerate(zip(frames, in_parallel(looker.look, frames), strict=True)):
        if isinstance(seen, str):
            survey.unreadable.append((number, seen))
        else:
            for one, value in zip(names, seen.values, strict=True):
                survey.series[one.name][place] = value
            if seen.cut:
                survey.cuts.append(number)
        progress.advance()
    if not quick:
        survey.cadence = cadence_of(survey.series["change_largest"], frames, source.format.rate)
    survey.findings = findings_of(survey.series, frames, survey.cuts, survey.unreadable)
    return survey


@dataclass(frozen=True)
class _Seen:
    values: tuple[float, ...]
    cut: bool


class _Looker:
    """Looks at single frames, from any thread."""

    def __init__(
        self, source: CachedSource, cache: ByteCache, frames: range, measures: tuple[Measure, ...], quick: bool
    ) -> None:  # fmt: skip
        self._source = source
        self._shots = ShotFinder(source, cache)
        self._frames = frames
        self._measures = measures
        self._quick = quick

    def look(self, number: int) -> _Seen | str:
        """The values of a frame, or why it cannot be read."""
        try:
            frame = self._source.frame(number)
        except UnreadableFrameError as fault:
            return fault.what
        first = number == self._frames.start
        cut = not self._quick and not first and self._shots.cut_before(number) and self._before(number) is not None
        before = None if self._quick or first or cut else self._before(number)
        sight = Sight(frame, before)
        return _Seen(tuple(value for measure in self._measures for value in measure.of(sight)), bool(cut))

    def _before(self, number: int) -> Sight | None:
        try:
            return Sight(self._source.frame(number - 1), None)
        except UnreadableFrameError:
            return None
