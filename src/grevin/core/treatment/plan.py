"""What is done to a reel: a treatment for each of its shots, and the reel under them."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, replace

from grevin.core.cache import ByteCache
from grevin.core.errors import SettingsError
from grevin.core.keys import content_key
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.chain import DEFAULT_CACHE_BYTES, Chain
from grevin.core.treatment.path_edits import enlarged, in_whole_frames
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.studies import Studies
from grevin.core.treatment.verdicts import Verdicts
from grevin.core.treatment.window import CachedSource


@dataclass(frozen=True)
class Part:
    """A run of frames under one treatment.

    Attributes:
        first: its first frame; it goes on to the next part.
        treatment: what is done.
    """

    first: int
    treatment: Treatment


@dataclass(frozen=True)
class Plan:
    """Treatments of a whole reel.

    Attributes:
        parts: in the order of frames, the first from frame 0.
        cuts: first frames of shots by the operator's word; None where cuts are found from the pictures.
    """

    parts: tuple[Part, ...]
    cuts: frozenset[int] | None = None

    @classmethod
    def whole(cls, treatment: Treatment) -> Plan:
        """The same for every frame."""
        return cls((Part(0, treatment),))

    def treatment_at(self, frame: int) -> Treatment:
        """What is done to a frame."""
        return self.parts[max(0, bisect_right(self.parts, frame, key=lambda part: part.first) - 1)].treatment

    def enlarged(self, lines: int) -> Plan:
        """The same with every picture enlarged to so many lines at the end of its treatment."""
        return replace(self, parts=tuple(Part(part.first, enlarged(part.treatment, lines)) for part in self.parts))

    def in_whole_frames(self) -> Plan:
        """The same with fields made into whole frames."""
        return replace(self, parts=tuple(Part(part.first, in_whole_frames(part.treatment)) for part in self.parts))

    def treatments(self) -> tuple[Treatment, ...]:
        """Every different treatment, in the order of frames."""
        return tuple({part.treatment.model_dump_json(): part.treatment for part in self.parts}.values())


class TreatedReel:
    """A reel under a plan: a chain for each different treatment, over shared caches."""

    def __init__(
        self, reel: FrameSource, plan: Plan, cache: ByteCache | None = None, results: ByteCache | None = None,
        verdicts: Verdicts | None = None, studies: Studies | None = None,
    ) -> None:  # fmt: skip
        self.plan = plan
        self._cache = cache or ByteCache(DEFAULT_CACHE_BYTES)
        self._results = results or self._cache
        self._verdicts = verdicts or Verdicts()
        self._studies = studies
        self._reel = reel
        self._chains: dict[str, Chain] = {}
        self._known: dict[
            int, tuple[Treatment, Chain]
        ] = {}  # by the treatment itself, which no other takes the place of
        self.source: CachedSource = self.at(0).source

    def at(self, frame: int) -> Chain:
        """The chain that a frame goes through."""
        return self.under(self.plan.treatment_at(frame))

    def under(self, treatment: Treatment) -> Chain:
        """The reel under some treatment, sharing what is known already."""
        known = self._known.get(id(treatment))
        if known is not None and known[0] is treatment:
            return known[1]
        key = treatment.model_dump_json()
        held = self._chains.get(key)
        if held is None:
            held = Chain(
                self._reel, treatment, self._cache, self._results, self._verdicts, self.plan.cuts, self._studies
            )
            self._chains[key] = held
        self._known[id(treatment)] = (treatment, held)
        return held

    def prepare(self, progress: Progress, frames: range = range(0)) -> None:
        """Let steps learn what they have to know: time steps of the reel, the others of the shots of some frames.

        Raises:
            SettingsError: if shots change time each in their own way, which would tear the reel apart.
        """
        chains = self.chains()
        for chain in chains:
            learning = any(step.learns for step in chain.steps)
            chain.prepare(progress, [frame for frame in frames if self.at(frame) is chain] if learning else ())
        if any(not chain.timeline.equals(chains[0].timeline) for chain in chains[1:]):
            raise SettingsError(
                "The treatments of the shots change time each in their own way.",
                "Put the same steps that change time at the beginning of every treatment.",
            )

    def told(self, frames: range) -> list[str]:
        """What steps that learned shots say of those of some frames of the reel."""
        words = []
        for chain in self.chains():
            if any(step.learns for step in chain.steps):
                words += chain.told([frame for frame in frames if self.at(frame) is chain])
        return words

    @property
    def timeline(self) -> Timeline:
        """Which frame of the reel each output frame comes from; the same for all parts."""
        return self.chains()[0].timeline

    def chains(self) -> tuple[Chain, ...]:
        """Every chain of the plan."""
        return tuple(self.under(treatment) for treatment in self.plan.treatments())

    @property
    def format(self) -> PictureFormat:
        """Format of what comes out.

        Raises:
            SettingsError: if the parts give different ones, which cannot be written as one.
        """
        formats = {chain.result.format for chain in self.chains()}
        if len(formats) > 1:
            raise SettingsError("The shots of this reel have different output formats.", "Write them one by one.")
        return formats.pop()


class TreatedSource:
    """What comes out of a treated reel, as a FrameSource; `prepare` it first."""

    def __init__(self, treated: TreatedReel) -> None:
        self._treated = treated
        self._timeline = treated.timeline
        self._format = treated.format
        self._identity = content_key(*(chain.result.identity for chain in treated.chains()))

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        return self._format

    @property
    def identity(self) -> str:
        """Key over everything that the pictures depend on."""
        return self._identity

    def __len__(self) -> int:
        return len(self._timeline)

    def frame(self, number: int) -> Frame:
        """Frame `number`, treated, as it would be written."""
        return self._treated.at(int(self._timeline.sources[number])).result.frame(number).rounded()
