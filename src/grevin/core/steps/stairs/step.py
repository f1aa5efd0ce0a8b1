"""Smooths stair-steps: lines that were doubled, pictures that were enlarged by the nearest sample, jagged diagonals.

Repeated lines and columns are found for each shot, whatever their number, under noise and codecs; where only moving
parts had one field doubled, they are found on each frame. They are made anew from the samples that there are, and the
diagonals there are smoothed along themselves. Where nothing repeats a frame comes out bit for bit: a sharp diagonal is
no stair, and no measure tells whether one that is jagged was meant to be. Those can be smoothed on a person's word.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from grevin.core.measure.repeated_lines import (
    Repeats,
    in_blocks,
    moves_here,
    repeats_here,
    repeats_of,
    samples_at,
    slopes,
)
from grevin.core.measure.sampling import spread_over
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import BT709_LUMA, Mask
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.stairs.diagonals import Edges, Weight, edges_of, faded, smoothed
from grevin.core.steps.stairs.lines import between, doubled_lines, made_anew
from grevin.core.steps.stairs.settings import StairsSettings

LOOKED_AT = 16  # frames of a shot: what enlarged it did so evenly
LEVELS = 255.0
MANY_PASSES = 8  # common practice: beyond it the picture is visibly blurred
AT_LEAST = 0.05  # of the weight of a diagonal that is evidence
BESIDE_PX = 5  # by which evidence of repeats is grown, so that the edges in it are smoothed whole


class StairsStep:
    """See the module."""

    id: ClassVar[str] = "stairs"
    label: ClassVar[str] = "Stair-step smoothing"
    fault: ClassVar[str] = "Diagonals are jagged, or lines repeat their neighbours"
    version: ClassVar[int] = 5
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "frame"
    settings_model: ClassVar[type[Settings]] = StairsSettings
    works_on_fields: ClassVar[bool] = True
    learns_from: ClassVar[LearnsFrom] = "one field"

    def reach(self, settings: StairsSettings) -> int:
        """The frames beside it say where the picture moves."""
        return 1

    def learn(self, shot: Shotwise, settings: StairsSettings, progress: Progress) -> Arrays:
        """The repeats of a shot, down and across."""
        found = shot.kept("repeated lines", lambda: _measured(shot, progress))
        return {**found, "fields": np.array(shot.of_fields)}

    def find(self, window: Window, settings: StairsSettings) -> Evidence:
        """Lines that are made anew, and the diagonals that are smoothed."""
        luma = window.luma8()
        lines = self._lines(window, settings)
        weight = np.maximum(lines.astype(np.float32), self._edges(window, settings, lines).weight)
        mask = weight > AT_LEAST
        if not mask.any():
            return Evidence.nothing(luma.shape)
        return Evidence(mask, None, _blobs(mask), words=_words(window.study(), lines, settings))

    def mend(self, window: Window, evidence: Evidence, settings: StairsSettings) -> Rgb:
        """The picture with its lines made anew and its diagonals smoothed."""
        lines = self._lines(window, settings)
        edges = self._edges(window, settings, lines)
        return smoothed(self._remade(window, settings), edges, settings.passes)

    def explain(self, window: Window, evidence: Evidence, area: tuple[int, int, int, int],
                settings: StairsSettings) -> str:  # fmt: skip
        """What is done about a piece of the evidence, and what it costs in sharpness."""
        x, y, width, height = area
        part = slice(y, y + height), slice(x, x + width)
        before = self._remade(window, settings)[part] @ BT709_LUMA
        after = self.mend(window, evidence, settings)[part] @ BT709_LUMA
        kept = _sharpness(after) / max(_sharpness(before), 1e-9)
        share = float(self._lines(window, settings)[part].mean())
        said = f"{100 * share:.0f} % of it lies on lines that are made anew"
        return f"{said}; smoothing keeps {100 * min(kept, 1.0):.0f} % of the sharpness"

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        down, across = _repeats_in(study)
        if not down and not across:
            return ("No line or column repeats its neighbour all over the picture.",)
        said = [
            f"{name} repeat: {one.period:.4g} for each sample{_how_well(one)}."
            for name, one in (("Lines", down), ("Columns", across)) if one
        ]  # fmt: skip
        if doubled_lines(down, across):
            said.append("The first line of each pair is kept: one field was doubled.")
        return tuple(said)

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found lines that repeat."""
        if "stairs" not in facts.found:
            return None
        lines, columns = facts.middle("sample_lines"), facts.middle("sample_columns")
        return Suggestion("stairs", f"{lines:.4g} lines and {columns:.4g} columns show one sample")

    def _lines(self, window: Window, settings: StairsSettings) -> Mask:
        """(H, W) bool pixels that are made anew."""
        shape = window.luma8().shape
        if settings.lines == "leave":
            return np.zeros(shape, np.bool_)
        down, across = _repeats_in(window.study())
        if doubled_lines(down, across):
            return _copies(down, shape)
        if down or across:
            return np.ones(shape, np.bool_)
        return np.logical_or(*_moving(window))

    def _remade(self, window: Window, settings: StairsSettings) -> Rgb:
        """The picture with its lines made anew, made once."""
        if settings.lines == "leave":
            return window.rgb()
        repeats = _repeats_in(window.study())
        return window.keep(f"lines made anew {self.version} {repeats}", lambda: _made(window), lambda made: made.nbytes)

    def _edges(self, window: Window, settings: StairsSettings, lines: Mask) -> Edges:
        """The diagonals that are smoothed, with the weight of each pixel."""
        everywhere = settings.diagonals == "all"
        if not settings.passes or not (everywhere or lines.any()):
            return Edges(np.zeros((*lines.shape, 2), np.float32), np.zeros(lines.shape, np.float32))
        repeats = _repeats_in(window.study()) if settings.lines == "found" else ()
        name = f"diagonals {self.version} {repeats} {settings.threshold} {settings.soft_px}"
        found = window.keep(
            name,
            lambda: _soft(
                edges_of(self._remade(window, settings) @ (BT709_LUMA * LEVELS), settings.threshold), settings
            ),
            lambda edges: edges.along.nbytes + edges.weight.nbytes,
        )
        return found if everywhere else Edges(found.along, found.weight * _grown(lines))


