"""Fields: measured first, then film cadence undone and true interlace made progressive.

Each shot is judged by itself. Progressive shots come out unchanged, bit for bit. Film at 24 frames that was spread over
fields at 60 (two and three fields of each picture in turn) is woven back from its own fields, exactly, drawings that
stand for two frames and more too; where the whole reel is such, the output gets the film's rate. A shot too short to
tell is film where its fields repeat as those of the reel do. True interlace is deinterlaced: the missing lines of each
field come from bwdif and, along the motion, from the fields just before and after; at the same rate the first field of
each frame, at double rate both.

Film between video in one reel is woven back at the reel's rate, one frame in five shown twice. Fields that a cut left
without their other half are left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from grevin.core.measure.fields import combing
from grevin.core.measure.film_over_fields import FIELD_PERIOD
from grevin.core.motion.flow import MotionQuality
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.fields.deinterlacing import deinterlaced
from grevin.core.steps.fields.finding import ShotFields, fields_of_shots, scans_of
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Reelwise, Window, shots_of
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Timing
from grevin.core.timebase.timeline import Timeline


@dataclass(frozen=True)
class Woven:
    """A frame made of two frames' fields, by their numbers."""

    top: int
    bottom: int


@dataclass(frozen=True)
class Field:
    """A frame made of one field: of which frame, which of its fields, and which one is taken first."""

    frame: int
    second: bool
    top_first: bool


Plan = Woven | Field
COMBED_SHARE = 0.2  # of the frames of a shot, from which the step is proposed
MOTION: dict[str, MotionQuality | None] = {"fine": "fine", "quick": "glance", "off": None}


class FieldsSettings(Settings):
    """Settings of the fields step."""

    what: Literal["as measured", "deinterlace", "undo film cadence", "leave"] = setting(
        "as measured", label="What to do",
        help="As measured treats each shot as what it is; the others say what the whole reel is.",
    )  # fmt: skip
    order: Literal["measured", "top first", "bottom first"] = setting(
        "measured", label="Field order", help="Which field was taken first; the stream's own word where nothing tells."
    )
    rate: Literal["same", "double"] = setting(
        "same", label="Rate", help="Deinterlaced at the same rate, a frame a frame, or at double rate, a frame a field."
    )
    motion: Literal["fine", "quick", "off"] = setting(
        "quick", label="Motion",
        help="How missing lines follow the motion of the fields around; fine takes twice the time, off is bwdif alone.",
    )  # fmt: skip


class FieldsStep:
    """Makes progressive pictures of what came in fields."""

    id: ClassVar[str] = "fields"
    label: ClassVar[str] = "Fields"
    fault: ClassVar[str] = "Edges are combed where things move: two moments in one frame"
    version: ClassVar[int] = 9
    family: ClassVar[Family] = "time"
    stage: ClassVar[Stage] = "time"
    settings_model: ClassVar[type[Settings]] = FieldsSettings
    judges_itself: ClassVar[bool] = False

    def reach(self, settings: FieldsSettings) -> int:
        """Two frames: the field before is made whole with the frame before that."""
        return 2

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where film lies over the fields, or frames are combed."""
        if facts.cadence == "3:2 fields":
            return Suggestion(self.id, "film lies over the fields, 3:2")
        if "combing" not in facts.found or facts.share("combing") <= COMBED_SHARE:
            return None
        return Suggestion(self.id, f"{facts.mean('combing'):.1f} % of the picture is combed")

    def study(self, reel: Reelwise, settings: FieldsSettings, progress: Progress) -> Timing:
        """What each shot is, and which frames are made of which fields."""
        same = Timeline.same(len(reel), reel.format.rate)
        if settings.what == "leave":
            return Timing(same)
        if settings.what == "deinterlace":
            runs = shots_of(reel, progress)
            scans = scans_of(reel, runs, progress)
            shots = [ShotFields(shot, "interlaced", scan) for shot, scan in zip(runs, scans, strict=True)]
        else:
            shots = [_as_told(shot, settings) for shot in fields_of_shots(reel, progress)]
        kinds = {shot.kind for shot in shots}
        if kinds <= {"progressive", "unknown"}:
            words = "The fields belong together: progressive, no sample was changed."
            said_otherwise = reel.format.field_order in {"top_first", "bottom_first"}
            return Timing(same, notes=(words,), field_order="progressive" if said_otherwise else "")
        top_first = _top_first(shots, reel, settings)
        if kinds == {"film"}:
            return _film(reel, shots)
        return _mixed(reel, shots, top_first, settings.rate == "double")

    def make(self, window: Window, timing: Timing, number: int, settings: FieldsSettings) -> Frame:
        """A frame woven of two frames' fields, or deinterlaced."""
        how, here = timing.plan[number], window.number
        if isinstance(how, Woven):
            return woven(window.frame(how.top - here), window.frame(how.bottom - here))
        return deinterlaced(window.at(how.frame - here), how.top_first, how.second, MOTION[settings.motion])

    def show(self, window: Window, timing: Timing, number: int, settings: FieldsSettings) -> Evidence:
        """Where the frame that a made one stands for combs."""
        mask = combing(window.luma8())
        words = f"{100 * float(mask.mean()):.1f} % of the frame as it came combs"
        return Evidence(mask, words=words)


