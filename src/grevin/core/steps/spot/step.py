"""Standing spots: dust on the sensor or the lens, which lies on the same place all through a shot.

Draw a region round each spot and set it to "only inside"; what comes and goes, such as a flare, gets a region that
holds on its frames alone, with key frames where it wanders. What the spot takes of the light is learned from the whole
shot, and divided out: what lies under it stays, on every frame, in whatever light. Where nothing is left, the place is
filled softly from its surroundings. A circle in which no spot is found stays bit for bit, and the card says so.
Where nothing is circled yet the step looks for marks that stand while the picture moves on, and says how many; nothing
is mended before it is circled.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.measure.standing import standing_marks
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.charting import LEFT_ALONE
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.spot.passing import Passing, Track, packed, passing_of, placed, tracks_of, unpacked
from grevin.core.steps.spot.pictures import Pictures
from grevin.core.steps.spot.settings import SpotSettings
from grevin.core.steps.spot.shadow import AGREE, LEAST_DEPTH, TOLD, Shadow, shadows_of, stretched

MOST_SPOTS = 24  # of a shot
MOST_SHARE = 0.15  # of the picture, that a circle may take
NOTHING_LEFT = 0.2  # of the light: below it a place is filled
SURELY_DEPTH = 0.04  # of the light: a shadow so deep that is not told is worth a sentence of its own
FADES_PX = 2.0  # over which a fill fades into its surroundings


class SpotStep:
    """See the module."""

    id: ClassVar[str] = "spot"
    label: ClassVar[str] = "Standing spot"
    fault: ClassVar[str] = "A spot on the same place all through the shot, such as dust on the sensor"
    version: ClassVar[int] = 6
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "surface"
    learns_where: ClassVar[bool] = True
    settings_model: ClassVar[type[Settings]] = SpotSettings

    def reach(self, settings: SpotSettings) -> int:
        """The shot is learned; a frame itself needs no other."""
        return 0

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found marks that stand, a circle round each."""
        if "spot" not in facts.found:
            return None
        circles = tuple(
            {"use": "only", "shape": "ellipse", "x": x, "y": y, "width": width, "height": height}
            for x, y, width, height in facts.areas["spot"][:MOST_SPOTS]
        )
        return Suggestion(self.id, _standing_words(len(circles)), regions=circles)

    def learn(self, shot: Shotwise, settings: SpotSettings, progress: Progress) -> Arrays:
        """The shadows in the circles of a shot."""
        frames = shot.frames
        filled = np.array(settings.way == "fill")
        standing, passing, too_large = _circles_of(shot)
        if not standing and not passing:
            marks = shot.kept("marks", lambda: _standing(shot, progress))
            return {**_packed([], too_large), **packed([]), **marks, "filled": filled}

        pictures = Pictures(shot)

        def learned() -> Arrays:
            marks = [passing_of(track, frames, pictures.rgb, pictures.flow, progress) for track in passing]
            shadows = shadows_of(standing, frames, pictures.rgb, pictures.flow, progress) if standing else []
            return {**_packed(shadows, too_large), **packed(marks)}

        return {**shot.kept("shadows", learned), "filled": filled}

    def find(self, window: Window, settings: SpotSettings) -> Evidence:
        """The spots that were found in the circles."""
        mask = np.zeros((window.format.height, window.format.width), np.bool_)
        blobs = []
        for shadow in _unpacked(window.study()):
            if shadow.there or settings.way == "fill":
                rows, columns = _part(shadow)
                mask[rows, columns] |= shadow.inside
                blobs.append(_blob(shadow))
        for mark in _passing_on(window, settings):
            shadow = _as_shadow(mark, window.number, mask.shape)
            if shadow.inside.any():
                mask[_part(shadow)] |= shadow.inside
                blobs.append(_blob(shadow))
        return Evidence(mask, blobs=tuple(blobs))

    def mend(self, window: Window, evidence: Evidence, settings: SpotSettings) -> Rgb:
        """The picture without the spots."""
        picture = window.rgb().copy()
        for shadow in _unpacked(window.study()):
            part = _part(shadow)
            if (shadow.there or settings.way == "fill") and (evidence.mask[part] & shadow.inside).any():
                picture[part] = mended(picture[part], shadow, settings)
        for mark in _passing_on(window, settings):
            shadow = _as_shadow(mark, window.number, evidence.mask.shape)
            part = _part(shadow)
            if mark.adds and settings.way != "fill":
                picture[part] -= shadow.light * np.float32(settings.strength)
            else:
                picture[part] = mended(picture[part], shadow, settings)
        return picture

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: SpotSettings) -> str:
        """How a spot is mended, in words."""
        x, y, width, height = area
        for shadow in _unpacked(window.study()):
            rows, columns = _part(shadow)
            if rows.start < y + height and y < rows.stop and columns.start < x + width and x < columns.stop:
                return "filled from around" if settings.way == "fill" else _words(shadow)
        for mark in _passing_on(window, settings):
            (left, top), (tall, wide) = mark.track.corners[window.number], mark.track.inside.shape
            if top < y + height and y < top + tall and left < x + width and x < left + wide:
                if settings.way == "fill":
                    return "filled from around"
                return f"{_passing_words(mark)}; {mark.strength[window.number]:.0%} of its strength here"
        return ""

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in the circles of a shot."""
        shadows, marks = _unpacked(study), unpacked(study)
        large = (f"A region of more than {MOST_SHARE:.0%} of the picture is no spot.",) if study["too_large"] else ()
        passing = tuple(
            f"On frames {mark.track.frames[0]} to {mark.track.frames[-1]}: {_passing_words(mark)}." for mark in marks
        )
        if not shadows and not marks:
            found = len(study.get("standing", ()))
            told = (f"{_standing_words(found)}.",) if found else ()
            how = "Circle them all at once, or draw" if found else "Draw"
            return (*large, *told, f"{how} a region round each spot and set it to “only inside”.", LEFT_ALONE)
        if study["filled"]:
            return (*large, f"{len(shadows) + len(marks)} places are filled from around them.")
        return (*large, *(f"At {_middle(shadow)}: {_words(shadow)}." for shadow in shadows), *passing)


def mended(part: Rgb, shadow: Shadow, settings: SpotSettings) -> Rgb:
    """A box round a spot without it."""
    light = shadow.light ** np.float32(settings.strength)
    left = light.mean(axis=2)
    divided = part / np.maximum(light, np.float32(1e-2))
    if settings.way == "divide":
        return np.asarray(divided, np.float32)
    nothing = shadow.inside & (left < NOTHING_LEFT) if settings.way == "by itself" else shadow.inside
    if not nothing.any():
        return np.asarray(divided, np.float32)
    filled = stretched(np.asarray(np.where(shadow.inside[..., None] & ~nothing[..., None], divided, part)), nothing)
    share = cv2.GaussianBlur(nothing.astype(np.float32), (0, 0), FADES_PX)[..., None]
    share = np.where(nothing[..., None], 1.0, np.clip(2 * share, 0, 1)) * shadow.inside[..., None]
    if settings.way == "fill":
        share = shadow.inside[..., None].astype(np.float32) * np.float32(min(1.0, settings.strength))
        divided = part
    return np.asarray(divided * (1 - share) + filled * share, np.float32)


def _circles_of(shot: Shotwise) -> tuple[list[Mask], list[Track], int]:
    """Circles that stand all through a shot, those that come, go or wander, and how many are too large."""
    shape = (1, 1)
    pieces: dict[int, list[tuple[int, int, Mask]]] = {}
    too_large = 0
    for number in shot.frames:
        where = shot.where(number)
        if where is None or not where.any():
            continue
        shape = where.shape
        pieces[number], large = _pieces(where)
        too_large = max(too_large, large)
    standing, passing = [], []
    for track in tracks_of(pieces)[:MOST_SPOTS]:
        if len(track.corners) == len(shot.frames) and len(set(track.corners.values())) == 1:
            rows, columns, own = placed(track.corners[shot.frames.start], track.inside.shape, shape)
            circle = np.zeros(shape, np.bool_)
            circle[rows, columns] = track.inside[own]
            standing.append(circle)
        else:
            passing.append(track)
    return standing, passing, too_large


def _standing(shot: Shotwise, progress: Progress) -> Arrays:
    """Boxes of marks that stand while the picture moves on, the surest first, and the frames of the shot."""
    fmt = shot.window(shot.frames.start).format
    found = standing_marks(shot.frames, (fmt.height, fmt.width), lambda n: shot.window(n).luma8(), progress)
    boxes = np.array([one.area for one in found[:MOST_SPOTS]], np.int64).reshape(-1, 4)
    return {"standing": boxes, "shot": np.array([shot.frames.start, shot.frames.stop])}


def _standing_words(count: int) -> str:
    marks = "1 mark stands" if count == 1 else f"{count} marks stand"
    return f"{marks} while the picture moves on"


def _pieces(where: Mask) -> tuple[list[tuple[int, int, Mask]], int]:
    """Every piece of where the step may act in its box, and how many are too large for a spot."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(where.astype(np.uint8))
    found = []
    for n in range(1, count):
        left, top, wide, tall, size = (int(value) for value in stats[n])
        if size <= MOST_SHARE * where.size:
            found.append((left, top, labels[top : top + tall, left : left + wide] == n))
    return found, count - 1 - len(found)


