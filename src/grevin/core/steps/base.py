"""The contract of repair steps.

A step is a stateless object: an `id`, a `label`, a settings model, how far it reads (`reach`) and one or two
methods, by family. The chain (`grevin.core.treatment`) does everything that steps share: looking up neighbours,
cuts, caching, blending inside the evidence only, keeping untouched samples, the record of what was done.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, ClassVar, Literal, Protocol, TypeVar, get_args

import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, MotionQuality
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import Rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress
from grevin.core.steps.settings import Settings
from grevin.core.timebase.timeline import Timeline

Made = TypeVar("Made")
Family = Literal["local", "whole", "time", "shape"]
Stage = Literal["time", "signal", "light", "surface", "frame", "finish"]  # in the order in which work is done
STAGES: tuple[str, ...] = get_args(Stage)
METHODS: dict[str, tuple[str, ...]] = {
    "local": ("find", "mend"), "whole": ("render",), "time": ("study", "make"), "shape": ("new_format", "reshape"),
}  # fmt: skip
Area = tuple[int, int, int, int]  # x, y, width, height in pixels
Arrays = dict[str, npt.NDArray[Any]]


@dataclass(frozen=True)
class Blob:
    """One connected piece of evidence.

    Attributes:
        area: (x, y, width, height) in pixels.
        pixels: number of pixels that deviate (before growing).
        contrast: mean deviation from the neighbours, 8-bit levels; positive brighter, negative darker.
        confidence: 0..1.
        doubtful: whether the step was nearly of the other opinion.
        by_hand: whether a person's word put it there.
    """

    area: Area
    pixels: int
    contrast: float
    confidence: float
    doubtful: bool = False
    by_hand: bool = False

    @property
    def words(self) -> str:
        """Size, contrast and confidence for people."""
        _, _, width, height = self.area
        than = "brighter" if self.contrast > 0 else "darker"
        return (
            f"{width} x {height} px ({self.pixels} in all), {abs(self.contrast):.0f} levels {than}, "
            f"confidence {self.confidence:.2f}"
        )


@dataclass(frozen=True, eq=False)
class Evidence:
    """Why and where a step acts on one frame: exactly what it may change.

    Attributes:
        mask: (H, W) bool.
        weight: (H, W) float32 0..1 share of the mended picture inside the mask; None for 1.
        blobs: what the mask is made of.
        passed: what was nearly taken.
        left: what would have been taken but for a person's word.
        doubt: a sentence where the step left the whole frame alone, because it does not look like its kind of damage.
        words: what else is to be said of the frame.
    """

    mask: Mask
    weight: npt.NDArray[np.float32] | None = None
    blobs: tuple[Blob, ...] = ()
    doubt: str = ""
    passed: tuple[Blob, ...] = ()
    left: tuple[Blob, ...] = ()
    words: str = ""

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return (
            self.mask.nbytes
            + (self.weight.nbytes if self.weight is not None else 0)
            + 200 * len(self.blobs + self.passed)
        )

    @classmethod
    def nothing(cls, shape: tuple[int, ...], doubt: str = "") -> Evidence:
        """Evidence of an undamaged frame, or of one that is left alone."""
        return cls(np.zeros(shape, np.bool_), doubt=doubt)


class Window(Protocol):
    """What a step sees: a frame and its neighbours of the same shot, with what was derived from them."""

    @property
    def number(self) -> int:
        """Number of the frame in the middle."""
        ...

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        ...

    def has(self, offset: int) -> bool:
        """Whether the frame that many places away exists in the same shot."""
        ...

    def frame(self, offset: int = 0) -> Frame:
        """The frame that many places away."""
        ...

    def luma8(self, offset: int = 0) -> Luma8:
        """(H, W) uint8 luma of that frame."""
        ...

    def rgb(self, offset: int = 0) -> Rgb:
        """(H, W, 3) float32 R'G'B' of that frame, nominal 0..1."""
        ...

    def motion(self, offset: int, quality: MotionQuality = "fine") -> Flow:
        """(H, W, 2) float32 flow from the middle frame to that one."""
        ...

    def at(self, offset: int) -> Window:
        """The same window with that frame in the middle."""
        ...

    def keep(self, name: str, make: Callable[[], Made], size_of: Callable[[Made], int]) -> Made:
        """Something dear about the middle frame, made once; `name` has to say all that it depends on."""
        ...


