"""Dust, dirt and hairs: specks that sit on one frame and are gone on the next.

A pixel is suspect where it is brighter or darker than what the frames before and after show at the same
place of the moving picture, by more than the noise explains (spike test SDIp: Kokaram 1998, "Motion Picture
Restoration", from memory) and beyond the range of their 3x3 surroundings (in the manner of the rank-ordered
difference: Nadenau and Mitra 1997, from memory). Suspect blobs are then judged whole: the motion must explain
their surroundings well, and both neighbours must tell the same. All is done twice: the second time with motion
between cleaned pictures and against cleaned neighbours. What is found is filled from the neighbours along the
motion of the surroundings.

Not for scratches or spots that stay on the same place for several frames.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np

from grevin.core.motion.flow import Luma8, outside, positions, sample, straightened
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.base import Evidence, Window
from grevin.core.steps.dirt.filling import Source, fill_blobs
from grevin.core.steps.dirt.finding import find_blobs, find_roughly
from grevin.core.steps.dirt.neighbour import BENT_PX, Neighbour
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.suspects import Suspects, find_suspects
from grevin.core.steps.settings import Settings


class DirtStep:
    """Finds and fills dirt."""

    id: ClassVar[str] = "dirt"
    label: ClassVar[str] = "Dirt"
    version: ClassVar[int] = 3
    settings_model: ClassVar[type[Settings]] = DirtSettings

    def reach(self, settings: DirtSettings) -> int:
        """Four frames: at the ends of a shot both neighbours lie on one side, and they were cleaned in the same way."""
        return 4

    def find(self, window: Window, settings: DirtSettings) -> Evidence:
        """Specks of the middle frame; nothing where two neighbours of the same shot are not to be had."""
        sight, shape = second_sight(window, settings), window.luma8().shape
        found = Evidence.nothing(shape) if sight is None else find_blobs(sight.suspects, settings)
        share = 100.0 * float(found.mask.mean())
        if share <= settings.most_pct:
            return found
        doubt = f"{share:.0f} % of the picture looks like dirt: it may be a flash or a bad frame and is left alone."
        return Evidence.nothing(shape, doubt)

    def mend(self, window: Window, evidence: Evidence, settings: DirtSettings) -> Rgb:
        """The picture with the specks filled from the frames around."""
        sight = second_sight(window, settings)
        picture = window.rgb().copy()
        if sight is not None:
            fill_blobs(picture, evidence.mask, sources_of(window, evidence.mask, sight))
        return picture


@dataclass(frozen=True, eq=False)
class FirstPass:
    """A frame as first cleaned, for looking at its neighbours with.

    Attributes:
        mask: (H, W) bool, its dirt as first found.
        filled: (H, W) uint8 luma without it.
        neighbours: its neighbours as they are, moved onto it; nothing where two are not to be had.
    """

    mask: Mask
    filled: Luma8
    neighbours: tuple[Neighbour, ...] = ()

    @property
    def nbytes(self) -> int:
        """Bytes held; the motion is the window's."""
        return (2 + 2 * len(self.neighbours)) * self.mask.nbytes


FirstPasses = tuple[FirstPass, FirstPass]


@dataclass(frozen=True, eq=False)
class SecondSight:
    """A frame against its cleaned neighbours.

    Attributes:
        suspects: what may be dirt, now that neither motion nor neighbours are disturbed by theirs.
        offsets: the neighbours' places.
        dirty: (H, W) bool for each neighbour, where its own picture is not to be taken.
    """

    suspects: Suspects
    offsets: tuple[int, int]
    dirty: tuple[Mask, Mask]


def first_sight(window: Window, settings: DirtSettings) -> Suspects | None:
    """All that may be dirt on the middle frame, against neighbours as they are; None where two are not to be had."""
    here = window.luma8()
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None
    neighbours = [Neighbour.along(window.luma8(offset), window.motion(offset)) for offset in offsets]
    return find_suspects(here, (neighbours[0], neighbours[1]), settings)


