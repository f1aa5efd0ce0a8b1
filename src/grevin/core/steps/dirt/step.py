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

from dataclasses import dataclass, field, replace
from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.one_light import ALIKE, Lighting, lighting_along
from grevin.core.motion.flow import Flow, Luma8, MotionQuality, Places, moved_places, outside, places_of, sample_at
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.geometry import Area
from grevin.core.picture.masks import grow
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.dirt.filling import RING_PX, Source, fill_blobs, fill_shares
from grevin.core.steps.dirt.finding import drawn_evidence, find_at, find_blobs, find_roughly
from grevin.core.steps.dirt.flying import (
    BACK_FROM,
    BACK_TO,
    Table,
    coming_back,
    elsewhere,
    flying,
    restless,
    table_of,
)
from grevin.core.steps.dirt.judge import worth_looking
from grevin.core.steps.dirt.median import fill_by_median, find_by_median
from grevin.core.steps.dirt.neighbour import Neighbour
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.suspects import Suspects, find_suspects
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings

DIRT_A_FRAME = 0.7  # specks: clean open clips count up to .6 false ones a frame (tried by hand)
FAST_PX = 25.0  # motion from which more caution is due: the judge's precision falls there (docs/steps/dirt.md)
FAST_CAUTION = 0.05  # false specks a clean frame; half of the usual
FEW_SPECKS = 20  # on a picture of whatever size
AREA_OF_SD = 720 * 576  # the area that numbers of specks are given for
LEAST_SHARE = 0.005  # of a fill that is worth a word
SIGHT_BYTES = 12  # held a pixel by all that is known of a frame's suspects


class DirtStep:
    """Finds and fills dirt."""

    id: ClassVar[str] = "dirt"
    label: ClassVar[str] = "Dirt"
    fault: ClassVar[str] = "Dust, dirt and hairs that sit on one frame"
    version: ClassVar[int] = 12
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "surface"
    works_on_fields: ClassVar[bool] = True  # the two fields of a frame are two moments
    settings_model: ClassVar[type[Settings]] = DirtSettings

    def reach(self, settings: DirtSettings) -> int:
        """Four frames: so far it is asked whether a thing comes back.

        At the ends of a shot both neighbours lie on one side, and they were cleaned in the same way.
        """
        return 0 if settings.way == "median" else 4

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where there are more specks than clean material shows."""
        count = facts.mean("dirt_count")
        if not count >= DIRT_A_FRAME:  # neither too few nor unknown
            return None
        most, area, fast = facts.most("dirt_count"), facts.mean("dirt_area"), facts.middle("motion_p95")
        words = f"{count:.1f} specks a frame, at most {most:.0f}; {area:.2f} % of it"
        if fast > FAST_PX:
            words += f"; caution, as things move {fast:.0f} px a frame"
            return Suggestion(self.id, words, {"caution": FAST_CAUTION})
        return Suggestion(self.id, words)

    def find(self, window: Window, settings: DirtSettings) -> Evidence:
        """Specks of the middle frame; nothing where two neighbours of the same shot are not to be had."""
        if settings.way == "median":
            return find_by_median(window.luma8(), settings)
        sight, shape = second_sight(window, settings), window.luma8().shape
        if sight is None:
            return Evidence.nothing(shape)
        found, specks = find_blobs(sight.suspects, sight.flying, settings)
        return Evidence.nothing(shape, doubt) if (doubt := too_much(found, specks, settings)) else found

    def mend(self, window: Window, evidence: Evidence, settings: DirtSettings) -> Rgb:
        """The picture with the specks filled from the frames around, or from their own surroundings."""
        picture = window.rgb().copy()
        if settings.way == "median":
            fill_by_median(picture, evidence.mask, settings.median_px)
            return picture
        sight = second_sight(window, settings)
        if sight is not None:
            fill_blobs(picture, evidence.mask, sources_of(window, evidence.mask, sight, settings.motion))
        return picture

    def find_at(self, window: Window, area: Area, settings: DirtSettings) -> Evidence:
        """What a person points at, whether the judge takes it for dirt or not."""
        sight = second_sight(window, settings) if settings.way != "median" else None
        if sight is None:
            return drawn_evidence(window.luma8(), area, settings)
        return find_at(sight.suspects, area, settings)

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: DirtSettings) -> str:
        """Which frames fill a piece of the evidence, and how much of it is each one's."""
        sight = second_sight(window, settings)
        if settings.way == "median":
            return "filled from the median of its surroundings"
        if sight is None:
            return ""
        sources = sources_of(window, evidence.mask, sight, settings.motion)
        told = zip(sources, fill_shares(window.rgb(), evidence.mask, sources, area), strict=True)
        parts = (f"{window.number + s.offset} ({share:.0%})" for s, share in told if share >= LEAST_SHARE)
        return "filled from frame " + ", ".join(parts)


