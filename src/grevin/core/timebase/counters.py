"""Ways to count frames that people read and type: frame numbers, timecode, feet and frames.

Timecode follows SMPTE ST 12-1: frames are counted at the nearest whole rate; at 30000/1001 and 60000/1001 a
semicolon marks drop-frame counting, which leaves out the first two (four) numbers of every minute but the tenth.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from grevin.core.errors import UsageError
from grevin.core.timebase.gauges import FRAMES_PER_FOOT

CounterKind = Literal["frames", "timecode", "feet"]
COUNTER_LABELS: dict[CounterKind, str] = {"frames": "frames", "timecode": "timecode", "feet": "feet+frames"}

_TIMECODE = re.compile(r"(\d{1,2}):(\d{1,2}):(\d{1,2})([:;.])(\d{1,3})")
_FEET = re.compile(r"(\d+)\s*\+\s*(\d+)")
DAY_HOURS = 24


def _dropped_per_minute(rate: Fraction) -> int:
    """Numbers left out at the start of a minute in drop-frame counting, 0 where there is none (ST 12-1)."""
    return {Fraction(30000, 1001): 2, Fraction(60000, 1001): 4}.get(rate, 0)


def timecode_text(frames: int, rate: Fraction, drop: bool = False) -> str:
    """Timecode of a number of frames counted from 00:00:00:00; it begins again after 24 hours.

    Args:
        frames: number of frames, may exceed a day.
        rate: frames per second.
        drop: drop-frame counting, where the rate has it.
    """
    whole = max(1, round(rate))
    dropped = _dropped_per_minute(rate) if drop else 0
    per_minute = 60 * whole - dropped
    per_ten = 10 * per_minute + dropped
    tens, rest = divmod(frames % (per_ten * 6 * DAY_HOURS), per_ten)
    if dropped:
        minutes = 0 if rest < 60 * whole else 1 + (rest - 60 * whole) // per_minute
        rest += dropped * minutes
        frames = tens * 600 * whole + rest
    else:
        frames = frames % (DAY_HOURS * 3600 * whole)
    seconds, frame = divmod(frames, whole)
    mark = ";" if dropped else ":"
    digits = 3 if whole > 100 else 2
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{mark}{frame:0{digits}}"


def parse_timecode(text: str, rate: Fraction) -> tuple[int, bool]:
    """Number of frames of a timecode, and whether it counts drop-frame.

    Raises:
        UsageError: if it is none, or a number that drop-frame counting leaves out.
    """
    match = _TIMECODE.fullmatch(text.strip())
    whole = max(1, round(rate))
    if match is None:
        raise UsageError(f"“{text}” is not a timecode.", "Write it like 01:00:10:12.")
    hours, minutes, seconds, frame = (int(match[place]) for place in (1, 2, 3, 5))
    dropped = _dropped_per_minute(rate) if match[4] in ";." else 0
    left_out = dropped and frame < dropped and seconds == 0 and minutes % 10
    if minutes > 59 or seconds > 59 or frame >= whole or hours >= DAY_HOURS or left_out:
        raise UsageError(
            f"There is no timecode {text} at {float(rate):.5g} frames/s.", f"Frames run from 0 to {whole - 1}."
        )
    total_minutes = 60 * hours + minutes
    frames = (60 * total_minutes + seconds) * whole + frame - dropped * (total_minutes - total_minutes // 10)
    return frames, dropped > 0


@dataclass(frozen=True)
class Counter:
    """One way of counting the frames of a reel.

    Attributes:
        kind: frames from 0, timecode, or feet and frames.
        rate: frames per second.
        start: timecode of frame 0; None counts from 00:00:00:00.
        gauge: a key of `gauges.FRAMES_PER_FOOT`, for feet and frames.
    """

    kind: CounterKind
    rate: Fraction
    start: str | None = None
    gauge: str | None = None

    @property
    def first(self) -> int:
        """Frames from 00:00:00:00 to frame 0."""
        return parse_timecode(self.start, self.rate)[0] if self.start else 0

    def text(self, number: int) -> str:
        """The count of frame `number`."""
        if self.kind == "feet" and self.gauge is not None:
            per_foot = FRAMES_PER_FOOT[self.gauge]
            feet = int(number / per_foot)
            return f"{feet}+{number - -(-feet * per_foot // 1):02}"
        if self.kind == "timecode":
            first, drop = parse_timecode(self.start, self.rate) if self.start else (0, False)
            return timecode_text(first + number, self.rate, drop)
        return str(number)

    def number(self, text: str) -> int:
        """The frame of a count; it may lie outside the reel.

        Raises:
            UsageError: if the text is no count of this kind.
        """
        text = text.strip()
        if text.isdigit():
            return int(text)
        feet = _FEET.fullmatch(text)
        if feet is not None and self.gauge is not None:
            return int(-(-int(feet[1]) * FRAMES_PER_FOOT[self.gauge] // 1)) + int(feet[2])
        if _TIMECODE.fullmatch(text):
            first = parse_timecode(self.start, self.rate)[0] if self.start else 0
            return parse_timecode(text, self.rate)[0] - first
        raise UsageError(
            f"“{text}” is not a frame.", "Type a frame number, a timecode 00:00:10:12 or feet+frames 12+05."
        )