def _passing_on(window: Window, settings: SpotSettings) -> list[Passing]:
    """Marks that come and go which are there on a frame; where circles are filled, whatever was found in them."""
    here = [one for one in unpacked(window.study()) if window.number in one.track.corners]
    return [one for one in here if settings.way == "fill" or (one.there and one.strength[window.number] > 0)]


def _as_shadow(mark: Passing, number: int, shape: tuple[int, ...]) -> Shadow:
    """A mark as it lies on a frame; `light` is what it adds, where it adds."""
    rows, columns, own = placed(mark.track.corners[number], mark.track.inside.shape, shape)
    there = mark.shape[own] * np.float32(mark.strength[number])
    light = there if mark.adds else np.exp(there)
    strongest = float(np.abs(there).max()) if there.size else 0.0
    return Shadow(columns.start, rows.start, light, mark.track.inside[own], mark.told, strongest, AGREE, there=True)


def _passing_words(mark: Passing) -> str:
    if mark.told < TOLD:
        return f"only {mark.told:.0%} of this circle can be told from other frames, it stays as it is"
    strongest = float(np.percentile(np.abs(mark.shape.mean(axis=2))[mark.track.inside], 90))
    if not mark.there:
        return "nothing that comes and goes in this circle, it stays as it is"
    if mark.adds:
        return f"a mark that adds up to {255 * strongest:.0f} levels"
    return f"a mark that changes the light by up to {abs(1 - np.exp(-strongest)):.0%}"


