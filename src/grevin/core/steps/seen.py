"""What steps see: a frame among its neighbours, a whole shot, a whole reel."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any, Protocol, TypeVar

import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow, Luma8, MotionQuality
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import Rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.progress import Progress
from grevin.core.steps.strokes import PlacedStroke

Made = TypeVar("Made")
Arrays = dict[str, npt.NDArray[Any]]


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

    def around(self, step: str) -> tuple[Frame, Frame] | None:
        """The middle frame before and behind the last earlier step of an id; None where none acts on the path."""
        ...

    def study(self) -> Arrays:
        """What the step learned of the shot that the middle frame lies in; for steps that `learn`."""
        ...

    @property
    def moment(self) -> int:
        """Number of the middle frame among the pictures of which the step learned the shot (`Shotwise.frames`)."""
        ...

    def strokes(self) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of the middle frame, for steps that fill strokes."""
        ...


class Shotwise(Protocol):
    """What a step sees of a whole shot while it learns it."""

    @property
    def frames(self) -> range:
        """The pictures of the shot: its frames, as they are numbered before the step, or all of their fields."""
        ...

    @property
    def of_fields(self) -> bool:
        """Whether its pictures are fields of interlaced frames."""
        ...

    @property
    def per_frame(self) -> int:
        """Pictures a frame: 2 where each field is one, for steps that learn from `fields`."""
        ...

    def window(self, number: int) -> Window:
        """One of them among its neighbours."""
        ...

    def seen(self, number: int) -> Mask | None:
        """(H, W) bool, where a person wants that frame measured; None for everywhere."""
        ...

    def where(self, number: int) -> Mask | None:
        """(H, W) bool, where the step may act on a frame, for steps that say `learns_where`; None for everywhere."""
        ...

    def kept(self, name: str, make: Callable[[], Arrays]) -> Arrays:
        """What was learned of the shot's pictures under a name, learned once and kept with the job.

        It may depend on the frames, on no setting.
        """
        ...


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