def first_pass(window: Window) -> FirstPass:
    """The middle frame as first cleaned, made once.

    By the default settings, whatever the person's are: it is only looked at, and a changed setting finds it ready.
    """
    settings = DirtSettings()

    def make() -> FirstPass:
        here, seen = window.luma8(), first_sight(window, settings)
        mask = np.zeros(here.shape, np.bool_) if seen is None else find_roughly(seen, settings)
        if seen is None:
            return FirstPass(mask, here)
        filled, (first, second) = here.copy(), seen.neighbours
        filled[mask] = cv2.addWeighted(first.luma, 0.5, second.luma, 0.5, 0)[mask]
        return FirstPass(mask, filled, seen.neighbours)

    return window.keep(f"dirt first {DirtStep.version}", make, lambda made: made.nbytes)


def cleaned_neighbours(window: Window, offsets: tuple[int, int]) -> tuple[tuple[Neighbour, Neighbour], FirstPasses]:
    """Both neighbours without their dirt, moved onto the middle frame, and their first passes; made once."""

    def make() -> tuple[tuple[Neighbour, Neighbour], FirstPasses]:
        own, first, second = (first_pass(window.at(offset)) for offset in (0, *offsets))
        one, other = (
            neighbour.cleaned(passed.filled, own.mask, passed.mask)
            for neighbour, passed in zip(own.neighbours, (first, second), strict=True)
        )
        return (_completed(window, one, other, offsets[1]), _completed(window, other, one, offsets[0])), (first, second)

    return window.keep(f"dirt cleaned {DirtStep.version}", make, lambda made: 22 * made[0][0].luma.nbytes)


def _completed(window: Window, neighbour: Neighbour, other: Neighbour, beside: int) -> Neighbour:
    """A neighbour with what leads off its picture taken from beyond the other one, which lies at `beside`."""
    beyond = 2 * beside
    if not neighbour.off.any() or abs(beside) > 1 or not window.has(beyond):
        return neighbour
    return neighbour.completed(other, window.at(beside).motion(beside), window.luma8(beyond))


def sources_of(window: Window, mask: Mask, sight: SecondSight) -> list[Source]:
    """Both neighbours, and the frames beyond them where a neighbour is dirty or does not show the place."""
    bent = grow(mask, BENT_PX)
    sources, wanting = [], False
    for offset, neighbour, dirty in zip(sight.offsets, sight.suspects.neighbours, sight.dirty, strict=True):
        source = Source(window.rgb(offset), straightened(neighbour.flow, bent), dirty)
        sources.append(source)
        across, down = positions(source.flow)
        wanting |= bool(np.any(mask & (outside(across, down) | (sample(dirty.view(np.uint8), across, down) > 0))))
    if wanting and sight.offsets == (-1, 1):
        sources += [_beyond(window, near, offset) for near, offset in zip(sources, sight.offsets, strict=True)
                    if window.has(2 * offset)]  # fmt: skip
    return sources


def _beyond(window: Window, near: Source, offset: int) -> Source:
    """The frame beyond a neighbour, along both motions."""
    onward = sample(window.at(offset).motion(offset), *positions(near.flow))
    return Source(window.rgb(2 * offset), near.flow + onward, first_pass(window.at(2 * offset)).mask)


def second_sight(window: Window, settings: DirtSettings) -> SecondSight | None:
    """The middle frame against its cleaned neighbours, made once; None where two are not to be had."""
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None

    def make() -> SecondSight:
        neighbours, (first, second) = cleaned_neighbours(window, offsets)
        return SecondSight(find_suspects(window.luma8(), neighbours, settings), offsets, (first.mask, second.mask))

    judged_later = {"caution", "most_pct", "smallest_px", "largest_px", "motion_limit_px", "grow_px"}
    name = f"dirt second {DirtStep.version} {settings.model_dump_json(exclude=judged_later)}"
    return window.keep(name, make, lambda made: 8 * made.suspects.here.nbytes)


def neighbour_offsets(window: Window) -> tuple[int, int] | None:
    """The frames to compare with: one each side, or two of one side at the ends of a shot; None if there are none."""
    for pair in ((-1, 1), (1, 2), (-1, -2)):
        if window.has(pair[0]) and window.has(pair[1]):
            return pair
    return None
