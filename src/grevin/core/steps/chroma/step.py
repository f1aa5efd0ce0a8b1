"""Brings colour back to its edges: tapes lay it to the right, and a line lower with every copy.

The shift is found for each shot, over many of its frames, by the distance at which changes of colour and of brightness
are most alike. What is below one sample of colour is left, bit for bit: pictures whose colour is right show up to .7 of
one. Where colour seems to lie at several places, as on things that repeat, nothing is done, and numbers help. Only the
colour planes are moved, between their samples; brightness is not touched.
"""

from __future__ import annotations

from dataclasses import astuple
from typing import ClassVar

import cv2
import numpy as np

from grevin.core.measure.colour_shift import Shift, likeness, shift_of
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import Plane, levels_of, with_levels
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.chroma.settings import ChromaSettings
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window, spread_over
from grevin.core.steps.settings import Settings

LOOKED_AT = 16  # frames of a shot: what displaced colour did so all along
NOTHING = 0.01  # px


class ChromaStep:
    """See the module."""

    id: ClassVar[str] = "chroma"
    label: ClassVar[str] = "Colour shift"
    fault: ClassVar[str] = "Colour lies beside or below the things it belongs to"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "signal"
    settings_model: ClassVar[type[Settings]] = ChromaSettings
    works_on_fields: ClassVar[bool] = True
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: ChromaSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: ChromaSettings, progress: Progress) -> Arrays:
        """How far colour lies beside its edges, across and down."""
        return shot.kept("colour shift", lambda: _measured(shot, progress))

    def render(self, window: Window, settings: ChromaSettings) -> Frame:
        """The frame with its colour moved back; itself where nothing is to be moved."""
        frame, fmt = window.frame(), window.format
        right, down = _asked(window, settings)
        if fmt.model != "yuv" or max(abs(right), abs(down)) < NOTHING:
            return frame
        levels = levels_of(frame)
        return with_levels(frame, levels, {place: _moved(levels[place], -right, -down) for place in (1, 2)})

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        ratio, found = study["ratio"], Shift(*map(float, study["shift"]))
        if not ratio.any():
            return ("There are no colour planes that could lie beside the picture.",)
        if not found.is_known:
            return ("Where colour lies cannot be told: it hardly changes, or seems to lie at several places.",)
        right, down = found.right * float(ratio[0]), found.down * float(ratio[1])
        return (
            f"Colour lies {right:+.1f} px to the right and {down:+.1f} lines down "
            f"({found.right:+.2f} and {found.down:+.2f} samples of colour).",
        )

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found colour beside its edges."""
        if "chroma" not in facts.found:
            return None
        right, down = facts.middle("colour_right"), facts.middle("colour_down")
        return Suggestion("chroma", f"colour lies {right:+.1f} samples to the right and {down:+.1f} down")


def _measured(shot: Shotwise, progress: Progress) -> Arrays:
    """(5,): the shift; (2,) pixels and lines of a sample of colour, 0 where there is none."""
    fmt = shot.window(shot.frames.start).format
    if fmt.model != "yuv":
        return {"shift": np.full(5, np.nan), "ratio": np.zeros(2)}
    frames = shot.frames
    chosen = spread_over(frames, LOOKED_AT)
    progress.begin(len(chosen), "Looking where colour lies")
    maps = []
    for number in chosen:
        luma, *colours = levels_of(shot.window(number).frame())
        maps.append(likeness(luma, colours))
        progress.advance()
    return {"shift": np.array(astuple(shift_of(maps))), "ratio": np.array(fmt.chroma_ratio)}


def _asked(window: Window, settings: ChromaSettings) -> tuple[float, float]:
    """Samples of colour that are taken back, to the right and down."""
    across, down = window.format.chroma_ratio
    if settings.acts == "given":
        return settings.right_px / across, settings.down_lines / down
    found = Shift(*map(float, window.study()["shift"]))
    is_shifted = found.is_known and max(abs(found.right), abs(found.down)) >= settings.least_samples
    return (found.right, found.down) if is_shifted else (0.0, 0.0)


def _moved(plane: Plane, right: float, down: float) -> Plane:
    """(H, W) float32, a plane moved by parts of samples; its last ones are repeated at the sides."""
    way = np.array([[1.0, 0.0, -right], [0.0, 1.0, -down]])
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    made = cv2.warpAffine(plane, way, plane.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)