def _made(window: Window) -> Rgb:
    """The picture with its lines made anew."""
    picture = window.rgb()
    down, across = _repeats_in(window.study())
    if down or across:
        made = made_anew(picture, down, across)
        if doubled_lines(down, across):
            kept = ~_copies(down, (len(picture), 1))[:, 0]
            made[kept] = picture[kept]
        return made
    made = picture.copy()
    for parity, places in enumerate(_moving(window)):
        if places.any():
            lines = np.arange(parity, len(picture), 2)
            made[parity::2][places[parity::2]] = between(picture, lines)[places[parity::2]]
    return made


def _soft(edges: Edges, settings: StairsSettings) -> Edges:
    """Edges whose weight fades out beside them."""
    if settings.soft_px <= 0:
        return edges
    around = cv2.dilate(edges.weight, _round(settings)) * faded(edges.weight > AT_LEAST, settings.soft_px)
    weight = np.maximum(edges.weight, around)
    weight[weight < AT_LEAST] = 0.0
    return Edges(edges.along, np.asarray(weight, np.float32))


def _measured(shot: Shotwise, progress: Progress) -> Arrays:
    """(2, 3): period, phase and depth down and across."""
    frames = shot.frames
    chosen = spread_over(frames, LOOKED_AT)
    progress.begin(len(chosen), "Looking for lines that repeat")
    pairs = []
    for number in chosen:
        luma = shot.window(number).luma8()
        if min(luma.shape) > 3:
            pairs.append((slopes(luma), slopes(np.ascontiguousarray(luma.T))))
        progress.advance()
    if not pairs:
        return {"repeats": np.array([[0.0, 0.0, 1.0]] * 2)}
    found = [repeats_of(np.sum(axis, axis=0)) for axis in zip(*pairs, strict=True)]
    return {"repeats": np.array([[one.period, one.phase, one.depth] for one in found])}


def _repeats_in(study: Arrays) -> tuple[Repeats, Repeats]:
    down, across = (Repeats(*map(float, one)) for one in study["repeats"])
    return down, across


def _moving(window: Window) -> tuple[Mask, Mask]:
    """Places on even and odd lines that repeat the line above, on this frame alone: where it moves.

    None on the fields of interlaced material, of which nobody has doubled parts.
    """

    def look() -> tuple[Mask, Mask]:
        if bool(window.study()["fields"]):
            nothing = np.zeros(window.luma8().shape, np.bool_)
            return nothing, nothing
        even, odd = repeats_here(window.luma8())
        if even.any() or odd.any():
            moves = moves_here(window.luma8(), [window.luma8(offset) for offset in (-1, 1) if window.has(offset)])
            even, odd = even & moves, odd & moves
        if (even.any() or odd.any()) and in_blocks(window.luma8(), even | odd):
            return np.zeros_like(even), np.zeros_like(odd)
        return even, odd

    return window.keep("repeats that move", look, lambda pair: pair[0].nbytes + pair[1].nbytes)


def _copies(down: Repeats, shape: tuple[int, ...]) -> Mask:
    """Every line but the first of its sample."""
    samples = samples_at(down, shape[0])
    copies = np.diff(samples, prepend=samples[0] - 1) == 0
    return np.repeat(copies[:, None], shape[1], axis=1)


def _grown(lines: Mask) -> Weight:
    """0..1, where repeats lie: from lines to the places between them."""
    kernel = np.ones((BESIDE_PX, BESIDE_PX), np.uint8)
    return np.asarray(cv2.dilate(lines.astype(np.uint8), kernel), np.float32)


def _round(settings: StairsSettings) -> np.ndarray:
    side = 2 * round(settings.soft_px) + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))


def _blobs(mask: Mask) -> tuple[Blob, ...]:
    """One for all: what repeats does so over wide parts."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    x, y = int(columns[0]), int(rows[0])
    area = x, y, int(columns[-1]) - x + 1, int(rows[-1]) - y + 1
    return (Blob(area, int(mask.sum()), 0.0, 1.0),)


def _words(study: Arrays, lines: Mask, settings: StairsSettings) -> str:
    down, across = _repeats_in(study)
    said = []
    if lines.any() and (down or across):
        said.append("Lines that are made anew, and diagonals beside them.")
    elif lines.any():
        said.append(f"Every other line repeats on {100 * 2 * float(lines.mean()):.0f} % of the picture.")
    if settings.passes > MANY_PASSES and (lines.any() or settings.diagonals == "all"):
        said.append(f"{settings.passes} passes: beyond {MANY_PASSES} the picture is visibly blurred.")
    return " ".join(said)


def _how_well(one: Repeats) -> str:
    return "" if one.depth < 0.02 else f", not quite alike any more ({100 * one.depth:.0f} % of a step between them)"


def _sharpness(luma: Weight) -> float:
    """Energy of what is finer than about 2 pixels."""
    return float(np.mean(np.square(cv2.Laplacian(np.ascontiguousarray(luma, dtype=np.float32), cv2.CV_32F))))
