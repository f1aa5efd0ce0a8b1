"""The chain: a reel, then each step as a source of frames over the one before it.

The window, the command line and the tests all pull frames from here, so they get the same bits. Everything is
made on demand and kept in one cache under content keys; a frame that no step changed is the reader's own object.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Area, Geometry
from grevin.core.picture.masks import runs_of
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.steps.base import AnyStep, acting
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.registry import step_by_id
from grevin.core.steps.settings import Settings
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.families.local import LocalSource
from grevin.core.treatment.families.shape import ShapeSource
from grevin.core.treatment.families.time import TimeSource
from grevin.core.treatment.families.whole import WholeSource
from grevin.core.treatment.following import Follower
from grevin.core.treatment.over_time import OverTime
from grevin.core.treatment.recipe import Counted, Treatment
from grevin.core.treatment.regions import Region
from grevin.core.treatment.said import Said
from grevin.core.treatment.shots import MappedShots, ShotFinder
from grevin.core.treatment.step_source import Acted, StepSource
from grevin.core.treatment.strokes import Stroke
from grevin.core.treatment.studies import Studies
from grevin.core.treatment.verdicts import Verdicts
from grevin.core.treatment.window import CachedSource

DEFAULT_CACHE_BYTES = 384 << 20
SOURCES: dict[str, type[StepSource]] = {
    "local": LocalSource, "whole": WholeSource, "time": TimeSource, "shape": ShapeSource,
}  # fmt: skip


class Chain:
    """A reel under a treatment: the picture at every view point.

    Attributes:
        source: the reel itself (view point 0).
        steps: one source per acting step.
        view_points: the picture at each place of the treatment: 0 is the source, k after its k-th step
            (a step that rests shows the picture before it).
    """

    def __init__(
        self, reel: FrameSource, treatment: Treatment, cache: ByteCache | None = None, results: ByteCache | None = None,
        verdicts: Verdicts | None = None, cuts: Collection[int] | None = None, studies: Studies | None = None,
    ) -> None:  # fmt: skip
        """Build the chain.

        Args:
            reel: the frames.
            treatment: the steps.
            cache: holds everything made on the way.
            results: holds the frames that steps made, so that they outlive what was needed to make them;
                the same as `cache` by default.
            verdicts: what a person said on single places.
            cuts: first frames of shots by a person's word; None to find them from the pictures.
            studies: where what time steps learn of the reel is kept; None for the cache alone.
        """
        self._studies = studies
        self.cache = cache or ByteCache(DEFAULT_CACHE_BYTES)
        self.results = results or self.cache
        self.source = CachedSource(reel, self.cache)
        self.shots = ShotFinder(self.source, self.cache, cuts)
        self.verdicts = verdicts or Verdicts()
        self.follower = Follower(self.source, self.shots, self.cache)
        self.steps: list[StepSource] = []
        self.view_points: list[CachedSource | StepSource] = [self.source]
        for row in treatment.steps:
            if row.enabled:
                self.add(step_by_id(row.step), row.model(), row.regions, row.over_time, row.counted, row.strokes)
            else:
                self.view_points.append(self.result)

    def add(
        self, step: AnyStep, settings: Settings, regions: tuple[Region, ...] = (),
        over_time: tuple[OverTime, ...] = (), counted: Counted = "reel",
        strokes: tuple[Stroke, ...] = (),
    ) -> StepSource:  # fmt: skip
        """Put a step at the end."""
        said = Said(self.verdicts, regions, self.follower, over_time, counted, strokes)
        last = self.result
        step = acting(step, settings)
        behind = isinstance(last, StepSource) and last.changes_time
        shots = MappedShots(self.shots, lambda: last.timeline) if behind else self.shots  # type: ignore[union-attr]
        added = SOURCES[step.family](last, step, settings, shots, self.cache, self.results, said, self._studies)
        added.place = len(self.view_points)
        self.steps.append(added)
        self.view_points.append(added)
        return added

    @property
    def result(self) -> CachedSource | StepSource:
        """The picture after everything."""
        return self.view_points[-1]

    @property
    def timeline(self) -> Timeline:
        """Which frame of the reel each frame of the result comes from."""
        return self.timeline_at(len(self.view_points) - 1)

    def timeline_at(self, view_point: int) -> Timeline:
        """The same at any view point."""
        place = self.view_points[view_point]
        if isinstance(place, StepSource):
            return place.timeline
        return Timeline.same(len(self.source), self.source.format.rate)

    def changes_time(self, view_point: int) -> bool:
        """Whether a step before a view point does."""
        place = self.view_points[view_point]
        return isinstance(place, StepSource) and place.changes_time

    @property
    def bytes_to_make(self) -> int:
        """About how much memory the dearest step takes for one picture; 0 where that is not worth a word."""
        return max((step.bytes_to_make for step in self.steps if isinstance(step, ShapeSource)), default=0)

    @property
    def changes_whole(self) -> bool:
        """Whether a step changes whole pictures."""
        return any(step.step.family == "whole" for step in self.steps)

    def output_of(self, view_point: int, frame: int) -> int:
        """The frame at a view point that shows a frame of the reel."""
        return self.timeline_at(view_point).output_of(frame) if self.changes_time(view_point) else frame

    def behind(self, place: int, number: int) -> int:
        """The frame behind the acting step at a place (1 is the first) that frame `number` of the result comes from."""
        for later in reversed(self.steps[place:]):
            if later.is_time:
                number = int(later.timing.timeline.sources[number])
        return number

    def before(self, place: int, number: int) -> int:
        """The same before that step."""
        return self.behind(place - 1, number)

    def account(self, number: int) -> Iterator[tuple[int, StepSource, Acted]]:
        """What every acting step did to frame `number` of the result, with its place in the treatment (1 is the first).

        Places and masks are those of the reel's own picture.
        """
        for rank, step in enumerate(self.steps, 1):
            before = self.before(rank, number)
            acted = step.acted(before, self.behind(rank, number))
            geometry = step.geometry_before(before)
            yield step.place, step, acted if geometry is None else acted.back(geometry, step.reel_shape)

    def time_words(self, view_point: int, frame: int, output: int | None = None) -> str:
        """What became of a frame of the reel in time, or what an output frame is; "" where nothing did."""
        if not self.changes_time(view_point):
            return ""
        timeline = self.timeline_at(view_point)
        output = timeline.output_of(frame) if output is None else output
        shown = int(timeline.sources[output])
        place = f"output frame {output} of {len(timeline)}" if timeline.moves else ""
        if timeline.made[output] and shown == frame:
            return ", ".join(filter(None, ("rebuilt", place)))
        if shown != frame:
            return f"left out; shown instead: {place}, frame {shown} of the reel"
        return place

    def prepare(self, progress: Progress, frames: Collection[int] = ()) -> None:
        """Let steps learn what they have to know before frames are pulled.

        Time steps study the whole reel.

        Args:
            progress: told of what is done, and asked whether to stop.
            frames: of the reel, whose shots the other steps learn; without any they learn each when it is asked for.
        """
        for place, step in enumerate(self.steps):
            if step.is_time:
                step.prepare(0, progress)
            elif step.learns:
                before, known = self.steps[place - 1].timeline if place else None, range(0)
                for frame in frames:
                    number = frame if before is None else before.output_of(frame)
                    if number not in known:
                        step.prepare(number, progress)
                        known = step.shot_of(number)

    def told(self, frames: Iterable[int]) -> list[str]:
        """What steps that learned shots say of those of some frames of the reel, each shot once."""
        words = []
        for place, step in enumerate(self.steps):
            known = range(0)
            for frame in frames if step.learns else ():
                number = self.steps[place - 1].timeline.output_of(frame) if place else frame
                if number not in known:
                    known = step.shot_of(number)
                    where = f"{step.step.label}, frames {known.start} to {known.stop - 1}"
                    words += [f"{where}: {sentence}" for sentence in step.told(number)]
        return words

    @property
    def size_format(self) -> PictureFormat:
        """Format of the result but for rate and field order: known without studying anything."""
        return self.size_format_at(len(self.view_points) - 1)

    def size_format_at(self, view_point: int) -> PictureFormat:
        """The same at any view point."""
        place = self.view_points[view_point]
        return place.size_format if isinstance(place, StepSource) else place.format

    def number_before(self, place: int, frame: int) -> int:
        """The frame that the step at a place of the treatment (1 is the first) sees for a frame of the reel."""
        return self.output_of(place - 1, frame)

    def reel_frame(self, place: int, number: int) -> int:
        """The reel's frame that a frame before the step at a place of the treatment (1 is the first) comes from."""
        return int(self.timeline_at(place - 1).sources[number]) if self.changes_time(place - 1) else number

    def named(self, place: int, frame: int, counted: Counted) -> int:
        """By which number the settings of the step at a place of the treatment name a frame of the reel."""
        return frame if counted == "reel" else self.number_before(place, frame)

    def seam_at(self, view_point: int, output: int) -> tuple[int, int]:
        """The last good output frame before one that was made, and the first good one after it.

        Beside a frame that was not made these are its neighbours; at the ends of the reel the frame itself.
        """
        good = np.flatnonzero(~self.timeline_at(view_point).made)
        last = good[good < output]
        first = good[good > output]
        return int(last[-1]) if len(last) else output, int(first[0]) if len(first) else output

    def next_made(self, view_point: int, output: int, direction: int) -> int | None:
        """The next output frame that begins a run of made ones, on (+1) or back (-1); None where there is no more."""
        starts = [run.start for run in runs_of(self.timeline_at(view_point).made)]
        ahead = [start for start in starts if (start - output) * direction > 0]
        return (min(ahead) if direction > 0 else max(ahead)) if ahead else None

    def frame_at(self, view_point: int, frame: int) -> Frame:
        """What a view point shows of a frame of the reel."""
        return self.view_points[view_point].frame(self.output_of(view_point, frame))

    def key_at(self, view_point: int, frame: int) -> str:
        """Cache key of that."""
        return self.view_points[view_point].key(self.output_of(view_point, frame))

    def explain(self, view_point: int, frame: int, area: Area) -> str:
        """From where the step that leads to a view point fills a piece of its evidence, in words; "" for the rest."""
        place, number = self.view_points[view_point], self.output_of(view_point, frame)
        if not isinstance(place, StepSource):
            return ""
        geometry = place.geometry_before(number)
        return place.explain(number, area if geometry is None else geometry.area_on(area))

    def geometry_at(self, view_point: int, output: int) -> Geometry | None:
        """Where the pixels of frame `output` of a view point lie in the reel's own picture; None where they are it."""
        place = self.view_points[view_point]
        return place.geometry(output) if isinstance(place, StepSource) else None

    def is_ready(self, view_point: int, frame: int) -> bool:
        """Whether what a view point shows of a frame of the reel is at hand without making it."""
        if not self.is_studied(view_point, frame):
            return False
        key = self.key_at(view_point, frame)
        return key in self.results or key in self.cache

    def knows_time(self, view_point: int) -> bool:
        """Whether every time step before a view point knows the reel."""
        places = (place for place in self.view_points[: view_point + 1] if isinstance(place, StepSource))
        return all(place.is_studied(0) for place in places if place.is_time)

    def is_studied(self, view_point: int, frame: int) -> bool:
        """Whether every step before a view point knows all that it has to know to treat a frame of the reel."""
        number, behind = frame, None
        for place in self.view_points[1 : view_point + 1]:
            if not isinstance(place, StepSource) or place is behind:
                continue  # the step there rests
            if not place.is_studied(number):
                return False
            number, behind = (place.timeline.output_of(frame) if place.changes_time else frame), place
        return True

    def known_view_point(self, view_point: int, frame: int) -> int:
        """The view point, or the last before it that shows a frame without anything to be studied first."""
        return next(place for place in range(view_point, -1, -1) if self.is_studied(place, frame))

    def evidence_at(self, view_point: int, frame: int, output: int | None = None) -> Evidence | None:
        """Evidence of the step that leads to a view point; None at the source and for a step that rests.

        It is laid over the reel's own picture.

        Args:
            view_point: place on the path.
            frame: of the reel.
            output: the output frame at that view point; None for the one that shows the reel's.
        """
        place = self.view_points[view_point]
        resting = view_point > 0 and self.view_points[view_point - 1] is place
        if not isinstance(place, StepSource) or resting or (place.is_time and not place.is_studied(0)):
            return None
        output = self.output_of(view_point, frame) if output is None else output
        evidence = place.shown(output) if place.is_time else place.evidence(output)
        geometry = place.geometry(output) if place.is_time else place.geometry_before(output)
        return evidence if evidence is None or geometry is None else evidence.back(geometry, place.reel_shape)
