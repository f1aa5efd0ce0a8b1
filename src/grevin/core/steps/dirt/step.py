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

from grevin.core.motion.flow import Luma8, positions, sample
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.base import Evidence, Window
from grevin.core.steps.dirt.filling import Source, fill_blobs, unbent
from grevin.core.steps.dirt.finding import Suspects, find_blobs, find_roughly, find_suspects
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.settings import Settings

BENT_PX = 5  # how far around itself dirt bends the motion: about the patches that it is found by


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
        """The picture with the specks filled from both neighbours."""
        sight = second_sight(window, settings)
        picture = window.rgb().copy()
        if sight is not None:
            sources = [
                Source(window.rgb(offset), neighbour.flow, dirty)
                for offset, neighbour, dirty in zip(sight.offsets, sight.suspects.neighbours, sight.dirty, strict=True)
            ]
            fill_blobs(picture, evidence.mask, sources)
        return picture


@dataclass(frozen=True, eq=False)
class FirstPass:
    """A frame as first cleaned, for looking at its neighbours with.

    Attributes:
        mask: (H, W) bool, its dirt as first found.
        filled: (H, W) uint8 luma without it.
    """

    mask: Mask
    filled: Luma8


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
    neighbours = [Neighbour.along(here, window.luma8(offset), window.motion(offset)) for offset in offsets]
    return find_suspects(here, (neighbours[0], neighbours[1]), settings)


def _sight_key(settings: DirtSettings) -> str:
    """What both passes depend on; the judgement comes after them, so that a change of caution shows at once."""
    return f"{DirtStep.version} {settings.model_dump_json(exclude={'caution', 'most_pct'})}"


def first_pass(window: Window, settings: DirtSettings) -> FirstPass:
    """The middle frame as first cleaned, made once."""

    def make() -> FirstPass:
        here, seen = window.luma8(), first_sight(window, settings)
        mask = np.zeros(here.shape, np.bool_) if seen is None else find_roughly(seen, settings)
        if seen is None or not mask.any():
            return FirstPass(mask, here)
        filled, (first, second) = here.copy(), seen.neighbours
        filled[mask] = cv2.addWeighted(first.luma, 0.5, second.luma, 0.5, 0)[mask]
        return FirstPass(mask, filled)

    name = f"dirt first {_sight_key(settings)}"
    return window.keep(name, make, lambda made: made.mask.nbytes + made.filled.nbytes)


def second_sight(window: Window, settings: DirtSettings) -> SecondSight | None:
    """The middle frame against its cleaned neighbours, made once; None where two are not to be had."""
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None

    def make() -> SecondSight:
        own = first_pass(window, settings)
        others = [first_pass(window.at(offset), settings) for offset in offsets]
        neighbours = [_along_cleaned(window, offset, own, other) for offset, other in zip(offsets, others, strict=True)]
        seen = find_suspects(window.luma8(), (neighbours[0], neighbours[1]), settings)
        return SecondSight(seen, offsets, (others[0].mask, others[1].mask))

    name = f"dirt second {_sight_key(settings)}"
    return window.keep(name, make, lambda made: 12 * made.suspects.here.nbytes)


def _along_cleaned(window: Window, offset: int, own: FirstPass, other: FirstPass) -> Neighbour:
    """The cleaned neighbour, along motion that the dirt of neither frame bends."""
    flow = window.motion(offset)
    bent = own.mask
    if other.mask.any():
        bent = bent | (sample(other.mask.view(np.uint8), *positions(flow)) > 0)
    if bent.any():
        flow = unbent(flow, grow(np.asarray(bent, np.bool_), BENT_PX))
    return Neighbour.along(window.luma8(), other.filled, flow)


def neighbour_offsets(window: Window) -> tuple[int, int] | None:
    """The frames to compare with: one each side, or two of one side at the ends of a shot; None if there are none."""
    for pair in ((-1, 1), (1, 2), (-1, -2)):
        if window.has(pair[0]) and window.has(pair[1]):
            return pair
    return None