def woven(top: Frame, bottom: Frame) -> Frame:
    """The top field of one frame with the bottom field of another, sample for sample."""
    planes = []
    for upper, lower in zip(top.planes, bottom.planes, strict=True):
        plane = upper.copy()
        plane[1::2] = lower[1::2]
        planes.append(plane)
    return Frame(top.number, top.format, tuple(planes), "everything")


def _as_told(shot: ShotFields, settings: FieldsSettings) -> ShotFields:
    if settings.what == "undo film cadence" and shot.kind != "film":
        return ShotFields(shot.frames, "progressive", shot.scan)
    return shot


def _top_first(shots: list[ShotFields], reel: Reelwise, settings: FieldsSettings) -> bool:
    if settings.order != "measured":
        return settings.order == "top first"
    votes = {
        scan: sum(len(shot.frames) for shot in shots if shot.scan == scan) for scan in ("top_first", "bottom_first")
    }
    if votes["top_first"] != votes["bottom_first"]:
        return votes["top_first"] > votes["bottom_first"]
    return reel.format.field_order != "bottom_first"


def _film_frames(shot: ShotFields) -> list[tuple[int, Plan | None]]:
    """For each film frame of a shot the frame it stands for, and how it is woven; None for a frame as it is."""
    frames: list[tuple[int, Plan | None]] = []
    for number in shot.frames:
        place = (number - shot.frames.start) % FIELD_PERIOD
        if place == shot.phase:
            continue  # holds the second half of the frame before and the first of the one that follows
        if place == (shot.phase + 1) % FIELD_PERIOD:
            if number == shot.frames.start:
                continue  # its other half lies before the cut
            pair = (number, number - 1) if shot.lead == 0 else (number - 1, number)
            frames.append((number, Woven(*pair)))
        else:
            frames.append((number, None))
    return frames


def _film(reel: Reelwise, shots: list[ShotFields]) -> Timing:
    """The film's own frames at the film's rate."""
    rows = [row for shot in shots for row in _film_frames(shot)]
    sources = np.array([number for number, _ in rows], np.int64)
    plan = {place: how for place, (_, how) in enumerate(rows) if how is not None}
    made = np.zeros(len(rows), np.bool_)
    made[list(plan)] = True
    rate = reel.format.rate * (FIELD_PERIOD - 1) / FIELD_PERIOD
    words = f"Film over fields was woven back: {len(rows)} frames at {float(rate):.6g} frames/s."
    return Timing(Timeline(len(reel), rate, sources, made), plan, (words,), "progressive")


def _mixed(reel: Reelwise, shots: list[ShotFields], top_first: bool, wants_double: bool) -> Timing:
    """Every shot as what it is, at the reel's rate or at twice that."""
    sources: list[int] = []
    plan: dict[int, Plan] = {}
    double = wants_double and all(shot.kind != "film" for shot in shots)
    for shot in shots:
        film = dict(_film_frames(shot)) if shot.kind == "film" else {}
        last: Plan | None = None
        for number in shot.frames:
            for which in range(2 if double else 1):
                how: Plan | None = Field(number, which == 1, top_first) if shot.kind == "interlaced" else None
                if shot.kind == "film":
                    how = film[number] if number in film else _next_film(film, number) or last
                    last = how or Woven(number, number)
                if how is not None:
                    plan[len(sources)] = how
                sources.append(number)
    made = np.zeros(len(sources), np.bool_)
    made[list(plan)] = True
    rate = reel.format.rate * (2 if double else 1)
    counts = {kind: sum(shot.kind == kind for shot in shots) for kind in ("progressive", "interlaced", "film")}
    words = ", ".join(f"{count} {kind}" for kind, count in counts.items() if count)
    order = "top" if top_first else "bottom"
    notes = [f"Fields, shot by shot: {words}; {order} field first."]
    if wants_double and not double:
        notes.append("At the same rate: with film in the reel there is no double one.")
    return Timing(Timeline(len(reel), rate, np.array(sources, np.int64), made), dict(plan), tuple(notes), "progressive")


def _next_film(film: dict[int, Plan | None], number: int) -> Plan | None:
    """How the film frame after a mixed one is woven: it is shown twice."""
    return film.get(number + 1)
