"""Writes the borders of a picture anew: black, ragged, dotted sides, and the lines that a head switch tore.

The borders are found once for a shot, over many frames, so they never breathe. Where the camera moves, what lies
behind a border is taken from frames that show it, at its brightness; elsewhere the picture is mirrored into it. What
lies inside comes out bit for bit. A wide border is a box round the picture, and left as it is.

Two other ways change the picture: what is left between the borders is enlarged to the same size, or the borders are cut
off. Numbers are given for them, or 1.5 % of each side are taken: a picture's size cannot depend on what is found.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from grevin.core.measure.active_area import borders_of
from grevin.core.measure.sampling import spread_over
from grevin.core.motion.flow import Flow
from grevin.core.picture.colour import Rgb
from grevin.core.picture.geometry import Area
from grevin.core.progress import Progress
from grevin.core.steps.base import AnyStep, Family, Stage
from grevin.core.steps.edges.camera import Map, chained, of_field, ways
from grevin.core.steps.edges.cutting import LEAST_PX, CuttingEdges
from grevin.core.steps.edges.filling import Sides, from_frames, mirrored
from grevin.core.steps.edges.settings import FOUND, EdgesSettings
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

LOOKED_AT = 24  # frames of a shot
SIDES = ("left", "right", "top", "bottom")
OFFSETS = (1, 2, 3, 4, 6, 8, 12, 16, 24)  # frames away that are asked, up to the reach


class EdgesStep:
    """See the module."""

    id: ClassVar[str] = "edges"
    label: ClassVar[str] = "Edges"
    fault: ClassVar[str] = "Borders are black, ragged or dotted, or lines at the bottom are torn"
    version: ClassVar[int] = 3
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "frame"
    settings_model: ClassVar[type[Settings]] = EdgesSettings
    works_on_fields: ClassVar[bool] = True

    def acting(self, settings: EdgesSettings) -> AnyStep:
        """The step itself where borders are written anew, else the one that changes the shape."""
        return self if settings.way == "fill" else CuttingEdges()

    def reach(self, settings: EdgesSettings) -> int:
        """Frames that may show what a border hides."""
        return settings.reach_frames if settings.source == "best" else 0

    def learn(self, shot: Shotwise, settings: EdgesSettings, progress: Progress) -> Arrays:
        """The borders of a shot, and where there are any the way of the camera."""
        found = shot.kept("borders 2", lambda: _measured(shot))
        asked = (settings.left_px, settings.right_px, settings.top_lines, settings.bottom_lines)
        height, width = found["shape"]
        sizes = np.array([width, width, height, height])
        boxed = found["borders"] > np.ceil(settings.most_pct / 100.0 * sizes)
        own = np.where(boxed, 0, found["borders"])
        borders = np.array([mine if one == FOUND else one for one, mine in zip(asked, own, strict=True)])

        def flow(number: int) -> Flow:
            return shot.window(number).motion(1, "quick")

        followed = borders.any() and settings.source == "best"
        camera = shot.kept("camera", lambda: {"ways": ways(shot.frames, flow, progress)}) if followed else {}
        steps = camera.get("ways", np.zeros((0, 2, 3)))
        first = np.array(shot.frames.start)
        return {**found, "boxed": boxed, "used": borders, "ways": steps, "first": first}

    def find(self, window: Window, settings: EdgesSettings) -> Evidence:
        """The borders of a frame, or of a field."""
        shape = window.luma8().shape
        inner = _inner(window)
        if inner is None:
            return Evidence.nothing(shape)
        areas = [border for border, _ in inner.borders(shape)]
        blobs = tuple(Blob(area, area[2] * area[3], 0.0, 1.0) for area in areas)
        return Evidence(inner.mask(shape), blobs=blobs, words=_words(window.study()))

    def mend(self, window: Window, evidence: Evidence, settings: EdgesSettings) -> Rgb:
        """The picture with its borders written anew."""
        return self._filled(window, settings)[0]

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: EdgesSettings) -> str:
        """From where the border is written."""
        share = self._filled(window, settings)[1]
        if share <= 0:
            return "mirrored from the picture beside it"
        return f"{100 * share:.0f} % of the border from frames around, the rest mirrored"

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        boxed = [side for side, one in zip(SIDES, study["boxed"], strict=True) if one]
        said = [_words(study) or "There is no border to be written anew."]
        if boxed:
            said.append(f"What is dark at the {' and the '.join(boxed)} is a box round the picture and is left.")
        if int(study["torn"]):
            said.append(f"{int(study['torn'])} lines at the bottom were torn by a head switch.")
        if len(study["ways"]):
            known = float(np.mean(~np.isnan(study["ways"]).any(axis=(1, 2))))
            said.append(f"The way of the camera is known on {100 * known:.0f} % of the frames.")
        return tuple(said)

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found black borders."""
        if "edges" not in facts.found:
            return None
        sides = (f"{side} {facts.middle(f'border_{side}'):.0f}" for side in SIDES)
        return Suggestion("edges", f"black borders, px: {', '.join(sides)}")

    def _filled(self, window: Window, settings: EdgesSettings) -> tuple[Rgb, float]:
        inner = _inner(window)
        if inner is None:
            return window.rgb(), 0.0
        if settings.source != "best":
            return mirrored(window.rgb(), inner, settings.source == "soft"), 0.0
        return from_frames(window.rgb(), inner, _others(window, settings.reach_frames))


def _measured(shot: Shotwise) -> Arrays:
    """(4,) borders of a shot at its sides."""
    frames = shot.frames
    chosen = spread_over(frames, LOOKED_AT)
    pictures = np.stack([shot.window(number).luma8() for number in chosen])
    found = borders_of(pictures)
    return {
        "borders": np.array([found.left, found.right, found.top, found.bottom]), "torn": np.array(found.torn),
        "shape": np.array(pictures.shape[1:]),
    }  # fmt: skip


def _inner(window: Window) -> Sides | None:
    """What is picture on a frame or field; None where no border is to be written, or nothing would be left."""
    study = window.study()
    left, right, top, bottom = (int(one) for one in study["used"])
    height, width = window.luma8().shape
    if height < int(study["shape"][0]):  # a field
        top, bottom = -(-top // 2), -(-bottom // 2)
    inner = Sides(left, top, width - right, height - bottom)
    small = inner.right - inner.left < LEAST_PX or inner.bottom - inner.top < LEAST_PX
    return None if small or not any((left, right, top, bottom)) else inner


def _others(window: Window, reach: int) -> Iterator[tuple[Rgb, Map]]:
    """Frames around, nearest first, with the way into them."""
    study = window.study()
    place = window.number - int(study["first"])
    field = window.luma8().shape[0] < int(study["shape"][0])
    for count in OFFSETS:
        for offset in (count, -count):
            if count > reach or not window.has(offset):
                continue
            way = chained(study["ways"], place, offset)
            if way is not None:
                yield window.rgb(offset), of_field(way) if field else way


def _words(study: Arrays) -> str:
    used: list[int] = [int(one) for one in study["used"]]
    units = ("px", "px", "lines", "lines")
    parts = [f"{side} {one} {unit}" for side, one, unit in zip(SIDES, used, units, strict=True) if one]
    return f"Borders: {', '.join(parts)}." if parts else ""
