"""Shape steps: a picture of another size, or another part of it."""

from __future__ import annotations

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.treatment.step_source import Acted, StepSource


class ShapeSource(StepSource):
    """A shape step over the frames of another source."""

    def _new_format(self, fmt: PictureFormat) -> PictureFormat:
        return self.step.new_format(fmt, self.settings)  # type: ignore[union-attr]

    def geometry(self, number: int) -> Geometry:
        """Where the pixels behind this step lie in the reel's own picture."""
        before = self.geometry_before(number)
        own: Geometry = self.step.geometry(self._source.format, self._reel_frame(number), self.settings)  # type: ignore[union-attr]
        return own if before is None else before.then(own)

    def _make(self, number: int) -> Frame:
        return self.step.reshape(self.window(number), self._reel_frame(number), self.settings)  # type: ignore[union-attr]

    @property
    def drafts(self) -> bool:
        """Whether a part of the picture is to be had before all of it is."""
        return hasattr(self.step, "drafts") and bool(self.step.drafts(self.settings))

    @property
    def bytes_to_make(self) -> int:
        """About how much memory one picture takes while it is made; 0 where that is not worth a word."""
        if not hasattr(self.step, "bytes_to_make"):
            return 0
        before = self._source.size_format if isinstance(self._source, StepSource) else self._source.format
        needed: int = self.step.bytes_to_make(before, self.settings)
        return needed

    def draft(self, number: int, seen: Box) -> Frame:
        """Frame `number` in a hurry: right only in `seen`, pixels behind the step; never kept."""
        made: Frame = self.step.draft(self.window(number), self._reel_frame(number), self.settings, seen)  # type: ignore[union-attr]
        return made

    def acted(self, before: int, behind: int) -> Acted:
        """Whether the picture is another one; nothing can be laid over the source."""
        return Acted(reshaped=self.frame(behind) is not self._source.frame(before))
