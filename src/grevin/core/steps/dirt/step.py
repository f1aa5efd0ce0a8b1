"""Dust, dirt and hairs: specks that sit on one frame and are gone on the next.

A pixel is suspect where it is brighter or darker than what the frames before and after show at the same
place of the moving picture, by more than the noise explains (spike test SDIp: Kokaram 1998, "Motion Picture
Restoration", from memory) and beyond the range of their 3x3 surroundings (in the manner of the rank-ordered
difference: Nadenau and Mitra 1997, from memory). Suspect blobs are then judged whole: the motion must explain
their surroundings well, and both neighbours must tell the same. What is found is filled from the neighbours
along the motion of the surroundings.

Not for scratches or spots that stay on the same place for several frames.
"""

from __future__ import annotations

from typing import ClassVar

from grevin.core.picture.colour import Rgb
from grevin.core.steps.base import Evidence, Window
from grevin.core.steps.dirt.filling import fill_blobs
from grevin.core.steps.dirt.finding import Suspects, find_blobs, find_suspects
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.settings import Settings


class DirtStep:
    """Finds and fills dirt."""

    id: ClassVar[str] = "dirt"
    label: ClassVar[str] = "Dirt"
    version: ClassVar[int] = 2
    settings_model: ClassVar[type[Settings]] = DirtSettings

    def reach(self, settings: DirtSettings) -> int:
        """Two frames: at the ends of a shot both neighbours lie on one side."""
        return 2

    def find(self, window: Window, settings: DirtSettings) -> Evidence:
        """Specks of the middle frame; nothing where two neighbours of the same shot are not to be had."""
        seen = suspects(window, settings)
        return Evidence.nothing(window.luma8().shape) if seen is None else find_blobs(seen, settings)

    def mend(self, window: Window, evidence: Evidence, settings: DirtSettings) -> Rgb:
        """The picture with the specks filled from both neighbours."""
        offsets = neighbour_offsets(window)
        picture = window.rgb().copy()
        if offsets is None:
            return picture
        sources = [(window.rgb(offset), window.motion(offset)) for offset in offsets]
        fill_blobs(picture, evidence.mask, (sources[0], sources[1]))
        return picture


def suspects(window: Window, settings: DirtSettings) -> Suspects | None:
    """All that may be dirt on the middle frame; None where two neighbours are not to be had."""
    here = window.luma8()
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None
    neighbours = [Neighbour.along(here, window.luma8(offset), window.motion(offset)) for offset in offsets]
    return find_suspects(here, (neighbours[0], neighbours[1]), settings)


def neighbour_offsets(window: Window) -> tuple[int, int] | None:
    """The frames to compare with: one each side, or two of one side at the ends of a shot; None if there are none."""
    for pair in ((-1, 1), (1, 2), (-1, -2)):
        if window.has(pair[0]) and window.has(pair[1]):
            return pair
    return None
