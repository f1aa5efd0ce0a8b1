"""The chain: a reel, then each step as a source of frames over the one before it.

The window, the command line and the tests all pull frames from here, so they get the same bits. Everything is
made on demand and kept in one cache under content keys; a frame that no step changed is the reader's own object.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.keys import content_key
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, estimate_flow
from grevin.core.picture.colour import Rgb, from_rgb, paint_inside, to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, merge_touched
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.source import FrameSource
from grevin.core.steps.base import AnyStep, Area, Blob, Evidence, Made
from grevin.core.steps.registry import step_by_id
from grevin.core.steps.settings import Settings
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.regions import Region, allowed, within
from grevin.core.treatment.shots import ShotFinder
from grevin.core.treatment.verdicts import Verdicts, apply_verdicts

DEFAULT_CACHE_BYTES = 384 << 20
KEPT_REACH = 8  # frames; what steps keep of a frame depends on no cut farther away


class CachedSource:
    """A FrameSource whose frames are kept in the shared cache."""

    def __init__(self, source: FrameSource, cache: ByteCache) -> None:
        self._source = source
        self._cache = cache

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    @property
    def identity(self) -> str:
        """Identity of the source."""
        return self._source.identity

    def __len__(self) -> int:
        return len(self._source)

    def key(self, number: int) -> str:
        """Cache key of a frame."""
        return f"frame/{self.identity}/{number}"

    def frame(self, number: int) -> Frame:
        """Frame `number`, from the cache where it is there."""
        return self._cache.get(self.key(number), lambda: self._source.frame(number), lambda f: f.nbytes)


class ChainWindow:
    """A frame of a source with its neighbours of the same shot (`steps.base.Window`)."""

    def __init__(self, source: FrameSource, number: int, shots: ShotFinder, cache: ByteCache) -> None:
        self._source = source
        self._number = number
        self._shots = shots
        self._cache = cache

    @property
    def number(self) -> int:
        """Number of the frame in the middle."""
        return self._number

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._source.format

    def has(self, offset: int) -> bool:
        """Whether that frame exists in the same shot."""
        return self._shots.same_shot(self._number, self._number + offset)

    def frame(self, offset: int = 0) -> Frame:
        """The frame that many places away."""
        return self._source.frame(self._number + offset)

    def luma8(self, offset: int = 0) -> Luma8:
        """Its 8-bit luma."""
        key = f"luma/{self._source.identity}/{self._number + offset}"
        return self._cache.get(key, self.frame(offset).luma8, lambda luma: luma.nbytes)

    def rgb(self, offset: int = 0) -> Rgb:
        """Its R'G'B'; not to be written to."""
        key = f"rgb/{self._source.identity}/{self._number + offset}"
        return self._cache.get(key, lambda: to_rgb(self.frame(offset)), lambda rgb: rgb.nbytes)

    def motion(self, offset: int, quality: MotionQuality = "fine") -> Flow:
        """Flow from the middle frame to that one, made once whatever the other settings are."""
        key = f"motion/{quality}/{self._source.identity}/{self._number}/{offset}"

        def make() -> Flow:
            return estimate_flow(self.luma8(), self.luma8(offset), quality)

        return self._cache.get(key, make, lambda flow: flow.nbytes)

    def at(self, offset: int) -> ChainWindow:
        """The window with that frame in the middle."""
        return ChainWindow(self._source, self._number + offset, self._shots, self._cache)

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Something dear about the middle frame, from the cache where it is there."""
        cuts = self._shots.key(self._number, KEPT_REACH)
        return self._cache.get(f"kept/{name}/{self._source.identity}/{cuts}/{self._number}", make, size_of)


@dataclass(frozen=True, eq=False)
class Said:
    """What a person says besides the settings.

    Attributes:
        verdicts: words on single places of the reel.
        regions: where the step may act.
    """

    verdicts: Verdicts
    regions: tuple[Region, ...] = ()


class StepSource:
    """A FrameSource: one step over the frames of another source."""

    def __init__(
        self, source: FrameSource, step: AnyStep, settings: Settings, shots: ShotFinder, cache: ByteCache,
        results: ByteCache, said: Said,
    ) -> None:  # fmt: skip
        self.step = step
        self.settings = settings
        self._source = source
        self._shots = shots
        self._cache = cache
        self._results = results
        self._said = said
        where = [region.model_dump_json() for region in said.regions]
        self._own = content_key(source.identity, step.id, step.version, settings.model_dump_json(), *where)
        words = said.verdicts.key(step.id)
        cuts = shots.key()
        self._identity = content_key(self._own, words, cuts) if words or cuts else self._own
        self._map = step.frame_map(len(source), settings) if _is_time(step) else None  # type: ignore[union-attr]
        self._format = (
            step.new_format(source.format, settings) if _is_shape(step) else source.format  # type: ignore[union-attr]
        )

    @property
    def format(self) -> PictureFormat:
        """Format after the step."""
        return self._format

    @property
    def identity(self) -> str:
        """Key over everything that the pictures depend on."""
        return self._identity

    def __len__(self) -> int:
        return len(self._source) if self._map is None else len(self._map)

    def key(self, number: int) -> str:
        """Cache key of a frame; the verdicts on other frames do not change it."""
        return f"frame/{self._on(number)}"

    def _on(self, number: int) -> str:
        """What the result on one frame depends on."""
        cuts = self._shots.key(number, self.step.reach(self.settings) if hasattr(self.step, "reach") else 0)
        return f"{self._own}/{self._said.verdicts.key(self.step.id, number)}/{cuts}/{number}"

    def window(self, number: int) -> ChainWindow:
        """What the step sees at a frame."""
        return ChainWindow(self._source, number, self._shots, self._cache)

    def frame(self, number: int) -> Frame:
        """Frame `number` after the step."""
        return self._results.get(self.key(number), lambda: self._make(number), lambda f: f.nbytes)

    def evidence(self, number: int) -> Evidence | None:
        """Where a local step acts on the frame, in whole chroma blocks; None for the other families."""
        if not _is_local(self.step):
            return None
        return self._cache.get(f"evidence/{self._on(number)}", lambda: self._find(number), lambda e: e.nbytes)

    def _find(self, number: int) -> Evidence:
        found = self.step.find(self.window(number), self.settings)  # type: ignore[union-attr]
        found = within(found, allowed(self._said.regions, number, found.mask.shape))
        verdicts = self._said.verdicts.on(self.step.id, number)
        found = apply_verdicts(found, verdicts, lambda area: self._find_at(number, area))
        mask = align_to_chroma(found.mask, self._source.format)
        if found.weight is not None:
            added = mask & ~found.mask
            found = replace(found, weight=np.where(added, np.float32(0.0), found.weight))
        return replace(found, mask=mask)

    def _find_at(self, number: int, area: Area) -> Evidence:
        """What a person's word adds at a place: as the step sees it, or the place as it was drawn."""
        if hasattr(self.step, "find_at"):
            return self.step.find_at(self.window(number), area, self.settings)  # type: ignore[no-any-return]
        mask = np.zeros((self._source.format.height, self._source.format.width), np.bool_)
        mask[area[1] : area[1] + area[3], area[0] : area[0] + area[2]] = True
        return Evidence(mask, blobs=(Blob(area, int(mask.sum()), 0.0, 0.0),))

    def explain(self, number: int, area: Area) -> str:
        """From where a piece of the evidence is filled, in words; "" where the step does not say."""
        evidence = self.evidence(number)
        if evidence is None or not hasattr(self.step, "explain"):
            return ""
        return str(self.step.explain(self.window(number), evidence, area, self.settings))

    def _make(self, number: int) -> Frame:
        if self._map is not None:
            return self._source.frame(self._map[number]).with_number(number)
        frame = self._source.frame(number)
        if _is_shape(self.step):
            return self.step.reshape(frame, self.settings)  # type: ignore[union-attr]
        if not _is_local(self.step):
            return from_rgb(frame, self.step.render(self.window(number), self.settings))  # type: ignore[union-attr]
        evidence = self.evidence(number)
        if evidence is None or not evidence.mask.any():
            return frame
        mended = self.step.mend(self.window(number), evidence, self.settings)  # type: ignore[union-attr]
        painted = paint_inside(frame, mended, evidence.mask, evidence.weight)
        return replace(painted, touched=merge_touched(frame.touched, evidence.mask))