def _part(shadow: Shadow) -> tuple[slice, slice]:
    height, width = shadow.inside.shape
    return slice(shadow.y, shadow.y + height), slice(shadow.x, shadow.x + width)


def _blob(shadow: Shadow) -> Blob:
    rows, columns = np.flatnonzero(shadow.inside.any(axis=1)), np.flatnonzero(shadow.inside.any(axis=0))
    area = (
        shadow.x + int(columns[0]), shadow.y + int(rows[0]),
        int(columns[-1] - columns[0]) + 1, int(rows[-1] - rows[0]) + 1,
    )  # fmt: skip
    darker = float(np.log(np.clip(shadow.light[shadow.inside], 1e-3, None)).mean()) < 0
    return Blob(area, int(shadow.inside.sum()), (-1 if darker else 1) * 128 * shadow.depth, shadow.moved)


def _middle(shadow: Shadow) -> str:
    x, y, width, height = _blob(shadow).area
    return f"{x + width // 2}, {y + height // 2}"


def _words(shadow: Shadow) -> str:
    if shadow.moved < TOLD:
        why = f"the picture moves away from under {shadow.moved:.0%} of this circle only"
        return f"{why}: its shadow cannot be told, it stays as it is; “fill from around” fills it"
    if shadow.depth <= LEAST_DEPTH or shadow.agree < AGREE:
        return _nothing_words(shadow)
    return f"a spot that changes the light by {shadow.depth:.0%}"


def _nothing_words(shadow: Shadow) -> str:
    if shadow.depth > SURELY_DEPTH:
        return (
            "the first and the second half of the shot tell different shadows, so none stands here that can be told; "
            "it stays as it is; “fill from around” fills it"
        )
    return f"no spot in this circle ({shadow.depth:.1%} of the light), it stays as it is"


def _packed(shadows: list[Shadow], too_large: int) -> Arrays:
    """As arrays that are kept: a row a spot, and the boxes one after the other."""
    rows = np.array([[one.x, one.y, *one.inside.shape, one.moved, one.depth, one.agree, one.there] for one in shadows])
    return {
        "spots": rows.reshape(-1, 8).astype(np.float64), "too_large": np.array(too_large),
        "light": np.concatenate([one.light.reshape(-1, 3) for one in shadows] or [np.zeros((0, 3), np.float32)]),
        "inside": np.concatenate([one.inside.ravel() for one in shadows] or [np.zeros(0, np.bool_)]),
    }  # fmt: skip


def _unpacked(study: Arrays) -> list[Shadow]:
    found, begin = [], 0
    for x, y, height, width, moved, depth, agree, there in study["spots"]:
        shape = int(height), int(width)
        end = begin + shape[0] * shape[1]
        light, inside = study["light"][begin:end].reshape(*shape, 3), study["inside"][begin:end].reshape(shape)
        found.append(Shadow(int(x), int(y), light, inside, float(moved), float(depth), float(agree), bool(there)))
        begin = end
    return found
