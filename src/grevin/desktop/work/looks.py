"""What is looked at: pictures of one frame for the screen, made off the GUI thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.area import Box
from grevin.core.measure.colour_range import ColourRange, selected
from grevin.core.measure.repeats import CONTEXT, Change, Judgement, change_between, judge
from grevin.core.picture.display import (
    Channel,
    Screen,
    difference_screen,
    dimmed_outside,
    taken_away_screen,
    to_screen,
)
from grevin.core.picture.fields import field_of, parities_in_time
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.halving import halved
from grevin.core.picture.scaling import scaled, shows_all_of
from grevin.core.quality.harm import harm_of
from grevin.core.steps.charting import Chart
from grevin.core.steps.evidence import Evidence
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.families.shape import ShapeSource
from grevin.core.treatment.regions import STANDING, Region, Shift
from grevin.core.treatment.step_source import StepSource

Kept = Callable[[int], Frame | None]
Compare = Literal["one", "wipe", "side", "difference", "taken", "splice"]
COMPARE_LABELS: dict[Compare, str] = {
    "one": "one picture", "wipe": "wipe", "side": "side by side", "difference": "difference", "taken": "taken away",
    "splice": "seam view",
}  # fmt: skip
COMPUTED: set[Compare] = {"difference", "taken"}
Field = Literal["both", "earlier", "later"]
FIRST_GAIN = 8.0
SMALL_PART = 0.5  # of a picture: where more of it is seen, the whole is there nearly as soon


@dataclass(frozen=True)
class Ways:
    """How one looks, as far as it changes the pictures that have to be made.

    Attributes:
        channel: which channel is shown.
        compare: how source and view point are compared.
        gain: amplification of difference and taken-away view.
        colours: only these are shown in colour; None for all.
        field: whether one field of interlaced frames is shown alone, and which one in time.
        small: pictures of half the size will do, because they are shown no larger and are wanted fast.
    """

    channel: Channel = "colour"
    compare: Compare = "one"
    gain: float = FIRST_GAIN
    colours: ColourRange | None = None
    field: Field = "both"
    small: bool = False


ALL = Ways()


@dataclass(frozen=True, eq=False)
class ShotLook:
    """What is known of the shot of a frame.

    Attributes:
        frame: counted from the shot's first.
        first: number of that, before the step.
        found: what the step measured.
        left: what it measures in its own pictures; None where nobody asked for it.
        words: what it says of those.
        asks: whether that can be asked for.
    """

    frame: int
    first: int
    found: Chart | None
    left: Chart | None
    words: tuple[str, ...]
    asks: bool


@dataclass(frozen=True, eq=False)
class Look:
    """One frame ready for the screen.

    Attributes:
        number: frame of the reel.
        view_point: place on the treatment path of `after`.
        source, frame: the frames themselves, for reading values off them.
        before: (H, W, 4) uint8 screen picture of the source.
        after: the same at the view point (the same object where nothing was changed).
        computed: difference or taken-away view, None in the other ways of looking.
        evidence: of the step that was asked for, laid over `frame`; None where there is none.
        harm: share of what was taken away that follows the picture's detail; None where nothing was.
        time: what became of the frame in time, "" where nothing did.
        notes: what the time step that was asked for has to say of the frame and of the reel.
        output: number of the frame at the view point, None where no step changes time.
        geometry: where the pixels of `frame` lie in the reel's own picture; None where they are the same.
        regions: those of the step that was asked for that hold on the frame: place in its list, region, and how far it
            has gone with the picture.
        drawn: the same of what else was drawn for that step.
        seam: pictures of the good frames around, with their numbers at the view point, for the splice; else None.
        shot: what the step that was asked for measured of the frame's shot; None where it measures none.
        scaled: whether `source` was brought plainly to the size of `frame`, which shows all of it.
        draft: whether `frame` was made in a hurry, and is right only where it was seen.
    """

    number: int
    view_point: int
    source: Frame
    frame: Frame
    before: Screen
    after: Screen
    computed: Screen | None
    evidence: Evidence | None
    harm: float | None
    time: str = ""
    notes: tuple[str, ...] = ()
    output: int | None = None
    geometry: Geometry | None = None
    regions: tuple[tuple[int, Region, Shift], ...] = ()
    drawn: tuple[tuple[int, Region, Shift], ...] = ()
    seam: tuple[tuple[int, Screen], tuple[int, Screen]] | None = None
    shot: ShotLook | None = None
    scaled: bool = False
    draft: bool = False


def screen_of(chain: Chain, frame: Frame, key: str, ways: Ways = ALL) -> Screen:
    """Screen picture of a frame, kept in the chain's cache."""

    def make() -> Screen:
        picture = _looked_at(frame, ways)
        picture = halved(picture) if ways.small else picture
        screen = to_screen(picture, ways.channel)
        screen = screen if ways.colours is None else dimmed_outside(screen, selected(picture, ways.colours))
        return _on_frame(screen, frame, ways)

    how = f"{ways.channel}/{ways.small}/{ways.colours}/{ways.field}"
    return chain.cache.get(f"screen/{how}/{key}", make, lambda screen: screen.nbytes)


