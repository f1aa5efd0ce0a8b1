"""The fields of interlaced frames as frames of their own, and what a window on one knows of the path."""

from __future__ import annotations

from dataclasses import replace
from typing import Protocol

from grevin.core.cache import ByteCache
from grevin.core.picture.fields import field_of, parities_in_time
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.steps.seen import Arrays
from grevin.core.steps.strokes import PlacedStroke
from grevin.core.treatment.window import NamedSource


class FieldSource:
    """A NamedSource: the fields of one parity of another one's frames."""

    def __init__(self, source: NamedSource, parity: int, cache: ByteCache) -> None:
        self._source = source
        self._parity = parity
        self._cache = cache

    @property
    def format(self) -> PictureFormat:
        """Format of a field."""
        return self._source.format.of_field(self._parity)

    @property
    def identity(self) -> str:
        """Identity of the source, and of the field."""
        return self._of(self._source.identity)

    def __len__(self) -> int:
        return len(self._source)

    def _of(self, key: str) -> str:
        return f"{key}/field {self._parity}"

    def key(self, number: int) -> str:
        """Key of all that the field depends on."""
        return self._of(self._source.key(number))

    def near(self, number: int, reach: int) -> str:
        """The same for all within reach."""
        return self._of(self._source.near(number, reach))

    def run_key(self, first: int, stop: int) -> str:
        """The same for a run of frames."""
        return self._of(self._source.run_key(first, stop))

    def name(self, number: int) -> str:
        """Key of what the field is."""
        return self._of(self._source.name(number))

    def frame(self, number: int) -> Frame:
        """The field of a frame, as a picture."""
        return self._cache.get(
            self.name(number), lambda: field_of(self._source.frame(number), self._parity), lambda made: made.nbytes
        )


class FieldsInTime:
    """A NamedSource: the fields of another one's frames, one after the other as they were taken."""

    def __init__(self, source: NamedSource, cache: ByteCache) -> None:
        self._source = source
        self._fields = tuple(FieldSource(source, parity, cache) for parity in parities_in_time(source.format))

    @property
    def format(self) -> PictureFormat:
        """Format of a field; two of them go into a frame's time."""
        return replace(self._fields[0].format, rate=2 * self._source.format.rate)

    @property
    def identity(self) -> str:
        """Identity of the source, and that these are its fields."""
        return f"{self._source.identity}/fields in time"

    def __len__(self) -> int:
        return 2 * len(self._source)

    def _of(self, moment: int) -> FieldSource:
        return self._fields[moment % 2]

    def key(self, number: int) -> str:
        """Key of all that a field depends on."""
        return self._of(number).key(number // 2)

    def near(self, number: int, reach: int) -> str:
        """The same for all within reach."""
        return self._of(number).near(number // 2, -(-reach // 2))

    def run_key(self, first: int, stop: int) -> str:
        """The same for a run of fields."""
        return f"{self._source.run_key(first // 2, -(-stop // 2))}/fields {first} to {stop}"

    def name(self, number: int) -> str:
        """Key of what a field is."""
        return self._of(number).name(number // 2)

    def frame(self, number: int) -> Frame:
        """A field, as a picture."""
        return self._of(number).frame(number // 2)


class OfFrames(Protocol):
    """What a step over frames knows of its path."""

    def study_of(self, number: int) -> Arrays:
        """What the step learned of the shot of a frame."""
        ...

    def moment(self, number: int, parity: int | None = None) -> int:
        """Number of a frame, or of one of its fields, among the pictures of which the step learned the shot."""
        ...

    def around(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """A frame before and behind the last earlier step of an id."""
        ...

    def strokes_on(self, number: int, parity: int | None = None) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of a frame, or as it lies on one of its fields."""
        ...


class FieldPath:
    """What a window on a field knows of the path: that of its frame (`window.Behind`)."""

    def __init__(self, step: OfFrames, parity: int) -> None:
        self._step = step
        self._parity = parity

    def study_of(self, number: int) -> Arrays:
        """What the step learned of the shot of a frame."""
        return self._step.study_of(number)

    def moment(self, number: int) -> int:
        """Number of the field among the pictures of which the step learned the shot."""
        return self._step.moment(number, self._parity)

    def around(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """A frame before and behind the last earlier step of an id."""
        return self._step.around(step, number)

    def strokes_on(self, number: int) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of a frame, as it lies on the field."""
        return self._step.strokes_on(number, self._parity)
