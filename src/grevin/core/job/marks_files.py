"""Marks in files that other programs read: CSV, edit decision lists (CMX 3600) and OpenTimelineIO.

An edit decision list holds each mark as an event whose source and record times are the mark's, with notes after
it. Times are the reel's timecode, which counts from 00:00:00:00 where it has none; the last frame is exclusive, as
in every list. The event line follows CMX 3600, from memory: number, reel, channel, transition, four timecodes.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import opentimelineio as otio
import pydantic
from opentimelineio.opentime import RationalTime, TimeRange

from grevin.core.errors import UsageError
from grevin.core.job.marks import Mark
from grevin.core.timebase.counters import Counter

Marks = tuple[Mark, ...]
Made = TypeVar("Made")
COLUMNS = ("first_frame", "last_frame", "first_timecode", "kind", "note")
REEL_NAME = "AX"  # the name that lists give to a source without a reel number
_EVENT = re.compile(r"\d+\s+\S+\s+\S+\s+\S+(?:\s+\d+)?" + r"\s+(\d+[:;]\d+[:;]\d+[:;.]\d+)" * 4 + r"\s*")
_PLACE = re.compile(r"LOC:\s*(\d+[:;]\d+[:;]\d+[:;.]\d+)\s+\S+\s*(.*)", re.IGNORECASE)


@dataclass(frozen=True)
class MarkedReel:
    """What marks belong to.

    Attributes:
        title: of the reel.
        length: its frames.
        counter: its timecode.
    """

    title: str
    length: int
    counter: Counter


def write_marks(path: Path, marks: Marks, reel: MarkedReel) -> None:
    """Write marks, by the ending: .csv, .edl or .otio; aside first.

    Raises:
        UsageError: for another ending, or a place that cannot be written to.
    """
    make = _by_ending(path, _WRITERS)
    aside = path.with_name(f".{path.name}.part")
    try:
        aside.write_text(make(marks, reel), encoding="utf-8", newline="")
        aside.replace(path)
    except OSError as fault:
        aside.unlink(missing_ok=True)
        raise UsageError(f"{path} cannot be written ({fault.strerror}).", "Choose another folder.") from fault


def read_marks(path: Path, reel: MarkedReel) -> Marks:
    """Read marks, by the ending.

    Raises:
        UsageError: if the file cannot be read, is no such file, or marks frames that the reel does not have.
    """
    read = _by_ending(path, _READERS)
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as fault:
        raise UsageError(f"{path.name} cannot be read ({fault}).", "Check its name and kind.") from fault
    try:
        marks = read(text, reel)
    except pydantic.ValidationError as fault:
        raise UsageError(f"{path.name}: {fault.errors()[0]['msg']}.", "Correct it and try again.") from fault
    for mark in marks:
        if mark.last >= reel.length:
            raise UsageError(
                f"{path.name} marks frame {mark.last}; {reel.title} ends with frame {reel.length - 1}.",
                "Check that the marks are this reel's, and its timecode.",
            )
    return marks


def _by_ending(path: Path, known: dict[str, Made]) -> Made:
    found = known.get(path.suffix.lower())
    if found is None:
        raise UsageError(f"“{path.name}” is no name for marks.", f"Use an ending of {', '.join(known)}.")
    return found


def _to_csv(marks: Marks, reel: MarkedReel) -> str:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows((m.first, m.last, reel.counter.text(m.first), m.kind, m.note) for m in marks)
    return stream.getvalue()


def _from_csv(text: str, _reel: MarkedReel) -> Marks:
    rows = csv.DictReader(io.StringIO(text, newline=""))
    marks = []
    for number, row in enumerate(rows, 2):
        try:
            first = int(row["first_frame"])
            last = int(row["last_frame"]) if row.get("last_frame") else first
            marks.append(Mark(first=first, last=last, kind=row.get("kind") or "", note=row.get("note") or ""))
        except (KeyError, TypeError, ValueError) as fault:
            raise UsageError(
                f"Line {number} of the marks is not written as one.",
                "It needs the columns first_frame, last_frame, kind and note, frames counted from 0.",
            ) from fault
    return tuple(marks)


def _to_edl(marks: Marks, reel: MarkedReel) -> str:
    drop = ";" in reel.counter.text(0)
    lines = [f"TITLE: {reel.title}", f"FCM: {'DROP FRAME' if drop else 'NON-DROP FRAME'}", ""]
    for number, mark in enumerate(marks, 1):
        start, end = reel.counter.text(mark.first), reel.counter.text(mark.last + 1)
        lines.append(f"{number:03}  {REEL_NAME:<8} V     C        {start} {end} {start} {end}")
        if mark.kind:
            lines.append(f"* KIND: {mark.kind}")
        lines += [f"* NOTE: {line}" for line in mark.note.splitlines()]
    return "\n".join(lines) + "\n"


def _from_edl(text: str, reel: MarkedReel) -> Marks:
    marks: list[Mark] = []
    for line in map(str.strip, text.splitlines()):
        event = _EVENT.fullmatch(line)
        if event is not None:
            first, stop = (reel.counter.number(time) for time in event.groups()[:2])
            if first < 0:
                raise UsageError(f"{event[1]} lies before this reel's first frame.", "Check the reel's timecode.")
            marks.append(Mark(first=first, last=max(first, stop - 1)))
        elif line.startswith("*") and marks:
            marks += _noted(marks, line[1:].strip(), reel)
    return tuple(marks)


def _noted(marks: list[Mark], words: str, reel: MarkedReel) -> list[Mark]:
    """Enter a note after an event; a place within it is a mark of its own."""
    last = marks[-1]
    place = _PLACE.match(words)
    if place is not None:
        frame = reel.counter.number(place[1])
        return [Mark(first=frame, last=frame, note=place[2].strip())]
    name, colon, rest = words.partition(":")
    if colon and name.upper() == "KIND":
        marks[-1] = last.model_copy(update={"kind": rest.strip()})
    else:
        note = rest.strip() if colon and name.upper() in {"NOTE", "FROM CLIP NAME", "COMMENT"} else words
        marks[-1] = last.model_copy(update={"note": f"{last.note}\n{note}".strip()})
    return []


def _to_otio(marks: Marks, reel: MarkedReel) -> str:
    rate = float(reel.counter.rate)
    first = float(reel.counter.first)
    clip = otio.schema.Clip(
        reel.title, source_range=TimeRange(RationalTime(first, rate), RationalTime(reel.length, rate))
    )
    for mark in marks:
        marked = TimeRange(RationalTime(first + mark.first, rate), RationalTime(mark.last - mark.first + 1, rate))
        clip.markers.append(
            otio.schema.Marker(mark.note or mark.kind, marked, metadata={"grevin": mark.model_dump(mode="json")})
        )
    timeline = otio.schema.Timeline(reel.title)
    track = otio.schema.Track("picture", kind=otio.schema.TrackKind.Video)
    track.append(clip)
    timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _from_otio(text: str, reel: MarkedReel) -> Marks:
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
        clips = list(timeline.find_clips())
    except Exception as fault:  # the library raises many kinds, none of them listed
        raise UsageError(f"This is no OpenTimelineIO timeline ({fault}).", "Give an .otio file.") from fault
    marks: list[Mark] = []
    rate = float(reel.counter.rate)
    for clip in clips:
        for marker in clip.markers:
            kept = marker.metadata.get("grevin", {})
            begins = round(marker.marked_range.start_time.rescaled_to(rate).value) - reel.counter.first
            long = max(1, round(marker.marked_range.duration.rescaled_to(rate).value))
            note = str(kept.get("note", marker.name))
            marks.append(Mark(first=begins, last=begins + long - 1, kind=str(kept.get("kind", "")), note=note))
    return tuple(marks)


_WRITERS: dict[str, Callable[[Marks, MarkedReel], str]] = {".csv": _to_csv, ".edl": _to_edl, ".otio": _to_otio}
_READERS: dict[str, Callable[[str, MarkedReel], Marks]] = {".csv": _from_csv, ".edl": _from_edl, ".otio": _from_otio}
