"""One step over the frames of another source; how it acts on them is its family's (`treatment.families`)."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.geometry import Area, Geometry
from grevin.core.steps.base import AnyStep
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.settings import Settings
from grevin.core.steps.strokes import NAMES_A_FRAME, PlacedStroke
from grevin.core.steps.timing import Doubt, Timing
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.field_source import FieldPath, FieldSource
from grevin.core.treatment.over_time import SettingsOverTime
from grevin.core.treatment.regions import Weight
from grevin.core.treatment.said import Said
from grevin.core.treatment.shots import Shots
from grevin.core.treatment.step_studies import StudyingStep
from grevin.core.treatment.strokes import Seen, Stroke, placed
from grevin.core.treatment.studies import Learned, Studies
from grevin.core.treatment.verdicts import Verdict
from grevin.core.treatment.window import ChainWindow, NamedSource

MOST_KEYS = 4096  # remembered of frames, and as many of their surroundings: memory does not grow with the reel


@dataclass(frozen=True, eq=False)
class Acted:
    """What a step did to one frame, for whoever keeps the record.

    Attributes:
        mask: (H, W) bool, what it may have changed; None where the step did not act on the frame at all.
        mended: places that it mended.
        left: places that it would have mended but for a person's word.
        doubt: a sentence for whoever looks through the output, "" for none.
        made: whether it made the frame anew.
        reshaped: whether it shows another shape or part of the picture.
        whole_levels: where it changed the whole picture, by how much: rms of luma, 8-bit levels; else None.
    """

    mask: Mask | None = None
    mended: tuple[Blob, ...] = ()
    left: tuple[Blob, ...] = ()
    doubt: str = ""
    made: bool = False
    reshaped: bool = False
    whole_levels: float | None = None

    def back(self, geometry: Geometry, shape: tuple[int, int]) -> Acted:
        """The same in an earlier picture, (H, W)."""
        mended, left = (
            tuple(replace(blob, area=geometry.area_back(blob.area)) for blob in blobs)
            for blobs in (self.mended, self.left)
        )
        mask = None if self.mask is None else geometry.mask_back(self.mask, shape)
        return replace(self, mask=mask, mended=mended, left=left)


class StepSource(StudyingStep):
    """A FrameSource: one step over the frames of another source.

    Attributes:
        step: the step.
        settings: its settings; `settings_at` tells those of a frame.
        place: in the treatment, 1 for the first; resting steps count.
        is_time: whether the step changes time.
        judges_itself: whether the step says how well it made a frame.
    """

    is_time = False
    judges_itself = False

    def __init__(
        self, source: NamedSource, step: AnyStep, settings: Settings, shots: Shots, cache: ByteCache,
        results: ByteCache, said: Said, studies: Studies | None = None,
    ) -> None:  # fmt: skip
        """Put the step over a source.

        Args:
            source: the frames before it.
            step: the step, of the family of this class.
            settings: of the step.
            shots: where the frames before it are cut.
            cache: for what is derived from frames.
            results: for the frames that are made.
            said: what a person says besides the settings.
            studies: where what the step learns is kept for good.
        """
        self.step = step
        self.settings = settings
        self.place = 0
        self._settings = SettingsOverTime(settings, said.over_time, step.id)
        self._source = source
        self._earlier = source if isinstance(source, StepSource) else None
        self._shots = shots
        self._cache = cache
        self._results = results
        self._said = said
        self._learned = Learned(cache, studies)
        self._timeline: Timeline | None = None
        self._own = content_key(step.id, step.version)
        self._known_key = lru_cache(MOST_KEYS)(self._key_of)
        self._known_run = lru_cache(MOST_KEYS)(self._key_of_run)
        self._format = self._new_format(source.size_format if isinstance(source, StepSource) else source.format)

    # what the family says

    @abstractmethod
    def _make(self, number: int) -> Frame:
        """Frame `number` after the step."""

    @abstractmethod
    def acted(self, before: int, behind: int) -> Acted:
        """What the step did to a frame: its number before the step, and behind it."""

    def _new_format(self, fmt: PictureFormat) -> PictureFormat:
        """The format after the step, but for rate and field order."""
        return fmt

    def _acts_on(self, number: int) -> bool:
        """Whether the step changes a frame."""
        return True

    def evidence(self, number: int) -> Evidence | None:
        """Where a local step acts on the frame, in whole chroma blocks; None for the other families."""
        return None

    def shown(self, number: int) -> Evidence | None:
        """What a time step shows of a frame that it made; `number` is of its output. None for all others."""
        return None

    def explain(self, number: int, area: Area) -> str:
        """From where a piece of the evidence is filled, in words; "" where the step does not say."""
        return ""

    def doubts(self) -> list[Doubt]:
        """What a time step wants a person's word on, in the reel's own frames."""
        return []

    @property
    def timing(self) -> Timing:
        """What a time step makes of the reel; studied at the first asking. For other steps: nothing."""
        return Timing(Timeline.same(len(self._source), self._source.format.rate))

    @property
    def time_notes(self) -> tuple[str, ...]:
        """What a time step has to say of the reel."""
        return ()

    # format, time

    @property
    def format(self) -> PictureFormat:
        """Format after the step; a change of time has to be studied first."""
        return replace(self._format, rate=self._source.format.rate, field_order=self._source.format.field_order)

    @property
    def size_format(self) -> PictureFormat:
        """Format after the step, but for rate and field order: known without studying anything."""
        return self._format

    def __len__(self) -> int:
        return len(self._source)

    @property
    def changes_time(self) -> bool:
        """Whether this step or one before it does."""
        return self.is_time or (self._earlier is not None and self._earlier.changes_time)

    @property
    def timeline(self) -> Timeline:
        """Which frame of the reel each frame behind this step comes from."""
        if self._timeline is None:
            before = self._earlier.timeline if self._earlier is not None else None
            own = self.timing.timeline if self.is_time else Timeline.same(len(self), self._source.format.rate)
            self._timeline = own if before is None else before.then(own)
        return self._timeline

    def _reel_frame(self, number: int) -> int:
        """The reel's frame that a frame before this step comes from: what a person says is about those."""
        if self._earlier is None or not self._earlier.changes_time:
            return number
        return int(self._earlier.timeline.sources[number])

    # shape

    def geometry(self, number: int) -> Geometry | None:
        """Where the pixels behind this step lie in the reel's own picture; None where they are the same."""
        return self.geometry_before(number)

    def geometry_before(self, number: int) -> Geometry | None:
        """The same for a frame before this step."""
        return self._earlier.geometry(number) if self._earlier is not None else None

    @property
    def reel_shape(self) -> tuple[int, int]:
        """(H, W) of the reel's own picture."""
        if self._earlier is not None:
            return self._earlier.reel_shape
        return self._source.format.height, self._source.format.width

    def _allowed(self, number: int) -> Weight | None:
        """(H, W) 0..1, how much of what the step does is taken on a frame before it; None for all, everywhere."""
        fmt, place = self._source.format, self._reel_frame(number)
        weight, geometry = self._said.allowed(place, self.reel_shape), self.geometry_before(number)
        if weight is None or geometry is None:
            return weight
        return geometry.weight_on(weight, (fmt.height, fmt.width), self._said.outside(place))

    def _verdicts(self, number: int) -> tuple[Verdict, ...]:
        """A person's words on places of a frame before the step, as it sees them."""
        said, geometry = self._said.verdicts.on(self.step.id, self._reel_frame(number)), self.geometry_before(number)
        return said if geometry is None else tuple(replace(one, area=geometry.area_on(one.area)) for one in said)

    # strokes

    def strokes_on(self, number: int, parity: int | None = None) -> tuple[PlacedStroke, ...]:
        """The strokes on a frame before the step, in the order in which they were drawn.

        Args:
            number: of the frame.
            parity: of one of its fields; None for the frame itself.
        """
        if not self._said.strokes:
            return ()
        frame, fmt, before = self._reel_frame(number), self._source.format, self.geometry_before(number)
        if parity is not None:
            field, fmt = Geometry.of_field(parity), fmt.of_field(parity)
            before = field if before is None else before.then(field)
        seen = Seen(self.reel_shape, (fmt.height, fmt.width), before, float(self._source.format.pixel_aspect))
        found = (
            placed(stroke, place, frame, seen, self._offset_to(stroke, number), self._said.shift)
            for place, stroke in enumerate(self._said.strokes, 1)
            if stroke.where.holds(frame)
        )
        return tuple(one for one in found if one is not None)

    def _offset_to(self, stroke: Stroke, number: int) -> int | None:
        """Frames from one before the step to that which a stroke names; None where it names none, or it is gone."""
        if stroke.fill.way not in NAMES_A_FRAME:
            return None
        named = self._named(stroke)
        return None if named is None else named - number

    def _named(self, stroke: Stroke) -> int | None:
        frame = stroke.fill.frame
        if self._earlier is not None and self._earlier.changes_time:
            shown = self._earlier.timeline.outputs_in(range(frame, frame + 1))
            return shown[0] if len(shown) else None
        return frame if frame < len(self._source) else None

    def _strokes_key(self, frame: int) -> str:
        """Changes with the strokes on a frame of the reel, and with the frames that they name."""
        own = self._said.strokes_key(frame)
        named = (self._named(one) for one in self._said.strokes if self._names_a_frame(one, frame))
        return own + "".join("gone" if number is None else self._source.key(number) for number in named)

    @staticmethod
    def _names_a_frame(stroke: Stroke, frame: int) -> bool:
        return stroke.fill.way in NAMES_A_FRAME and stroke.where.holds(frame)

    @cached_property
    def _farthest(self) -> int:
        """The last frame that a stroke names: the reel may be growing."""
        named = [one.fill.frame for one in self._said.strokes if one.fill.way in NAMES_A_FRAME]
        return max(named, default=0)

    # keys

    @property
    def kinds(self) -> tuple[str, ...]:
        """What a person's words that concern this step are about: itself, and what the survey calls its findings."""
        return (self.step.id, *getattr(self.step, "finding_kinds", ()))

    @cached_property
    def identity(self) -> str:
        """Key over everything that the pictures depend on."""
        words = "/".join(self._said.verdicts.key(kind) for kind in self.kinds)
        where = [region.model_dump_json() for region in self._said.regions]
        where += [one.model_dump_json() for one in (*self._said.over_time, *self._said.strokes)]
        where += [] if self._said.counted == "reel" else [self._said.counted]
        own = self.settings.model_dump_json()
        return content_key(self._source.identity, self._own, own, words, self._shots.key(), *where)

    def key(self, number: int) -> str:
        """Key of all that a frame depends on: words and settings that concern frames within reach, and no others."""
        return f"frame/{self._on(number)}"

    def _on(self, number: int) -> str:
        # the reel may be growing
        ahead = min(max(self._reach, self._farthest - number), len(self._source) - 1 - number)
        return self._known_key(number, ahead)

    def _key_of(self, number: int, ahead: int) -> str:
        place = self._reel_frame(number)
        words = self._said.verdicts.key(self.step.id, place) + self._said.regions_key(place)
        words += self._strokes_key(place)
        words += self._settings.at(place).model_dump_json()
        cuts = self._shots.key(number, self._reach)
        study = self._study_key(self._shots.shot_of(number)) if self.learns else ""
        return content_key(self._own, words, cuts, number, ahead, self._source.near(number, self._reach), study)

    @cached_property
    def _reach(self) -> int:
        """How many frames before and after a frame are read."""
        return max(self.step.reach(settings) for settings in self._settings.each())

    def settings_at(self, number: int) -> Settings:
        """The settings with which a frame before this step is treated."""
        return self._settings.at(self._reel_frame(number))

    def near(self, number: int, reach: int) -> str:
        """Key of all that a frame and those within reach of it depend on."""
        if not reach:
            return self.key(number)
        return self.run_key(max(0, number - reach), min(len(self), number + reach + 1))

    def run_key(self, first: int, stop: int) -> str:
        """Key of all that a run of frames depends on."""
        return self._known_run(first, stop)

    def _key_of_run(self, first: int, stop: int) -> str:
        return content_key(*(self.key(number) for number in range(first, stop)))

    def name(self, number: int) -> str:
        """Key of what a frame is: that of the frame before this step where the step does not touch it."""
        return self.key(number) if self._acts_on(number) else self._source.name(number)

    # pictures

    def around(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """Frame `number` before this step as it was before and behind the last earlier step of an id."""
        earlier = self._earlier
        if earlier is None:
            return None
        return earlier.passed(step, number)

    def passed(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """The same for a frame behind this step, which may be the one that is asked for."""
        before = self._number_before(number)
        if self.step.id == step:
            return self._source.frame(before), self.frame(number)
        return self.around(step, before)

    def _number_before(self, number: int) -> int:
        """The frame before the step that frame `number` behind it comes from."""
        return number

    def window(self, number: int) -> ChainWindow:
        """What the step sees at a frame."""
        return ChainWindow(self._source, number, self._shots, self._cache, self._reach, self)

    def field_window(self, number: int, parity: int) -> ChainWindow:
        """What a step that works on fields sees at one of them."""
        source = FieldSource(self._source, parity, self._cache)
        return ChainWindow(source, number, self._shots, self._cache, self._reach, FieldPath(self, parity))

    def frame(self, number: int) -> Frame:
        """Frame `number` after the step."""
        return self._results.get(self.key(number), lambda: self._make(number), lambda f: f.nbytes)
