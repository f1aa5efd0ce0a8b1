"""Takes flicker out of the light, over whole frames and in patches, and leaves the scene's own changes of light.

The levels of things that two frames both show are matched along the motion; all pairs of a shot are solved together
into a curve of light for each frame, and into a field of gains where the light is uneven. What stays, changes evenly
or goes to another level and stays there is the scene's; the rest is flicker, and is taken where it is more than
measuring is uncertain by. Fades are left as they are, and what lies between them is brought to rest by itself.
Material that does not flicker comes out bit for bit.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.measure.lighting.curves import FOOT, terms
from grevin.core.measure.lighting.pairs import SmallPicture, small_picture
from grevin.core.measure.lighting.parities import without_structure
from grevin.core.measure.lighting.table import measured
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.charting import Chart, Line
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.flicker.at_rest import brought_to_rest
from grevin.core.steps.flicker.settings import FlickerSettings
from grevin.core.steps.flicker.study import blocks_of, figures_of, studied
from grevin.core.steps.flicker.words import words_of
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

LEAST_PLACE_PCT, STANDS_OUT = 1.0, 2.0  # of the light, and times the middle of all places: what is marked
LEAST_CHANGE = 0.25  # 8-bit levels: a frame that would change by less is left bit for bit


class FlickerStep:
    """See the module."""

    id: ClassVar[str] = "flicker"
    label: ClassVar[str] = "Flicker"
    fault: ClassVar[str] = "The light flickers, all over or in one part of the picture"
    version: ClassVar[int] = 10
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "light"
    settings_model: ClassVar[type[Settings]] = FlickerSettings
    works_on_fields: ClassVar[bool] = True
    learns_from: ClassVar[LearnsFrom] = "fields"  # lamps beat with fields, not with frames

    def reach(self, settings: FlickerSettings) -> int:
        """The shot is learned; a frame itself needs no other."""
        return 0

    def learn(self, shot: Shotwise, settings: FlickerSettings, progress: Progress) -> Arrays:
        """Curves and fields of a shot."""
        frames = shot.frames

        def small(number: int) -> SmallPicture:
            return small_picture(shot.window(number).frame(), shot.seen(number))

        across = settings.patches_across
        pairs = shot.kept(f"pairs {across}", lambda: measured(frames, small, progress, across))
        if shot.per_frame > 1:
            pairs = without_structure(pairs)
        blocks = shot.kept(f"blocks {across}", lambda: blocks_of(len(frames), pairs))
        counted = settings.in_pictures(shot.per_frame)
        return studied(len(frames), pairs, blocks, counted, frames.start) | {"per_frame": np.array([shot.per_frame])}

    def render(self, window: Window, settings: FlickerSettings) -> Frame:
        """The frame in the light of its surroundings."""
        frame, study = window.frame(), window.study()
        place = window.moment - int(study["first"][0])
        curves = study["curves"][place] * settings.strength
        field = study["field"][place] * np.float32(settings.strength) if len(study["field"]) else None
        if _change(curves, field) < LEAST_CHANGE:
            return frame
        each = bool(study["each"][0])
        return brought_to_rest(frame, window.rgb, curves, study["reach"][place], field, each, settings.detail_px)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        return words_of(figures_of(study), rate, int(study["per_frame"][0]))

    def chart(self, study: Arrays) -> Chart | None:
        """The light over the frames, and where it flickers."""
        light = study["light"]
        if not len(light):
            return None
        lines = (Line("light of the frame", light[:, 0]), Line("light of the scene", light[:, 1], measured=False))
        of = "each part of the shot" if figures_of(study)["stretches"] > 1 else "the shot"
        about = f"light against the mean of {of}"
        return Chart(about, "levels", lines, study["places"], per_frame=int(study["per_frame"][0]))

    def check(self, window: Window, made: Frame, settings: FlickerSettings) -> Evidence:
        """Where the shot flickers, by more than the rest of it."""
        frame, places = window.frame(), window.study()["places"]
        height, width = frame.format.height, frame.format.width
        if not places.size:
            return Evidence(np.zeros((height, width), np.bool_), words="it was not told where the shot flickers.")
        most = float(places.max())
        marked = (places > max(LEAST_PLACE_PCT, STANDS_OUT * float(np.median(places)))).astype(np.uint8)
        down, across = np.unravel_index(int(np.argmax(places)), places.shape)
        x, y = (int(across) + 0.5) * width / places.shape[1], (int(down) + 0.5) * height / places.shape[0]
        mask = cv2.resize(marked, (width, height), interpolation=cv2.INTER_NEAREST).astype(np.bool_)
        if most > LEAST_PLACE_PCT:
            return Evidence(mask, words=f"the shot flickers by {most:.1f} % at {x:.0f}, {y:.0f}, at most.")
        return Evidence(mask, words=f"no part of the picture flickers by more than {most:.1f} %.")

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found flicker."""
        if "flicker" not in facts.found:
            return None
        figures = facts.figures["flicker"]
        period = figures.get("period_frames", 0)
        every = f", every {period:.3g} frames" if period else ""
        parts = figures.get("parts_percent", 0)
        uneven = f", that of single parts by {parts:.1f} % beside it" if parts else ""
        fields = figures.get("fields_percent", 0)
        apart = f"; the two fields of a frame differ by {fields:.1f} %" if fields else ""
        return Suggestion(
            "flicker", f"the light changes by {figures['percent']:.1f} % from frame to frame{every}{uneven}{apart}"
        )


def _change(curves: np.ndarray, field: np.ndarray | None) -> float:
    """By how many 8-bit levels a frame would change, at most of its curves and places."""
    levels = np.array([60.0, 120.0, 180.0])
    most = float(np.abs((curves @ terms(levels).T) * (levels + FOOT)).max())
    return most if field is None else max(most, float(np.abs(field).max()) * (120.0 + FOOT))
