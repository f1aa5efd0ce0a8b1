"""Dropouts: streaks on a few lines of one field of a tape, gone on the next.

A pixel is suspect where it stands out both from the fields of the same parity before and after, along the motion, and
from the lines around it. Suspect pixels are joined along their lines to streaks, which are judged whole; what another
field shows too, at another place, is a thing that moves. Wrong colour at right brightness is looked for in the colour
alone, evened along the lines, and only the colour is mended there. A line that a deck showed once more in place of a
lost one is told by being the line above, noise and all, where hardly any other lines of the field are. A streak is
filled from the field before, the field after, or the lines above and below, whichever the good lines beside it tell to
be right, at their levels. The other field of the frame is never touched, nor looked at. Material without fields is
looked at frame by frame.

Not for scratches, which lie upright, nor for damage that stays for several fields.
"""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, cast

import cv2
import numpy as np

from grevin.core.motion.flow import positions, sample
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.dropout.elsewhere import seen_elsewhere
from grevin.core.steps.dropout.filling import Chosen, Source, fill, filled
from grevin.core.steps.dropout.judge import asked, shipped
from grevin.core.steps.dropout.repeated import repeated_of
from grevin.core.steps.dropout.settings import SOURCES, DropoutSettings, SourceName
from grevin.core.steps.dropout.spikes import Fields, Of, Spikes, bytes_of, colour_of, colours_of, light_of, spikes_of
from grevin.core.steps.dropout.streaks import FEWEST, Streak, streaks_of
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings

PAIRS = ((-1, 1), (1, 2), (-1, -2))  # of fields that one is compared with: at the ends of a shot two of one side
DROPOUTS_A_FRAME = 0.5  # clean open clips count .02 to .15 in the mean (docs/steps/dropout.md)
LIGHT = 2.0  # times the noise: more brightness than that does not stand out of a streak of colour in the mean
DOUBTFUL = 1.0  # of the score, from which the judge was nearly of the other opinion
LEAST_DRAWN_PX = 16  # width of a box that was drawn over lines
STREAKS_BYTES = 1 << 14  # of those of a field, about
LEAST_SHARE = 0.005  # of a fill that is worth a word
CHROMA_LINES, CHROMA_PX = 2, 2  # by which a place grows to whole blocks of chroma, at most