def too_much(found: Evidence, specks: int, settings: DirtSettings) -> str:
    """Why so much is not dirt, "" where it may be; `specks` counts what flies too."""
    share = 100.0 * sum(blob.pixels for blob in found.blobs) / found.mask.size  # without the edges grown round them
    if share > settings.most_pct:
        return f"{share:.0f} % of the picture looks like dirt: it may be a flash or a bad frame and is left alone."
    if specks > max(FEW_SPECKS, settings.most_specks * found.mask.size / AREA_OF_SD):
        return f"{specks} specks on one frame: it may be rain, snow or glitter and is left alone."
    return ""


@dataclass(frozen=True, eq=False)
class FirstPass:
    """A frame as first cleaned, for looking at its neighbours with.

    Attributes:
        mask: (H, W) bool, its dirt as first found.
        filled: (H, W) uint8 luma without it.
        neighbours: its neighbours as they are, moved onto it; nothing where two are not to be had.
        table: its suspects, for seeing which of them fly.
    """

    mask: Mask
    filled: Luma8
    neighbours: tuple[Neighbour, ...] = ()
    table: Table = field(default_factory=lambda: np.zeros((0, 4)))

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
        flying: (N,) bool, which suspects move along a line.
    """

    suspects: Suspects
    offsets: tuple[int, int]
    dirty: tuple[Mask, Mask]
    flying: Mask


def first_sight(window: Window, settings: DirtSettings) -> Suspects | None:
    """All that may be dirt on the middle frame, against neighbours as they are; None where two are not to be had."""
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None

    def make() -> Suspects:
        here = window.luma8()
        one, other = (Neighbour.along(here, window.luma8(o), window.motion(o, settings.motion)) for o in offsets)
        return replace(find_suspects(here, (one, other), settings), both_sides=offsets == (-1, 1))

    if settings.motion == "fine":
        return make()  # looked at once, by the first pass
    return window.keep(f"dirt sight {_sight_name(settings)}", make, lambda made: SIGHT_BYTES * made.here.nbytes)


def first_pass(window: Window, motion: MotionQuality) -> FirstPass:
    """The middle frame as first cleaned, made once.

    By the default settings, whatever the person's are: it is only looked at, and a changed setting finds it ready.
    """
    settings = DirtSettings(motion=motion)

    def make() -> FirstPass:
        here, seen = window.luma8(), first_sight(window, settings)
        mask = np.zeros(here.shape, np.bool_) if seen is None else find_roughly(seen, settings)
        if seen is None:
            return FirstPass(mask, here)
        filled, (first, second) = here.copy(), seen.neighbours
        filled[mask] = cv2.addWeighted(first.luma, 0.5, second.luma, 0.5, 0)[mask]
        return FirstPass(mask, filled, seen.neighbours, table_of(seen.features))

    return window.keep(f"dirt first {DirtStep.version} {motion}", make, lambda made: made.nbytes)


def cleaned_neighbours(
    window: Window, offsets: tuple[int, int], motion: MotionQuality
) -> tuple[tuple[Neighbour, Neighbour], FirstPasses]:  # fmt: skip
    """Both neighbours without their dirt, moved onto the middle frame, and their first passes; made once."""

    def make() -> tuple[tuple[Neighbour, Neighbour], FirstPasses]:
        # the farthest ahead first: threads on frames side by side then work on different ones instead of waiting
        passes = {offset: first_pass(window.at(offset), motion) for offset in sorted((0, *offsets), reverse=True)}
        own, first, second = (passes[offset] for offset in (0, *offsets))
        one, other = (
            neighbour.cleaned(passed.filled, own.mask, passed.mask)
            for neighbour, passed in zip(own.neighbours, (first, second), strict=True)
        )
        first_moved = _completed(window, one, other, offsets[1], motion)
        return (first_moved, _completed(window, other, one, offsets[0], motion)), (first, second)

    return window.keep(f"dirt cleaned {DirtStep.version} {motion}", make, lambda made: 22 * made[0][0].luma.nbytes)


def _completed(
    window: Window, neighbour: Neighbour, other: Neighbour, beside: int, motion: MotionQuality
) -> Neighbour:  # fmt: skip
    """A neighbour with what leads off its picture taken from beyond the other one, which lies at `beside`."""
    beyond = 2 * beside
    if not neighbour.off.any() or abs(beside) > 1 or not window.has(beyond):
        return neighbour
    there = lit_luma(window, beyond, (neighbour, other))
    return neighbour.completed(other, window.at(beside).motion(beside, motion), there)


def sources_of(window: Window, mask: Mask, sight: SecondSight, motion: MotionQuality) -> list[Source]:
    """Both neighbours, and the frames beyond them where a neighbour is dirty or does not show the place."""
    places = places_of(mask)
    sources, wanting = [], False
    for offset, neighbour, dirty in zip(sight.offsets, sight.suspects.neighbours, sight.dirty, strict=True):
        flow = neighbour.straight_under(mask)
        source = Source(offset, window.rgb(offset), flow, dirty, _light_of(window, offset, flow, sight))
        sources.append(source)
        across, down = moved_places(source.flow, places)
        off = outside(across, down, dirty.shape)
        wanting |= bool(np.any(off | (sample_at(dirty.view(np.uint8), across, down) > 0)))
    if wanting and sight.offsets == (-1, 1) and motion == "fine":
        around = places_of(grow(mask, RING_PX))
        near = [(source, 2 * o) for source, o in zip(sources, sight.offsets, strict=True) if window.has(2 * o)]
        sources += [_beyond(window, source, offset, around, sight) for source, offset in near]
    return sources


def _light_of(window: Window, offset: int, flow: Flow | None, sight: SecondSight) -> Lighting:
    """R'G'B' of a frame against the middle one; no other where both frames beside are in its light."""
    if _in_one_light(sight.suspects.neighbours):
        return ALIKE
    here, there = (np.asarray(cv2.convertScaleAbs(window.rgb(o), alpha=255.0), np.uint8) for o in (0, offset))
    return lighting_along(here, there, flow)