def _is_local(step: AnyStep) -> bool:
    return hasattr(step, "find")


def _is_time(step: AnyStep) -> bool:
    return hasattr(step, "frame_map")


def _is_shape(step: AnyStep) -> bool:
    return hasattr(step, "reshape")


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
        verdicts: Verdicts | None = None, cuts: Collection[int] | None = None,
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
        """
        self.cache = cache or ByteCache(DEFAULT_CACHE_BYTES)
        self.results = results or self.cache
        self.source = CachedSource(reel, self.cache)
        self.shots = ShotFinder(self.source, self.cache, cuts)
        self.verdicts = verdicts or Verdicts()
        self.steps: list[StepSource] = []
        self.view_points: list[CachedSource | StepSource] = [self.source]
        for row in treatment.steps:
            if row.enabled:
                self.add(step_by_id(row.step), row.model(), row.regions)
            else:
                self.view_points.append(self.result)

    def add(self, step: AnyStep, settings: Settings, regions: tuple[Region, ...] = ()) -> StepSource:
        """Put a step at the end."""
        said = Said(self.verdicts, regions)
        added = StepSource(self.result, step, settings, self.shots, self.cache, self.results, said)
        self.steps.append(added)
        self.view_points.append(added)
        return added

    @property
    def result(self) -> CachedSource | StepSource:
        """The picture after everything."""
        return self.view_points[-1]

    def explain(self, view_point: int, number: int, area: Area) -> str:
        """From where the step that leads to a view point fills a piece of its evidence, in words; "" for the rest."""
        place = self.view_points[view_point]
        return place.explain(number, area) if isinstance(place, StepSource) else ""

    def is_ready(self, view_point: int, number: int) -> bool:
        """Whether a frame at a view point is at hand without making it."""
        key = self.view_points[view_point].key(number)
        return key in self.results or key in self.cache

    def evidence_at(self, view_point: int, number: int) -> Evidence | None:
        """Evidence of the step that leads to a view point; None at the source and for a step that rests."""
        place = self.view_points[view_point]
        resting = view_point > 0 and self.view_points[view_point - 1] is place
        return place.evidence(number) if isinstance(place, StepSource) and not resting else None