class DropoutStep:
    """Finds and conceals dropouts."""

    id: ClassVar[str] = "dropout"
    label: ClassVar[str] = "Dropout concealment"
    fault: ClassVar[str] = "White, black or coloured streaks on single lines of a tape"
    version: ClassVar[int] = 7
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "signal"
    works_on_fields: ClassVar[bool] = True  # a dropout lies on one field
    settings_model: ClassVar[type[Settings]] = DropoutSettings
    sources: ClassVar[dict[str, str]] = SOURCES

    def reach(self, settings: DropoutSettings) -> int:
        """Two frames of one side at the ends of a shot, and what those are compared with in turn."""
        return 3

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where there are more streaks than clean material shows."""
        count = facts.mean("dropout_count")
        if not count >= DROPOUTS_A_FRAME:  # neither too few nor unknown
            return None
        most = facts.most("dropout_count")
        return Suggestion(self.id, f"{count:.1f} streaks a frame on single fields, at most {most:.0f}")

    def find(self, window: Window, settings: DropoutSettings) -> Evidence:
        """Dropouts of a field; nothing where two others of the same shot are not to be had."""
        shape = window.luma8().shape
        spikes = _spikes(window)
        if spikes is None:
            return Evidence.nothing(shape)
        least, mask = asked(settings.caution), np.zeros(shape, np.bool_)
        found, passed = sorted_out(window, spikes, settings)
        for streak, _ in found:
            _lay(mask, streak, settings.grow_px)
        share = 100.0 * float(mask.mean())
        if share > settings.most_pct:
            return Evidence.nothing(
                shape, f"{share:.0f} % of a field look like dropouts: it may be a torn picture and is left alone."
            )
        return Evidence(mask, None, _blobs(mask, found, least), "", tuple(_blob([one], least) for one in passed))

    def mend(self, window: Window, evidence: Evidence, settings: DropoutSettings) -> Rgb:
        """The field with its dropouts filled."""
        picture = window.rgb().copy()
        chosen = _chosen(evidence, settings)
        sources = _sources(window) if chosen or settings.source != "lines" else []
        fill(picture, evidence.mask, sources, settings.source, _of_colour_alone(window, settings), chosen)
        return picture

    def find_at(self, window: Window, area: Area, settings: DropoutSettings) -> Evidence:
        """Streaks that a person points at, whatever the judge takes them for; else the lines that were drawn over."""
        x, y, width, height = area
        mask = np.zeros(window.luma8().shape, np.bool_)
        spikes, found = _spikes(window), []
        for streak, score in judged(window, spikes, settings) if spikes is not None else ():
            left, top, wide, tall = streak.area
            if left < x + width and x < left + wide and top < y + height and y < top + tall:
                _lay(mask, streak, settings.grow_px)
                found.append((streak, score))
        blobs = _blobs(mask, found, -np.inf)
        if not found and width >= LEAST_DRAWN_PX:  # a click points at something, a box says where
            mask[y : y + height, x : x + width] = True
            blobs = (Blob(area, width * height, 0.0, 1.0),)
        return Evidence(mask, blobs=blobs)

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: DropoutSettings) -> str:
        """From where a piece of the evidence is filled, and how far each source is likely to be off."""
        part = _slices(area)
        words = (blob.source for blob in evidence.blobs if blob.source in SOURCES and _meets(blob.area, area))
        name = cast("SourceName", next(words, settings.source))
        made = filled(window.rgb(), evidence.mask, part, _sources(window), name)
        told = sorted(made.shares.items(), key=lambda one: -one[1])
        from_ = ", ".join(f"{SOURCES[one]} ({share:.0%})" for one, share in told if share >= LEAST_SHARE)
        off = ", ".join(f"{SOURCES[one]} {levels:.1f}" for one, levels in made.off.items())
        return f"filled from {from_}; likely to be off, in levels: {off}"


Judged = list[tuple[Streak, float]]


def taken(window: Fields, offsets: tuple[int, int], settings: DropoutSettings) -> Judged:
    """The dropouts of a field that lies beside two others, with their scores."""
    return sorted_out(window, spikes_of(window, offsets), settings)[0]


def sorted_out(window: Fields, spikes: Spikes, settings: DropoutSettings) -> tuple[Judged, Judged]:
    """Streaks that are taken, and those that nearly were; made once."""

    def make() -> tuple[Judged, Judged]:
        least = asked(settings.caution)
        others = tuple(bytes_of(window.at(offset)) for offset in spikes.offsets)
        found: Judged = []
        passed: Judged = []
        for sight in sights(window, spikes, settings):
            around = others if sight.of == "picture" else tuple(map(colour_of, others))
            for streak, score in _judged(window, sight, settings):
                if score >= least and not seen_elsewhere(streak, sight.here, around):
                    found.append((streak, score))
                elif score >= least - DOUBTFUL:
                    passed.append((streak, score))
        if settings.polarity == "both":
            repeated = _repeated(window, spikes, settings)
            found += [(streak, score) for streak, score in repeated if score >= least]
            passed += [(streak, score) for streak, score in repeated if least > score >= least - DOUBTFUL]
        return _once(found, window.luma8().shape), passed

    name = f"dropout sorted {settings.caution} {_name(spikes, settings)}"
    return window.keep(name, make, lambda _: STREAKS_BYTES)


def _of_colour_alone(window: Window, settings: DropoutSettings) -> Mask:
    """(H, W) bool, where only the colour of a field is wrong: its brightness does not stand out."""
    shape, spikes = window.luma8().shape, _spikes(window)
    if spikes is None:
        return np.zeros(shape, np.bool_)
    found = sorted_out(window, spikes, settings)[0]
    alone = [
        one for one in found if one[0].of == "colour" and light_of(spikes, _slices(one[0].area)) < LIGHT * spikes.noise
    ]
    mask = _laid(alone, "colour", shape)
    for streak, _ in alone:  # as far as it is mended
        _lay(mask, streak, settings.grow_px)
    return mask & ~_laid(found, "picture", shape)


def _once(found: Judged, shape: tuple[int, ...]) -> Judged:
    """Streaks of colour without what belongs to one of the picture: its lines are mended, colour and all."""
    known, once = _laid(found, "picture", shape), []
    for streak, score in found:
        if streak.of == "colour":
            rest = streak.mask & ~known[_slices(streak.area)].any(axis=0)
            if rest.sum() < FEWEST:
                continue
            once.append((replace(streak, mask=rest), score))
        else:
            once.append((streak, score))
    return once


def _laid(found: Judged, of: Of, shape: tuple[int, ...]) -> Mask:
    """(H, W) bool, where streaks are that were seen in something."""
    mask = np.zeros(shape, np.bool_)
    for streak, _ in found:
        if streak.of == of:
            mask[_slices(streak.area)] |= streak.mask
    return mask


def _slices(area: Area) -> tuple[slice, slice]:
    x, y, width, height = area
    return slice(y, y + height), slice(x, x + width)


def _repeated(window: Fields, spikes: Spikes, settings: DropoutSettings) -> Judged:
    """Lines of a field that are shown once more, with their scores."""

    def make() -> Judged:
        others = tuple(bytes_of(window.at(offset)) for offset in spikes.offsets)
        theirs = tuple(window.luma8(offset) for offset in spikes.offsets)
        return repeated_of(window.luma8(), spikes, others, theirs, settings)

    return window.keep(f"dropout repeated {_name(spikes, settings)}", make, lambda _: STREAKS_BYTES)


def sights(window: Fields, spikes: Spikes, settings: DropoutSettings) -> tuple[Spikes, ...]:
    """What streaks are looked for in: the picture, and its colour alone, which is neither brighter nor darker."""
    if settings.polarity != "both":
        return (spikes,)
    name = f"dropout colours {DropoutStep.version} {spikes.offsets}"
    return spikes, window.keep(name, lambda: colours_of(spikes), lambda made: made.nbytes)


def judged(window: Fields, spikes: Spikes, settings: DropoutSettings) -> Judged:
    """The streaks of a field with their scores, whatever they were seen in."""
    return [one for sight in sights(window, spikes, settings) for one in _judged(window, sight, settings)]


def _judged(window: Fields, spikes: Spikes, settings: DropoutSettings) -> Judged:
    """Those that are seen in one of them; made once."""

    def make() -> Judged:
        streaks = streaks_of(spikes, settings)
        if not streaks:
            return []
        scores = shipped(spikes.of).scores(np.stack([streak.features for streak in streaks]))
        return list(zip(streaks, (float(score) for score in scores), strict=True))

    return window.keep(f"dropout judged {spikes.of} {_name(spikes, settings)}", make, lambda _: STREAKS_BYTES)


def _name(spikes: Spikes, settings: DropoutSettings) -> str:
    """What streaks and their scores depend on, besides the pictures."""
    how = settings.model_dump_json(include={"polarity", "shortest_px", "most_lines"})
    return f"{DropoutStep.version} {spikes.offsets} {how}"


def _blobs(mask: Mask, streaks: list[tuple[Streak, float]], least: float) -> tuple[Blob, ...]:
    """A blob for each connected piece of a mask: pieces of one dropout are one."""
    _, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=8)
    groups: dict[int, list[tuple[Streak, float]]] = {}
    for streak, score in streaks:
        x, y, _, height = streak.area
        label = int(labels[y : y + height, x : x + streak.mask.shape[1]][streak.mask][0])
        groups.setdefault(label, []).append((streak, score))
    return tuple(_blob(group, least) for group in groups.values())


def _blob(group: list[tuple[Streak, float]], least: float) -> Blob:
    left, top = (min(streak.area[axis] for streak, _ in group) for axis in (0, 1))
    right, low = (max(streak.area[axis] + streak.area[axis + 2] for streak, _ in group) for axis in (0, 1))
    pixels = [int(streak.mask.sum()) for streak, _ in group]
    levels = sum(streak.levels * count for (streak, _), count in zip(group, pixels, strict=True)) / sum(pixels)
    score = max(score for _, score in group)
    sure = float(1.0 / (1.0 + np.exp(-score)))
    return Blob((left, top, right - left, low - top), sum(pixels), levels, sure, abs(score - least) < DOUBTFUL)


def _lay(mask: Mask, streak: Streak, grow_px: int) -> None:
    """Put a streak into a mask, its lines a little longer."""
    x, y, _, height = streak.area
    for line in range(height):
        own = np.flatnonzero(streak.mask[line])
        if len(own):
            mask[y + line, max(0, x + own[0] - grow_px) : x + own[-1] + 1 + grow_px] = True


def _spikes(window: Window) -> Spikes | None:
    """A field beside the two that are to be had; made once."""
    pair = next((one for one in PAIRS if window.has(one[0]) and window.has(one[1])), None)
    if pair is None:
        return None
    return window.keep(
        f"dropout spikes {DropoutStep.version}", lambda: spikes_of(window, pair), lambda made: made.nbytes
    )


def _rough(window: Window) -> Mask:
    """(H, W) bool, what may be damaged on a field, by the default settings: others are not filled from it."""

    def make() -> Mask:
        spikes = _spikes(window)
        mask = np.zeros(window.luma8().shape, np.bool_)
        usual = DropoutSettings()
        some = [] if spikes is None else [*judged(window, spikes, usual), *_repeated(window, spikes, usual)]
        for streak, score in some:
            if score >= asked(0.0):
                _lay(mask, streak, usual.grow_px)
        return mask

    return window.keep(f"dropout rough {DropoutStep.version}", make, lambda made: made.nbytes)


def _chosen(evidence: Evidence, settings: DropoutSettings) -> list[Chosen]:
    """Places for which a person chose a source, as far as they are mended."""
    found = []
    for blob in evidence.blobs:
        if blob.source not in SOURCES:
            continue
        own = evidence.mask.copy()
        for other in evidence.blobs:
            if other is not blob:
                own[_slices(other.area)] = False
        across = settings.grow_px + CHROMA_PX
        x, y = max(0, blob.area[0] - across), max(0, blob.area[1] - CHROMA_LINES)
        place = own[y : blob.area[1] + blob.area[3] + CHROMA_LINES, x : blob.area[0] + blob.area[2] + across]
        if not place.any():
            continue
        left, top, wide, high = cv2.boundingRect(place.astype(np.uint8))
        part = _slices((x + left, y + top, wide, high))  # no wider: lines fill from what lies just beside
        found.append(Chosen(part, own[part], cast("SourceName", blob.source)))
    return found


def _meets(one: Area, other: Area) -> bool:
    return (
        one[0] < other[0] + other[2] and other[0] < one[0] + one[2]
        and one[1] < other[1] + other[3] and other[1] < one[1] + one[3]
    )  # fmt: skip


def _sources(window: Window) -> list[Source]:
    """The fields around, moved onto the middle one."""
    spikes = _spikes(window)
    if spikes is None:
        return []
    found, everywhere = [], (slice(0, spikes.here.shape[0]), slice(0, spikes.here.shape[1]))
    for offset, flow, light in zip(spikes.offsets, spikes.flows, spikes.lights, strict=True):
        places = positions(flow)
        picture = np.asarray(sample(window.rgb(offset), *places), np.float32)
        picture = light.over(picture, everywhere, picture.shape[:2])
        dirty = sample(_rough(window.at(offset)).view(np.uint8), *places) > 0
        found.append(Source("before" if offset < 0 else "after", picture, dirty))
    return found
