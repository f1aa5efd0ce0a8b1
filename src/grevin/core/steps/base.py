"""The contract of repair steps.

A step is a stateless object: an `id`, a `label`, a settings model, how far it reads (`reach`) and one or two
methods, by family. The chain (`grevin.core.treatment`) does everything that steps share: looking up neighbours,
cuts, caching, blending inside the evidence only, keeping untouched samples, the record of what was done.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, Protocol, get_args

from grevin.core.measure.area import Box
from grevin.core.picture.colour import Rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Area, Geometry
from grevin.core.progress import Progress
from grevin.core.steps.charting import Chart
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.seen import Arrays, Reelwise, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.timing import Timing

Family = Literal["local", "whole", "time", "shape"]
Stage = Literal["time", "signal", "light", "surface", "frame", "size", "finish"]  # in the order in which work is done
STAGES: tuple[str, ...] = get_args(Stage)
LearnsFrom = Literal["frames", "one field", "fields"]
METHODS: dict[str, tuple[str, ...]] = {
    "local": ("find", "mend"), "whole": ("render",), "time": ("study", "make"),
    "shape": ("new_format", "reshape", "geometry"),
}  # fmt: skip


class Step(Protocol):
    """What every step has, whatever its family.

    Attributes:
        id: as in recipes and jobs.
        label: for people.
        fault: what is wrong with a picture that needs the step, in one line.
        version: raised whenever the pictures change for the same settings.
        family: which of the four contracts it keeps.
        stage: when in the work it is done, which says where on the path it goes.
        settings_model: its settings.
    """

    id: ClassVar[str]
    label: ClassVar[str]
    fault: ClassVar[str]
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


class Learning(Protocol):
    """What a local or whole step may have besides: it learns a shot before it acts on its frames.

    What it learned is kept with the job and comes with every window (`Window.study`).
    """

    def learn(self, shot: Shotwise, settings: Any, progress: Progress) -> Arrays:
        """What is to be known of a shot; deterministic."""
        ...


class LearningWhere(Learning, Protocol):
    """What a step that learns may have besides: what it learns is about the places in which it may act."""

    learns_where: ClassVar[bool]


class FillingStrokes(Protocol):
    """What a local step may have besides: it fills strokes that a person draws (`Window.strokes`)."""

    fills_strokes: ClassVar[bool]


class Telling(Protocol):
    """What a step that learns shots may have besides: it says what it found in one."""

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """Sentences about a shot, from what was learned of it; `rate` in frames a second."""
        ...


class Charting(Protocol):
    """What a step that learns shots may have besides: it draws what it found in one."""

    def chart(self, study: Arrays) -> Chart | None:
        """Curves and a map of a shot, from what was learned of it; None where there is nothing to draw."""
        ...


class Checking(Protocol):
    """What a whole step may have besides: it checks what it made, and marks places that are to be looked at."""

    def check(self, window: Window, made: Frame, settings: Any) -> Evidence:
        """Places of a frame that it changed, where something speaks against the result; the words say what."""
        ...


class OnFields(Protocol):
    """What a local or whole step may have besides: each field of interlaced material is a picture of its own to it.

    A step that learns says what it is shown meanwhile: whole frames, one field of each, or every field in its time.
    """

    works_on_fields: ClassVar[bool]
    learns_from: ClassVar[LearnsFrom]


class Choosing(Protocol):
    """What a local step may have besides: a person may choose from where a single place is mended (`Blob.source`).

    Its sources by the names under which a job keeps them, with words for people.
    """

    sources: ClassVar[dict[str, str]]


class Explaining(Protocol):
    """What a local step may have besides: it answers a person who points at a place."""

    def find_at(self, window: Window, area: Area, settings: Any) -> Evidence:
        """What is to be mended there, now that a person says that it is damage."""
        ...

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: Any) -> str:
        """From where a piece of the evidence is filled, in words."""
        ...


class WholeStep(Step, Protocol):
    """Changes whole pictures.

    It makes them from R'G'B' (`picture.colour.from_rgb`) or from the planes themselves (`Frame.with_planes`), in
    float32 and code-value units; rounding is left to whoever writes them.
    """

    def render(self, window: Window, settings: Any) -> Frame:
        """The new picture; the window's own frame where nothing is to be changed."""
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


class Doubting(Protocol):
    """What a time step may have besides, where it has doubts."""

    doubts_are: ClassVar[str]  # what they are about, for people
    finding_kinds: ClassVar[tuple[str, ...]]  # kinds of findings of the survey a word on which is one on its runs


class ShapeStep(Step, Protocol):
    """Changes the size or shape of the picture."""

    def new_format(self, fmt: PictureFormat, settings: Any) -> PictureFormat:
        """Format of the output frames."""
        ...

    def reshape(self, window: Window, number: int, settings: Any) -> Frame:
        """The frame in the new format, or itself where nothing changes; `number` is that of the reel's frame."""
        ...

    def geometry(self, fmt: PictureFormat, number: int, settings: Any) -> Geometry:
        """Where the pixels of the new picture lie in one of a format, on the reel's frame `number`."""
        ...


class TakingMemory(Protocol):
    """What a shape step may have besides, whose pictures take much memory while they are made."""

    def bytes_to_make(self, fmt: PictureFormat, settings: Any) -> int:
        """About how much one picture takes that is made of one of a format."""
        ...


class Drafting(Protocol):
    """What a shape step may have besides: a picture in a hurry, for somebody who looks at a part of it."""

    def drafts(self, settings: Any) -> bool:
        """Whether a draft comes sooner than the picture itself."""
        ...

    def draft(self, window: Window, number: int, settings: Any, seen: Box) -> Frame:
        """As `reshape`, but right only in `seen`, pixels of the new picture, and but for what takes long there."""
        ...


AnyStep = LocalStep | WholeStep | TimeStep | ShapeStep


class WithWays(Protocol):
    """What a step may have besides, where a way of it is the work of another family."""

    def acting(self, settings: Any) -> AnyStep:
        """The step that does what the settings ask for; it has the same id and settings."""
        ...


def acting(step: AnyStep, settings: Any) -> AnyStep:
    """The step that acts for some settings: itself, or the way of it that they ask for."""
    return step.acting(settings) if hasattr(step, "acting") else step


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