def _in_one_light(neighbours: tuple[Neighbour, Neighbour]) -> bool:
    return not any(neighbour.light.differs for neighbour in neighbours)


def lit_luma(window: Window, offset: int, neighbours: tuple[Neighbour, Neighbour]) -> Luma8:
    """(H, W) uint8 luma of a frame in the light of the middle one; as it is where both frames beside are in that.

    Frames that far away are compared in place: most of a picture has the light of what lies near.
    """
    there = window.luma8(offset)
    if _in_one_light(neighbours):
        return there
    return lighting_along(window.luma8()[..., None], there[..., None], None).on(there[..., None])[..., 0]


def _beyond(window: Window, near: Source, offset: int, places: Places, sight: SecondSight) -> Source:
    """The frame beyond a neighbour, along both motions at the places asked for."""
    flow, onward = near.flow.copy(), window.at(offset // 2).motion(offset // 2)
    flow[places] += sample_at(onward, *moved_places(near.flow, places))
    dirty, light = first_pass(window.at(offset), "fine").mask, _light_of(window, offset, None, sight)
    return Source(offset, window.rgb(offset), flow, dirty, light)


def second_sight(window: Window, settings: DirtSettings) -> SecondSight | None:
    """The middle frame against its cleaned neighbours, made once; None where two are not to be had."""
    offsets = neighbour_offsets(window)
    if offsets is None:
        return None

    def make() -> SecondSight:
        if settings.motion == "quick":
            return _quick_sight(window, settings, offsets)
        neighbours, (first, second) = cleaned_neighbours(window, offsets, settings.motion)
        seen = replace(find_suspects(window.luma8(), neighbours, settings), both_sides=offsets == (-1, 1))
        return _sight(window, seen, offsets, (first, second))

    name = f"dirt second {_sight_name(settings)}"
    return window.keep(name, make, lambda made: SIGHT_BYTES * made.suspects.here.nbytes)


def _quick_sight(window: Window, settings: DirtSettings, offsets: tuple[int, int]) -> SecondSight:
    """The first sight for the second: the neighbours as they are, with what was roughly found on them."""
    seen = first_sight(window, settings)
    assert seen is not None
    first, second = (first_pass(window.at(offset), settings.motion) for offset in offsets)
    return _sight(window, seen, offsets, (first, second))


def _sight(window: Window, seen: Suspects, offsets: tuple[int, int], passes: FirstPasses) -> SecondSight:
    first, second = passes
    moving, ways = flying(seen.features, first.table, second.table, seen.both_sides), _ways(seen, offsets)
    moving |= restless(seen.features, tuple(zip(offsets, (first.table, second.table), strict=True)), ways)
    far = (offset for offset in _within_shot(window) if abs(offset) >= BACK_FROM)
    others = [(offset, lit_luma(window, offset, seen.neighbours)) for offset in far]
    worth = worth_looking(seen.features) & ~moving
    moving |= coming_back(seen.blobs, seen.features.contrast, worth, seen.here, others, ways)
    sides = zip(seen.neighbours, offsets, strict=True)
    one, other = (neighbour.lit(window.luma8(offset)) for neighbour, offset in sides)
    moved = seen.neighbours[0].luma, seen.neighbours[1].luma
    moving |= elsewhere(seen.blobs, seen.features, worth & ~moving, seen.here, (one, other), moved, offsets)
    return SecondSight(seen, offsets, (first.mask, second.mask), moving)


def _within_shot(window: Window) -> list[int]:
    """Offsets of the frames around that belong to the same shot, none beyond the first that does not."""
    found = []
    for side in (-1, 1):
        for away in range(1, BACK_TO + 1):
            if not window.has(side * away):
                break
            found.append(side * away)
    return found


def _ways(seen: Suspects, offsets: tuple[int, int]) -> npt.NDArray[np.float64]:
    """(N, 2) px a frame (right, down), how the picture at each suspect moves."""
    neighbour, place = seen.neighbours[1], seen.blobs.place
    return np.stack([seen.blobs.mean(neighbour.flow[..., axis][place]) for axis in (0, 1)], axis=1) / offsets[1]


def _sight_name(settings: DirtSettings) -> str:
    """Name of what depends on these settings, but not on those by which it is judged later."""
    judged_later = {"caution", "most_pct", "most_specks", "smallest_px", "largest_px", "motion_limit_px", "grow_px"}
    judged_later |= {"way", "median_px", "median_levels"}
    return f"{DirtStep.version} {settings.model_dump_json(exclude=judged_later)}"


def neighbour_offsets(window: Window) -> tuple[int, int] | None:
    """The frames to compare with: one each side, or two of one side at the ends of a shot; None if there are none."""
    for pair in ((-1, 1), (1, 2), (-1, -2)):
        if window.has(pair[0]) and window.has(pair[1]):
            return pair
    return None