class Step(Protocol):
    """What every step has, whatever its family.

    Attributes:
        id: as in recipes and jobs.
        label: for people.
        version: raised whenever the pictures change for the same settings.
        family: which of the four contracts it keeps.
        stage: when in the work it is done, which says where on the path it goes.
        settings_model: its settings.
    """

    id: ClassVar[str]
    label: ClassVar[str]
    version: ClassVar[int]
    family: ClassVar[Family]
    stage: ClassVar[Stage]
    settings_model: ClassVar[type[Settings]]

    def reach(self, settings: Any) -> int:
        """How many frames before and after a frame are read."""
        ...


class LocalStep(Step, Protocol):
    """Mends places: finds evidence, then gives a picture that is used inside it only."""

    def find(self, window: Window, settings: Any) -> Evidence:
        """Where the frame is damaged."""
        ...

    def mend(self, window: Window, evidence: Evidence, settings: Any) -> Rgb:
        """(H, W, 3) float32 R'G'B'; only what lies inside the evidence is used."""
        ...


class OnFields(Protocol):
    """What a local step may have besides: on interlaced material it is given each field as a picture of its own."""

    works_on_fields: ClassVar[bool]


class Explaining(Protocol):
    """What a local step may have besides: it answers a person who points at a place."""

    def find_at(self, window: Window, area: Area, settings: Any) -> Evidence:
        """What is to be mended there, now that a person says that it is damage."""
        ...

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: Any) -> str:
        """From where a piece of the evidence is filled, in words."""
        ...


class WholeStep(Step, Protocol):
    """Changes whole pictures."""

    def render(self, window: Window, settings: Any) -> Rgb:
        """(H, W, 3) float32 R'G'B' of the new picture."""
        ...


@dataclass(frozen=True)
class Doubt:
    """A run of frames about which a time step wants a person's word.

    Attributes:
        first, last: frames before the step, both included; the verdict is given on the first.
        words: why.
    """

    first: int
    last: int
    words: str


@dataclass(frozen=True, eq=False)
class Timing:
    """What a time step makes of a reel.

    Attributes:
        timeline: the frame map.
        plan: what the step needs to know of its made frames, by output number.
        notes: sentences for whoever reads the proof.
        field_order: of the output, "" for that of the source.
        doubts: what a person should look at.
        groups: runs of frames before the step of which one each is shown, in order; none for most steps.
    """

    timeline: Timeline
    plan: dict[int, Any] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    field_order: str = ""
    doubts: tuple[Doubt, ...] = ()
    groups: tuple[range, ...] = ()

    def group_words(self, number: int) -> str:
        """Of which group a frame before the step is, "" where there are none."""
        if not self.groups:
            return ""
        place = bisect_right(self.groups, number, key=lambda group: group.start) - 1
        if place < 0 or number not in self.groups[place]:
            return f"Capture {number} belongs to no film frame."
        group = self.groups[place]
        return (
            f"Capture {number - group.start + 1} of {len(group)} of film frame {place} "
            f"(captures {group.start} to {group.stop - 1})."
        )

    def new_format(self, fmt: PictureFormat) -> PictureFormat:
        """The format of the output."""
        return replace(fmt, rate=self.timeline.rate, field_order=self.field_order or fmt.field_order)  # type: ignore[arg-type]