def _looked_at(frame: Frame, ways: Ways) -> Frame:
    """The frame, or the field of it that is looked at; what has no fields is looked at whole."""
    if ways.field == "both" or not frame.format.has_fields:
        return frame
    earlier, later = parities_in_time(frame.format)
    return field_of(frame, earlier if ways.field == "earlier" else later)


def _on_frame(screen: Screen, frame: Frame, ways: Ways) -> Screen:
    """The screen picture of a field at the frame's height, each of its lines twice; others as they are."""
    if ways.field == "both" or not frame.format.has_fields:
        return screen
    height = -(-frame.format.height // 2) if ways.small else frame.format.height
    return np.asarray(screen[np.minimum(np.arange(height) // 2, len(screen) - 1)])


def make_look(
    chain: Chain, number: int, view_point: int, evidence_of: int, ways: Ways, output: int | None = None,
    regions: tuple[Region, ...] = (), drawn: tuple[Region, ...] = (), kept: Kept | None = None, seen: Box | None = None,
) -> Look:  # fmt: skip
    """Make a look; dear parts come from the chain's cache.

    Args:
        chain: the reel under its treatment.
        number: frame of the reel.
        view_point: place whose picture is `after`.
        evidence_of: place whose evidence is wanted, 0 for none.
        ways: how one looks.
        output: frame at the view point; None for the one that shows the reel's frame.
        regions: those of the selected step.
        drawn: what else was drawn for it.
        kept: gives frames of the view point that are kept on disk, None for others.
        seen: a draft will do, in which this part is right, where the step gives drafts (`drafted`).
    """
    place = chain.view_points[view_point]
    wanted = output
    output = chain.output_of(view_point, number) if output is None else output
    key = place.key(output)
    if seen is not None and isinstance(place, ShapeSource):
        key, last = f"{key}/draft of {seen}", place.draft(output, seen)
    else:
        last = _made_or_kept(chain, view_point, output, kept)
    geometry = chain.geometry_at(view_point, output)
    source = _source_or_made(chain, view_point, number, last)
    first = source if source is last else _at_scale_of(chain, number, source, last, geometry)
    first_key = chain.source.key(number) if first is source else _scaled_key(chain, number, last)
    before = screen_of(chain, first, key if first is last else first_key, ways)
    after = before if last is first else screen_of(chain, last, key, ways)
    own = wanted if evidence_of == view_point else None
    evidence = chain.evidence_at(evidence_of, number, own) if evidence_of else None
    if evidence is not None and geometry is not None:
        evidence = evidence.on(geometry, (last.format.height, last.format.width))
    computed, harm = None, None
    if ways.compare in COMPUTED and replace(last.format, rate=first.format.rate) == first.format:
        make = difference_screen if ways.compare == "difference" else taken_away_screen
        key = f"screen/{ways.compare}/{ways.gain}/{ways.field}/{key}"

        def compute() -> Screen:
            return _on_frame(make(_looked_at(first, ways), _looked_at(last, ways), ways.gain), last, ways)

        computed = chain.cache.get(key, compute, lambda screen: screen.nbytes)
        harm = None if last is first else harm_of(first, last)
    moved = chain.changes_time(view_point)
    seam = _seam(chain, view_point, output, ways) if ways.compare == "splice" else None
    return Look(
        number, view_point, first, last, before, after, computed, evidence, harm,
        chain.time_words(view_point, number, output), notes_of(chain, evidence_of, number),
        output if moved else None, geometry, _shown_regions(chain, regions, number),
        _shown_regions(chain, drawn, number), seam,
        shot_of(chain, evidence_of, number), first is not source,
        seen is not None,
    )  # fmt: skip


def drafted(chain: Chain, view_point: int, number: int, output: int | None = None) -> PictureFormat | None:
    """The format of a picture of which a draft helps: its step gives one, and the picture is not at hand.

    Args:
        chain: the reel under its treatment.
        view_point: place on the path; nothing has to be studied first.
        number: frame of the reel.
        output: frame at the view point; None for the one that shows the reel's frame.
    """
    place = chain.view_points[view_point]
    if not (isinstance(place, ShapeSource) and place.drafts):
        return None
    key = place.key(chain.output_of(view_point, number) if output is None else output)
    return None if key in chain.results or key in chain.cache else place.format


def part_of(seen: Box, fmt: PictureFormat) -> Box | None:
    """What is seen of a picture, if it is so small a part that it is worth being made first."""
    return seen if seen.width * seen.height <= SMALL_PART * fmt.width * fmt.height else None


def _made_or_kept(chain: Chain, view_point: int, output: int, kept: Kept | None) -> Frame:
    """A frame of a view point: from memory, else from disk, else made."""
    place = chain.view_points[view_point]
    key = place.key(output)
    held = key in chain.results or key in chain.cache
    frame = kept(output) if kept is not None and not held else None
    return place.frame(output) if frame is None else frame


def _shown_regions(
    chain: Chain, regions: tuple[Region, ...], number: int
) -> tuple[tuple[int, Region, Shift], ...]:  # fmt: skip
    return tuple(
        (place, one, chain.follower.shift(one, number) if one.follow else STANDING)
        for place, one in enumerate(regions)
        if one.holds(number)
    )


def _seam(
    chain: Chain, view_point: int, output: int, ways: Ways
) -> tuple[tuple[int, Screen], tuple[int, Screen]]:  # fmt: skip
    """The good frames around one that was made."""

    def shown(number: int) -> tuple[int, Screen]:
        place = chain.view_points[view_point]
        return number, screen_of(chain, place.frame(number), place.key(number), ways)

    last, first = chain.seam_at(view_point, output)
    return shown(last), shown(first)


def _source_or_made(chain: Chain, view_point: int, number: int, made: Frame) -> Frame:
    """The source's frame; where it cannot be read but was made anew, there is only that one to look at."""
    try:
        return chain.source.frame(number)
    except UnreadableFrameError:
        if chain.changes_time(view_point) and chain.time_words(view_point, number).startswith("rebuilt"):
            return made
        raise


def _scaled_key(chain: Chain, number: int, last: Frame) -> str:
    return f"{chain.source.key(number)}/at {last.format.width} x {last.format.height}"


def _at_scale_of(chain: Chain, number: int, first: Frame, last: Frame, geometry: Geometry | None) -> Frame:
    """The source as it is compared: plainly at the size of the view point, where that shows all of it."""
    fmt = last.format
    same = (fmt.width, fmt.height) == (first.format.width, first.format.height)
    if geometry is None or same or not shows_all_of(geometry, fmt, first.format):
        return first
    large = replace(first.format, width=fmt.width, height=fmt.height, pixel_aspect=fmt.pixel_aspect)
    key = _scaled_key(chain, number, last)
    return chain.cache.get(key, lambda: scaled(first, large).rounded(), lambda made: made.nbytes)


def notes_of(chain: Chain, place: int, frame: int) -> tuple[str, ...]:
    """What the step at a place of the path has to say of a frame, its shot or the reel, if it has studied that."""
    step = chain.view_points[place] if place < len(chain.view_points) else None
    if isinstance(step, StepSource) and step.learns:
        number = chain.number_before(place, frame)
        return step.told(number) if step.is_studied(number) else ()
    if not (isinstance(step, StepSource) and step.is_time and step.is_studied(0)):
        return ()
    words = step.timing.group_words(chain.number_before(place, frame))
    return (words, *step.time_notes) if words else step.time_notes


def shot_of(chain: Chain, place: int, frame: int) -> ShotLook | None:
    """What the step at a place of the path measured of the shot of a frame, if it has studied that."""
    step = chain.view_points[place] if place < len(chain.view_points) else None
    if not isinstance(step, StepSource) or not step.learns:
        return None
    number = chain.number_before(place, frame)
    if not step.is_studied(number):
        return None
    first, known = step.shot_of(number).start, step.knows_left(number)
    left, words = (step.chart_left(number), step.told_left(number)) if known else (None, ())
    return ShotLook(number - first, first, step.chart(number), left, words, step.measures_left)


def make_neighbour(chain: Chain, view_point: int, ways: Ways, kept: Kept | None, number: int) -> Screen:
    """Picture of a frame of the view point, for the neighbour strip; `kept` as in `make_look`."""
    frame = _made_or_kept(chain, view_point, number, kept)
    ways = Ways(channel=ways.channel, field=ways.field)
    return screen_of(chain, frame, chain.view_points[view_point].key(number), ways)


def judge_neighbour(chain: Chain, number: int) -> Judgement | None:
    """How a frame of the source differs from the one before it; None for the first and beside unreadable ones."""
    if number <= 0:
        return None
    changes = {}
    for place in range(max(1, number - CONTEXT), min(len(chain.source), number + CONTEXT + 1)):
        change = _change_at(chain, place)
        if change is not None:
            changes[place] = change
    return judge(changes, number) if number in changes else None


def _change_at(chain: Chain, number: int) -> Change | None:
    key = f"change/{chain.source.identity}/{number}"

    def measure() -> list[Change | None]:
        try:
            last, this = (chain.source.frame(place).luma8() for place in (number - 1, number))
        except UnreadableFrameError:
            return [None]
        return [change_between(last, this)]

    return chain.cache.get(key, measure, lambda _: 128)[0]
