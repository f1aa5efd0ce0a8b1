"""What a step learned of shots: the part of a step over frames that asks for it, keeps it and tells it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from functools import cached_property
from typing import cast

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.picture.fields import PARITIES, parities_in_time
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Geometry
from grevin.core.progress import Progress
from grevin.core.steps.base import AnyStep, LearnsFrom
from grevin.core.steps.charting import LEFT_ALONE, Chart
from grevin.core.steps.seen import Arrays
from grevin.core.steps.settings import Settings, learned_names
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.field_source import FieldPath, FieldsInTime, FieldSource, OfFrames
from grevin.core.treatment.regions import Weight
from grevin.core.treatment.said import Said
from grevin.core.treatment.shots import MappedShots, Shots
from grevin.core.treatment.studies import STUDY_VERSION, Learned, Looks, StudiedShot
from grevin.core.treatment.window import Behind, NamedSource

MaskOf = Callable[[int], Mask | None]


class StudyingStep(ABC):
    """The part of a step over frames that learns their shots; the attributes are those of `StepSource`."""

    step: AnyStep
    settings: Settings
    _source: NamedSource
    _shots: Shots
    _cache: ByteCache
    _said: Said
    _learned: Learned
    _own: str

    @property
    @abstractmethod
    def reel_shape(self) -> tuple[int, int]:
        """(H, W) of the reel's own picture."""

    @property
    @abstractmethod
    def _reach(self) -> int:
        """How many frames before and after a frame are read."""

    @abstractmethod
    def _reel_frame(self, number: int) -> int:
        """The reel's frame that a frame before this step comes from."""

    @abstractmethod
    def geometry_before(self, number: int) -> Geometry | None:
        """Where the pixels of a frame before this step lie in the reel's own picture."""

    @abstractmethod
    def _allowed(self, number: int) -> Weight | None:
        """(H, W) 0..1, how much of what the step does is taken on a frame before it."""

    @abstractmethod
    def run_key(self, first: int, stop: int) -> str:
        """Key of all that a run of frames depends on."""

    @cached_property
    def on_fields(self) -> bool:
        """Whether the step is given each field of a frame as a picture of its own."""
        return bool(getattr(self.step, "works_on_fields", False)) and self._source.format.has_fields

    @cached_property
    def learns_from(self) -> LearnsFrom:
        """What the step is shown while it learns a shot."""
        told: LearnsFrom = getattr(self.step, "learns_from", "frames") if self.on_fields else "frames"
        alike = self._source.format.height % 2 == 0  # of an odd height one field is a line higher than the other
        return told if told != "fields" or alike else "frames"

    @property
    def learned_format(self) -> PictureFormat:
        """Format of the pictures of which the step learned a shot."""
        return self._source.format if self.learns_from == "frames" else self._source.format.of_field(PARITIES[0])

    def learned_geometry(self, number: int) -> Geometry | None:
        """Where the pixels of what was learned of a frame before the step lie in the reel's own picture."""
        before, field = self.geometry_before(number), Geometry.of_field(PARITIES[0])
        if self.learns_from == "frames":
            return before
        return field if before is None else before.then(field)

    @cached_property
    def learns(self) -> bool:
        """Whether the step learns a shot before it acts on its frames."""
        return callable(getattr(self.step, "learn", None))

    def is_studied(self, number: int) -> bool:
        """Whether a frame before the step can be treated without learning anything more."""
        known = not self.learns or self._shots.knows_shot_of(number)
        return known and (not self.learns or self._study_key(self._shots.shot_of(number)) in self._learned)

    def prepare(self, number: int, progress: Progress) -> None:
        """Learn what has to be known before a frame can be treated."""
        if self.learns:
            self.study_of(number, progress)

    def shot_of(self, number: int) -> range:
        """The frames before the step that lie in one shot with a frame."""
        return self._shots.shot_of(number)

    def study_of(self, number: int, progress: Progress | None = None) -> Arrays:
        """What the step learned of the shot of a frame."""
        if not self.learns:
            return {}
        frames = self._shots.shot_of(number)

        def learn() -> Arrays:
            by = f"{self.step.id} {self.step.version}"
            shot = self._studied_shot(self._source, frames, by)
            return self.step.learn(shot, self.settings, progress or Progress())  # type: ignore[union-attr, no-any-return]

        return self._learned.get(self._study_key(frames), learn)

    def _studied_shot(self, source: NamedSource, frames: range, by: str) -> StudiedShot:
        path = cast("Behind", self) if source is self._source else None
        seen: MaskOf = self._measured_in
        where: MaskOf = self._acts_in
        shots, per_frame = self._shots, 1
        if self.learns_from == "one field":  # both have the same to tell
            parity = PARITIES[0]
            source = FieldSource(source, parity, self._cache)
            path = None if path is None else FieldPath(cast("OfFrames", self), parity)
            seen, where = _on_field(seen, parity), _on_field(where, parity)
        if self.learns_from == "fields":
            seen, where = (_on_fields(masks, parities_in_time(source.format)) for masks in (seen, where))
            shots, path, per_frame = MappedShots(shots, self._moments), None, 2
            source, frames = FieldsInTime(source, self._cache), range(2 * frames.start, 2 * frames.stop)
        looks = Looks(seen, self._looks_key, where)
        return StudiedShot(
            source, frames, shots, self._cache, by, self._learned, self._reach, looks, path, per_frame,
            self.learns_from != "frames",
        )  # fmt: skip

    def _moments(self) -> Timeline:
        """Which frame before the step each of all fields is of."""
        same = Timeline.same(len(self._source), self._source.format.rate)
        twice = Timeline(2 * len(same), 2 * same.rate, np.arange(2 * len(same)) // 2, np.zeros(2 * len(same), np.bool_))
        return same.then(twice)

    def moment(self, number: int, parity: int | None = None) -> int:
        """Number of a frame, or of one of its fields, among the pictures of which the step learned the shot."""
        if self.learns_from != "fields" or parity is None:
            return number
        return 2 * number + parities_in_time(self._source.format).index(parity)

    @property
    def _looks_key(self) -> str:
        """Changes with the regions that have a say in what is learned."""
        where = self._said.acting_key() if getattr(self.step, "learns_where", False) else ""
        return self._said.measure_key() + where

    def _acts_in(self, number: int) -> Mask | None:
        """(H, W) bool, where the step may act on a frame before it; None for everywhere."""
        weight = self._allowed(number)
        return None if weight is None else np.asarray(weight > 0)

    def _measured_in(self, number: int) -> Mask | None:
        """(H, W) bool, where a person wants a frame before the step measured; None for everywhere."""
        fmt, place = self._source.format, self._reel_frame(number)
        mask, geometry = self._said.measured_in(place, self.reel_shape), self.geometry_before(number)
        return mask if mask is None or geometry is None else geometry.mask_on(mask, (fmt.height, fmt.width))

    def told(self, number: int) -> tuple[str, ...]:
        """What the step says of the shot of a frame before it, in sentences; learned first where it is not known."""
        tell = getattr(self.step, "tell", None)
        return tuple(tell(self.study_of(number), float(self._source.format.rate))) if tell is not None else ()

    def chart(self, number: int) -> Chart | None:
        """What the step draws of the shot of a frame before it; learned first where it is not known."""
        chart = getattr(self.step, "chart", None)
        return None if chart is None else chart(self.study_of(number))

    # what is left behind the step

    @cached_property
    def measures_left(self) -> bool:
        """Whether what the step is for can be looked for, and drawn, again in its own pictures."""
        return self.learns and self.step.family == "whole" and hasattr(self.step, "chart")

    def knows_left(self, number: int) -> bool:
        """Whether that was done for the shot of a frame."""
        known = self.measures_left and self.is_studied(number)
        return known and self._left_key(self._shots.shot_of(number)) in self._learned

    def left_of(self, number: int, progress: Progress | None = None) -> Arrays:
        """What the step learns of the shot of a frame where it is given its own pictures: what it left."""
        frames = self._shots.shot_of(number)
        self.study_of(number)

        def learn() -> Arrays:
            by = f"{self.step.id} {self.step.version} left"
            shot = self._studied_shot(cast("NamedSource", self), frames, by)
            return self.step.learn(shot, type(self.settings)(), progress or Progress())  # type: ignore[union-attr, no-any-return]

        return self._learned.get(self._left_key(frames), learn)

    def told_left(self, number: int) -> tuple[str, ...]:
        """What the step says of its own pictures, in sentences."""
        tell = getattr(self.step, "tell", None)
        words = tell(self.left_of(number), float(self._source.format.rate)) if tell is not None else ()
        return tuple(word for word in words if word != LEFT_ALONE)

    def chart_left(self, number: int) -> Chart | None:
        """What the step draws of its own pictures."""
        chart = getattr(self.step, "chart", None)
        return None if chart is None else chart(self.left_of(number))

    def _left_key(self, frames: range) -> str:
        run = self.run_key(frames.start, frames.stop)
        return content_key("left", STUDY_VERSION, self._own, run, self._looks_key)

    def _study_key(self, frames: range) -> str:
        run = self._source.run_key(frames.start, frames.stop)
        said = self.settings.model_dump_json(include=learned_names(type(self.settings)) or None)
        return content_key("learned", STUDY_VERSION, self._own, said, run, self._looks_key)


def _on_fields(mask_of: MaskOf, parities: tuple[int, int]) -> MaskOf:
    """Masks of frames as they lie on all their fields."""
    each = [_on_field(mask_of, parity) for parity in parities]
    return lambda moment: each[moment % 2](moment // 2)


def _on_field(mask_of: MaskOf, parity: int) -> MaskOf:
    """Masks of frames as they lie on one field."""

    def of_field(number: int) -> Mask | None:
        mask = mask_of(number)
        return None if mask is None else mask[parity::2]

    return of_field