class Reelwise(Protocol):
    """What a time step sees of the whole reel while it studies it."""

    @property
    def format(self) -> PictureFormat:
        """Format of the frames."""
        ...

    def __len__(self) -> int: ...

    def frame(self, number: int) -> Frame:
        """Frame `number`; raises UnreadableFrameError."""
        ...

    def luma8(self, number: int) -> Luma8:
        """(H, W) uint8 luma of a frame."""
        ...

    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""
        ...

    def joined(self, number: int, other: int) -> bool:
        """Whether two frames belong to one shot whatever lies between them, such as frames that are bad."""
        ...

    def kept(self, name: str, make: Callable[[], Arrays]) -> Arrays:
        """What was learned of the reel's pictures under a name, learned once and kept with the job.

        It may depend on the frames and on where shots end, on no setting and on no verdict.
        """
        ...

    def word_on(self, number: int) -> str:
        """A person's verdict on the step's finding that begins with a frame: mend, leave or undecided."""
        ...


class TimeStep(Step, Protocol):
    """Changes time: studies the reel once, says which frame goes where, makes the frames that are no copies."""

    def study(self, reel: Reelwise, settings: Any, progress: Progress) -> Timing:
        """The frame map of a reel; deterministic."""
        ...

    def make(self, window: Window, timing: Timing, number: int, settings: Any) -> Frame:
        """Output frame `number`, one of those that are made; the window lies on the source frame it stands for."""
        ...


class Showing(Protocol):
    """What a time step may have besides: it shows why, or how well, it made a frame."""

    judges_itself: ClassVar[bool]  # whether what it shows holds a doubt that belongs on record

    def show(self, window: Window, timing: Timing, number: int, settings: Any) -> Evidence:
        """Evidence on output frame `number`, one of those that are made; the window as for `make`."""
        ...


class ShapeStep(Step, Protocol):
    """Changes the size or shape of the picture."""

    def new_format(self, fmt: PictureFormat, settings: Any) -> PictureFormat:
        """Format of the output frames."""
        ...

    def reshape(self, window: Window, number: int, settings: Any) -> Frame:
        """The frame in the new format, or itself where nothing changes; `number` is that of the reel's frame."""
        ...


AnyStep = LocalStep | WholeStep | TimeStep | ShapeStep


def shots_of(reel: Reelwise, progress: Progress) -> list[range]:
    """The shots of a reel."""

    def edges() -> Arrays:
        progress.begin(len(reel), "Looking for the ends of shots")
        inner = []
        numbers = range(1, len(reel))
        for number, same in zip(numbers, in_parallel(lambda n: reel.same_shot(n - 1, n), numbers), strict=True):
            inner += [] if same else [number]
            progress.advance()
        return {"edges": np.array([0, *inner, len(reel)], np.int64)}

    return [range(int(first), int(stop)) for first, stop in pairwise(reel.kept("shots", edges)["edges"])]


def changes_time(step: AnyStep) -> bool:
    """Whether a step is one of those that change time."""
    return step.family == "time"


def place_for(step: AnyStep, others: Sequence[AnyStep]) -> int:
    """Where on a path of others a step goes by itself: behind those of its stage and the stages before it."""
    later = (place for place, other in enumerate(others) if STAGES.index(other.stage) > STAGES.index(step.stage))
    return next(later, len(others))


@dataclass
class Registry:
    """The steps by id.

    Attributes:
        steps: in the order in which they are offered.
        faults: a sentence for each step of another package that is left out.
    """

    steps: dict[str, AnyStep] = field(default_factory=dict)
    faults: list[str] = field(default_factory=list)

    def add(self, step: AnyStep) -> None:
        """Register a step under its id.

        Raises:
            ValueError: if the id is taken, or the step does not keep the contract of its family.
        """
        if step.id in self.steps:
            raise ValueError(f"step {step.id} is registered already")
        missing = [name for name in ("reach", *METHODS[step.family]) if not callable(getattr(step, name, None))]
        if missing or step.stage not in STAGES:
            raise ValueError(f"step {step.id} of the family {step.family} lacks {', '.join(missing) or 'a stage'}")
        self.steps[step.id] = step
