"""One step over the frames of another source: evidence, mending, made frames, each made on demand and kept."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import cached_property, lru_cache

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.picture.colour import from_rgb, paint_inside
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask, merge_touched
from grevin.core.picture.masks import align_to_chroma
from grevin.core.progress import Progress
from grevin.core.steps.base import AnyStep, Area, Blob, Doubt, Evidence, Timing, changes_time
from grevin.core.steps.settings import Settings
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.fieldwise import (
    PARITIES,
    FieldSource,
    field_area,
    parity_of,
    words_on_fields,
    woven,
    woven_frame,
)
from grevin.core.treatment.over_time import SettingsOverTime
from grevin.core.treatment.regions import blended, inside_only, within
from grevin.core.treatment.said import Said
from grevin.core.treatment.shots import Shots
from grevin.core.treatment.verdicts import Verdict, apply_verdicts
from grevin.core.treatment.window import ChainWindow, NamedSource, StudiedReel, Studies

FLAG_BYTES = 64  # of whether a step acts on a frame
MOST_KEYS = 4096  # remembered of frames, and as many of their surroundings: memory does not grow with the reel


class StepSource:
    """A FrameSource: one step over the frames of another source."""

    def __init__(
        self, source: NamedSource, step: AnyStep, settings: Settings, shots: Shots, cache: ByteCache,
        results: ByteCache, said: Said, studies: Studies | None = None,
    ) -> None:  # fmt: skip
        self.step = step
        self._settings = SettingsOverTime(settings, said.over_time, step.id)
        self.settings = settings
        self._source = source
        self._earlier = source if isinstance(source, StepSource) else None
        self._shots = shots
        self._cache = cache
        self._results = results
        self._said = said
        self._studies = studies
        self.is_time = changes_time(step)
        self._timeline: Timeline | None = None
        self._own = content_key(step.id, step.version)
        self._known_key = lru_cache(MOST_KEYS)(self._time_key if self.is_time else self._local_key)
        self._known_near = lru_cache(MOST_KEYS)(self._key_of_run)
        known = source.size_format if isinstance(source, StepSource) else source.format
        self._format = step.new_format(known, settings) if step.family == "shape" else known  # type: ignore[union-attr]

    @property
    def format(self) -> PictureFormat:
        """Format after the step; a change of time has to be studied first."""
        if self.is_time:
            return self.timing.new_format(self._source.format)
        return replace(self._format, rate=self._source.format.rate, field_order=self._source.format.field_order)

    @property
    def size_format(self) -> PictureFormat:
        """Format after the step, but for rate and field order: known without studying anything."""
        return self._format

    @property
    def timing(self) -> Timing:
        """What a time step makes of the reel; studied at the first asking."""
        return self.studied(Progress())

    @property
    def time_notes(self) -> tuple[str, ...]:
        """What a time step has to say of the reel."""
        return self.timing.notes if self.is_time else ()

    @property
    def judges_itself(self) -> bool:
        """Whether a time step says how well it made a frame."""
        return bool(getattr(self.step, "judges_itself", False))

    def doubts(self) -> list[Doubt]:
        """What a time step wants a person's word on, in the reel's own frames."""
        return [
            Doubt(self._reel_frame(one.first), self._reel_frame(one.last), one.words)
            for one in (self.timing.doubts if self.is_time else ())
        ]

    @property
    def _timing_key(self) -> str:
        return f"timing/{self.identity}/{len(self._source)}"

    @property
    def is_studied(self) -> bool:
        """Whether nothing of the reel has to be studied any more."""
        return not self.is_time or self._timing_key in self._cache.pinned

    def studied(self, progress: Progress) -> Timing:
        """The same, with progress."""

        def study() -> Timing:
            by = f"{self.step.id} {self.step.version}"
            reel = StudiedReel(self._source, self._shots, self._word_on, self._cache, by, self._studies)
            return self.step.study(reel, self.settings, progress)  # type: ignore[union-attr]

        return self._cache.pinned.get(self._timing_key, study, lambda _: 1)

    def _word_on(self, number: int) -> str:
        """A person's verdict on what begins with a frame before this step."""
        place = self._reel_frame(number)
        words = [word for kind in self._kinds for word in self._said.verdicts.on(kind, place)]
        return words[-1].word if words else "undecided"

    @property
    def _kinds(self) -> tuple[str, ...]:
        """What a person's words that concern this step are about: itself, and what the survey calls its findings."""
        return (self.step.id, *getattr(self.step, "finding_kinds", ()))

    @property
    def timeline(self) -> Timeline:
        """Which frame of the reel each frame behind this step comes from."""
        if self._timeline is None:
            before = self._earlier.timeline if self._earlier is not None else None
            own = self.timing.timeline if self.is_time else Timeline.same(len(self), self._source.format.rate)
            self._timeline = own if before is None else before.then(own)
        return self._timeline

    def _reel_frame(self, number: int) -> int:
        """The reel's frame that a frame before this step comes from: verdicts and regions are about those."""
        if self._earlier is None or not self._earlier.changes_time:
            return number
        return int(self._earlier.timeline.sources[number])

    @property
    def changes_time(self) -> bool:
        """Whether this step or one before it does."""
        return self.is_time or (self._earlier is not None and self._earlier.changes_time)

    @property
    def changes_whole(self) -> bool:
        """Whether the step changes whole pictures: no evidence says where."""
        return self.step.family in {"whole", "shape"}

    @cached_property
    def identity(self) -> str:
        """Key over everything that the pictures depend on."""
        words = "/".join(self._said.verdicts.key(kind) for kind in self._kinds)
        where = [region.model_dump_json() for region in self._said.regions]
        where += [one.model_dump_json() for one in self._said.over_time]
        own = self.settings.model_dump_json()
        return content_key(self._source.identity, self._own, own, words, self._shots.key(), *where)

    def __len__(self) -> int:
        return len(self.timing.timeline) if self.is_time else len(self._source)

    def key(self, number: int) -> str:
        """Key of all that a frame depends on: words and settings that concern frames within reach, and no others."""
        return f"frame/{self._on(number)}"

    def _on(self, number: int) -> str:
        ahead = 0 if self.is_time else min(self._reach, len(self._source) - 1 - number)  # the reel may be growing
        return self._known_key(number, ahead)

    def _local_key(self, number: int, ahead: int) -> str:
        place = self._reel_frame(number)
        words = self._said.verdicts.key(self.step.id, place) + self._said.regions_key(place)
        words += self._settings.at(place).model_dump_json()
        cuts = self._shots.key(number, self._reach)
        return content_key(self._own, words, cuts, number, ahead, self._source.near(number, self._reach))

    def _time_key(self, number: int, _ahead: int) -> str:
        timeline = self.timing.timeline
        place = int(timeline.sources[number])
        if not timeline.made[number]:
            own = self.settings.model_dump_json()
            return content_key(self._own, own, number, str(timeline.rate), self._source.key(place))
        return content_key(self._own, self._timing_key, number, self._source.near(place, self._reach))

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
        return self._known_near(max(0, number - reach), min(len(self), number + reach + 1))

    def _key_of_run(self, first: int, stop: int) -> str:
        return content_key(*(self.key(number) for number in range(first, stop)))

    def name(self, number: int) -> str:
        """Key of what a frame is: that of the frame before this step where the step does not touch it."""
        if self.is_time:
            timing = self.timing
            place = int(timing.timeline.sources[number])
            return self.key(number) if timing.timeline.made[number] else self._source.name(place)
        return self.key(number) if self._acts_on(number) else self._source.name(number)

    def _acts_on(self, number: int) -> bool:
        """Whether the step changes a frame."""
        if self.step.family != "local":
            return True
        acts = self._cache.get(
            f"acts/{self._on(number)}", lambda: [self._mask_of(number).any()], lambda _: FLAG_BYTES
        )  # fmt: skip
        return bool(acts[0])

    def _mask_of(self, number: int) -> Mask:
        evidence = self.evidence(number)
        assert evidence is not None
        return evidence.mask

    def window(self, number: int, parity: int | None = None) -> ChainWindow:
        """What the step sees at a frame, or at one of its fields."""
        source = self._source if parity is None else FieldSource(self._source, parity, self._cache)
        return ChainWindow(source, number, self._shots, self._cache)

    @cached_property
    def on_fields(self) -> bool:
        """Whether the step is given each field of a frame as a picture of its own."""
        return bool(getattr(self.step, "works_on_fields", False)) and self._source.format.has_fields

    def frame(self, number: int) -> Frame:
        """Frame `number` after the step."""
        return self._results.get(self.key(number), lambda: self._make(number), lambda f: f.nbytes)

    def evidence(self, number: int) -> Evidence | None:
        """Where a local step acts on the frame, in whole chroma blocks; None for the other families."""
        if self.step.family != "local":
            return None
        find = self._find_on_fields if self.on_fields else self._find
        return self._cache.get(f"evidence/{self._on(number)}", lambda: find(number), lambda e: e.nbytes)

    def shown(self, number: int) -> Evidence | None:
        """What a time step shows of a frame that it made; `number` is of its output. None for all others."""
        if not (self.is_time and hasattr(self.step, "show") and self.timing.timeline.made[number]):
            return None

        def show() -> Evidence:
            window = self.window(int(self.timing.timeline.sources[number]))
            return self.step.show(window, self.timing, number, self.settings)  # type: ignore[union-attr, no-any-return]

        return self._cache.get(f"evidence/{self._on(number)}", show, lambda e: e.nbytes)

    def _find(self, number: int) -> Evidence:
        window, place = self.window(number), self._reel_frame(number)
        found = self.step.find(window, self.settings_at(number))  # type: ignore[union-attr]
        found = within(found, self._said.allowed(place, (window.format.height, window.format.width)))
        return self._settled(found, window, self._said.verdicts.on(self.step.id, place))

    def _find_on_fields(self, number: int) -> Evidence:
        return woven(self._field_evidence(number), (self._source.format.height, self._source.format.width))

    def _field_evidence(self, number: int) -> tuple[Evidence, Evidence]:
        """The same for either field."""

        def find() -> tuple[Evidence, Evidence]:
            place, fmt = self._reel_frame(number), self._source.format
            where = self._said.allowed(place, (fmt.height, fmt.width))
            windows = [self.window(number, parity) for parity in PARITIES]
            settings = self.settings_at(number)
            top, bottom = (
                within(self.step.find(window, settings), None if where is None else where[parity::2])  # type: ignore[union-attr]
                for parity, window in zip(PARITIES, windows, strict=True)
            )
            words = words_on_fields(self._said.verdicts.on(self.step.id, place), (top, bottom))
            return self._settled(top, windows[0], words[0]), self._settled(bottom, windows[1], words[1])

        key = f"evidence/fields/{self._on(number)}"
        return self._cache.get(key, find, lambda pair: pair[0].nbytes + pair[1].nbytes)

    def _settled(self, found: Evidence, window: ChainWindow, verdicts: tuple[Verdict, ...]) -> Evidence:
        """What a step found, as a person wants it, in whole chroma blocks."""
        found = apply_verdicts(found, verdicts, lambda area: self._find_at(window, area))
        mask = align_to_chroma(found.mask, window.format)
        if found.weight is not None:
            added = mask & ~found.mask
            found = replace(found, weight=np.where(added, np.float32(0.0), found.weight))
        return replace(found, mask=mask)

    def _find_at(self, window: ChainWindow, area: Area) -> Evidence:
        """What a person's word adds at a place: as the step sees it, or the place as it was drawn."""
        if hasattr(self.step, "find_at"):
            return self.step.find_at(window, area, self.settings_at(window.number))  # type: ignore[no-any-return]
        mask = np.zeros((window.format.height, window.format.width), np.bool_)
        mask[area[1] : area[1] + area[3], area[0] : area[0] + area[2]] = True
        return Evidence(mask, blobs=(Blob(area, int(mask.sum()), 0.0, 0.0),))

    def explain(self, number: int, area: Area) -> str:
        """From where a piece of the evidence is filled, in words; "" where the step does not say."""
        evidence = self.evidence(number)
        if evidence is None or not hasattr(self.step, "explain"):
            return ""
        settings = self.settings_at(number)
        if not self.on_fields:
            return str(self.step.explain(self.window(number), evidence, area, settings))
        parity = parity_of(area)
        own = self._field_evidence(number)[parity]
        return str(self.step.explain(self.window(number, parity), own, field_area(area, parity), settings))

    def made_where(self, number: int) -> Mask:
        """(H, W) bool, where a frame behind a time step was made anew: in its regions, if frames stay in place."""
        fmt, timing = self._format, self.timing
        everywhere = np.ones((fmt.height, fmt.width), np.bool_)
        if timing.timeline.moves:
            return everywhere
        where = self._said.allowed(self._reel_frame(number), (fmt.height, fmt.width))
        return everywhere if where is None else align_to_chroma(where > 0, fmt)

    def _timed(self, number: int) -> Frame:
        """A frame behind a time step: a copy, or made anew."""
        timing = self.timing
        source = int(timing.timeline.sources[number])
        if not timing.timeline.made[number]:
            frame = self._source.frame(source)
        else:
            frame = self.step.make(self.window(source), timing, number, self.settings)  # type: ignore[union-attr]
            where = self.made_where(number)
            frame = frame if where.all() else inside_only(self._source.frame(source), frame, where)
        fmt = timing.new_format(frame.format)
        return frame if frame.number == number and frame.format == fmt else replace(frame, number=number, format=fmt)

    def _make(self, number: int) -> Frame:
        if self.is_time:
            return self._timed(number)
        frame = self._source.frame(number)
        if self.step.family == "shape":
            return self.step.reshape(self.window(number), self._reel_frame(number), self.settings)  # type: ignore[union-attr]
        if self.step.family == "whole":
            made = from_rgb(frame, self.step.render(self.window(number), self.settings_at(number)))  # type: ignore[union-attr]
            fmt = frame.format
            return blended(frame, made, self._said.allowed(self._reel_frame(number), (fmt.height, fmt.width)))
        evidence = self.evidence(number)
        if evidence is None or not evidence.mask.any():
            return frame
        if self.on_fields:
            painted = woven_frame(frame, self._mended_fields(number))
        else:
            painted = self._mended(frame, self.window(number), evidence)
        return replace(painted, touched=merge_touched(frame.touched, evidence.mask))

    def _mended_fields(self, number: int) -> Iterator[tuple[int, Frame]]:
        for parity, evidence in zip(PARITIES, self._field_evidence(number), strict=True):
            if evidence.mask.any():
                window = self.window(number, parity)
                yield parity, self._mended(window.frame(), window, evidence)

    def _mended(self, frame: Frame, window: ChainWindow, evidence: Evidence) -> Frame:
        mended = self.step.mend(window, evidence, self.settings_at(window.number))  # type: ignore[union-attr]
        return paint_inside(frame, mended, evidence.mask, evidence.weight)
