"""Time steps: a frame map of the reel, and frames that are made anew."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from grevin.core.keys import content_key
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.masks import align_to_chroma
from grevin.core.progress import Progress
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.settings import Settings
from grevin.core.steps.timing import Doubt, Timing
from grevin.core.treatment.reel_numbers import for_the_step
from grevin.core.treatment.regions import inside_only
from grevin.core.treatment.step_source import Acted, StepSource
from grevin.core.treatment.studies import StudiedReel


class TimeSource(StepSource):
    """A time step over the frames of another source."""

    is_time = True

    @property
    def judges_itself(self) -> bool:  # type: ignore[override]
        """Whether the step says how well it made a frame."""
        return bool(getattr(self.step, "judges_itself", False))

    @property
    def format(self) -> PictureFormat:
        """Format after the step; the reel has to be studied first."""
        return self.timing.new_format(self._source.format)

    def __len__(self) -> int:
        return len(self.timing.timeline)

    # the study of the reel

    @property
    def timing(self) -> Timing:
        """What the step makes of the reel; studied at the first asking."""
        return self._studied(Progress())

    @property
    def time_notes(self) -> tuple[str, ...]:
        """What the step has to say of the reel."""
        return self.timing.notes

    def doubts(self) -> list[Doubt]:
        """What the step wants a person's word on, in the reel's own frames."""
        return [Doubt(self._reel_frame(one.first), self._reel_frame(one.last), one.words) for one in self.timing.doubts]

    def is_studied(self, number: int) -> bool:
        """Whether the reel is known: the same for every frame."""
        return self._timing_key in self._cache.pinned

    def prepare(self, number: int, progress: Progress) -> None:
        """Study the reel."""
        self._studied(progress)

    @property
    def _timing_key(self) -> str:
        return f"timing/{self.identity}/{len(self._source)}"

    def _studied(self, progress: Progress) -> Timing:
        def study() -> Timing:
            by = f"{self.step.id} {self.step.version}"
            reel = StudiedReel(self._source, self._shots, self._word_on, self._cache, by, self._learned)
            return self.step.study(reel, self._for_the_step, progress)  # type: ignore[union-attr]

        return self._cache.pinned.get(self._timing_key, study, lambda _: 1)

    @cached_property
    def _for_the_step(self) -> Settings:
        """The settings with the frames they name as the step counts them."""
        moved = self._earlier is not None and self._earlier.changes_time and self._said.counted == "reel"
        return for_the_step(self.settings, self._earlier.timeline if moved and self._earlier is not None else None)

    def _word_on(self, number: int) -> str:
        """A person's verdict on what begins with a frame before this step."""
        place = self._reel_frame(number)
        words = [word for kind in self.kinds for word in self._said.verdicts.on(kind, place)]
        return words[-1].word if words else "undecided"

    def _number_before(self, number: int) -> int:
        """The frame that a frame behind the step copies or stands for."""
        return int(self.timing.timeline.sources[number])

    def geometry(self, number: int) -> Geometry | None:
        """Where the pixels behind this step lie in the reel's own picture."""
        return self.geometry_before(self._number_before(number))

    # keys: a copy is what it copies

    def _on(self, number: int) -> str:
        return self._known_key(number, 0)

    def _key_of(self, number: int, ahead: int) -> str:
        timeline = self.timing.timeline
        place = int(timeline.sources[number])
        if not timeline.made[number]:
            own = self.settings.model_dump_json()
            return content_key(self._own, own, number, str(timeline.rate), self._source.key(place))
        return content_key(self._own, self._timing_key, number, self._source.near(place, self._reach))

    def name(self, number: int) -> str:
        """Key of what a frame is: that of the frame that it copies."""
        timeline = self.timing.timeline
        return self.key(number) if timeline.made[number] else self._source.name(int(timeline.sources[number]))

    # pictures

    def shown(self, number: int) -> Evidence | None:
        """What the step shows of a frame that it made; `number` is of its output."""
        if not (hasattr(self.step, "show") and self.timing.timeline.made[number]):
            return None

        def show() -> Evidence:
            window = self.window(int(self.timing.timeline.sources[number]))
            return self.step.show(window, self.timing, number, self._for_the_step)  # type: ignore[union-attr, no-any-return]

        return self._cache.get(f"evidence/{self._on(number)}", show, lambda e: e.nbytes)

    def acted(self, before: int, behind: int) -> Acted:
        """Whether the frame was made anew, and where."""
        if not self.timing.timeline.made[behind]:
            return Acted()
        evidence = self.shown(behind) if self.judges_itself else None
        return Acted(self.made_where(behind), doubt=evidence.doubt if evidence is not None else "", made=True)

    def made_where(self, number: int) -> Mask:
        """(H, W) bool, where a frame that was made is another one: in the regions, if frames stay in place."""
        fmt, timing = self._format, self.timing
        everywhere = np.ones((fmt.height, fmt.width), np.bool_)
        if timing.timeline.moves:
            return everywhere
        where = self._allowed(number)
        return everywhere if where is None else align_to_chroma(where > 0, fmt)

    def _make(self, number: int) -> Frame:
        timing = self.timing
        source = int(timing.timeline.sources[number])
        if not timing.timeline.made[number]:
            frame = self._source.frame(source)
        else:
            frame = self.step.make(self.window(source), timing, number, self._for_the_step)  # type: ignore[union-attr]
            where = self.made_where(number)
            frame = frame if where.all() else inside_only(self._source.frame(source), frame, where)
        fmt = timing.new_format(frame.format)
        return frame if frame.number == number and frame.format == fmt else replace(frame, number=number, format=fmt)
