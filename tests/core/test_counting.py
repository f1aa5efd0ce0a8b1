"""Counting frames, and which frame is due while playing."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grevin.core.errors import UsageError
from grevin.core.timebase.counters import Counter, parse_timecode, timecode_text
from grevin.core.timebase.gauges import FRAMES_PER_FOOT
from grevin.core.timebase.pace import Pace

NTSC = Fraction(30000, 1001)
RATES = [Fraction(24), Fraction(25), NTSC, Fraction(30), Fraction(50), Fraction(60000, 1001), Fraction(24000, 1001)]


@pytest.mark.reference
def test_drop_frame_counts_as_st_12_1_says() -> None:
    """SMPTE ST 12-1: two numbers are left out each minute but every tenth: 107,892 frames in a counted hour."""
    assert timecode_text(107_892, NTSC, drop=True) == "01:00:00;00"
    assert timecode_text(107_892 * 24, NTSC, drop=True) == "00:00:00;00", "and 24 of them are a day"
    assert timecode_text(1799, NTSC, drop=True) == "00:00:59;29"
    assert timecode_text(1800, NTSC, drop=True) == "00:01:00;02"
    assert timecode_text(17_982, NTSC, drop=True) == "00:10:00;00"
    assert timecode_text(1800, NTSC) == "00:01:00:00"
    numbers = _counted_out(3 * 17_982)
    for frame in range(0, len(numbers), 7):
        assert timecode_text(frame, NTSC, drop=True) == numbers[frame]


def _counted_out(count: int) -> list[str]:
    """The same by counting, with no formula: numbers one after another, those left out passed over."""
    found = []
    hours = minutes = seconds = frame = 0
    while len(found) < count:
        if not (frame < 2 and seconds == 0 and minutes % 10):
            found.append(f"{hours:02}:{minutes:02}:{seconds:02};{frame:02}")
        frame += 1
        if frame == 30:
            frame, seconds = 0, seconds + 1
        if seconds == 60:
            seconds, minutes = 0, minutes + 1
        if minutes == 60:
            minutes, hours = 0, hours + 1
    return found


@given(frame=st.integers(0, 2_000_000), rate=st.sampled_from(RATES), drop=st.booleans())
def test_timecode_comes_back(frame: int, rate: Fraction, drop: bool) -> None:
    text = timecode_text(frame, rate, drop)
    number, dropping = parse_timecode(text, rate)
    assert number == frame
    assert dropping == (";" in text)


def test_what_is_no_timecode() -> None:
    for text, words in (
        ("10:00", "is not a timecode"), ("00:00:00:25", "There is no timecode"), ("00:61:00:00", "There is no"),
        ("24:00:00:00", "There is no"),
    ):  # fmt: skip
        with pytest.raises(UsageError, match=words):
            parse_timecode(text, Fraction(25))
    with pytest.raises(UsageError, match="There is no timecode 00:01:00;00"):
        parse_timecode("00:01:00;00", NTSC)


@pytest.mark.parametrize(
    ("gauge", "frame", "text"),
    [("16 mm", 0, "0+00"), ("16 mm", 39, "0+39"), ("16 mm", 40, "1+00"), ("35 mm, 4 perforations", 100, "6+04"),
     ("Super 8", 72 * 50, "50+00"), ("8 mm", 81, "1+01"), ("35 mm, 3 perforations", 64, "3+00")],
)  # fmt: skip
def test_feet_and_frames(gauge: str, frame: int, text: str) -> None:
    """Frames a foot: 16 (35 mm, four perforations), 40 (16 mm), 80 (8 mm), 72 (Super 8): handbooks, from memory."""
    counter = Counter("feet", Fraction(24), gauge=gauge)
    assert counter.text(frame) == text
    assert counter.number(text) == frame


@given(frame=st.integers(0, 500_000), gauge=st.sampled_from(sorted(FRAMES_PER_FOOT)))
def test_feet_come_back(frame: int, gauge: str) -> None:
    counter = Counter("feet", Fraction(24), gauge=gauge)
    assert counter.number(counter.text(frame)) == frame


def test_a_counter_takes_every_way_of_counting() -> None:
    counter = Counter("timecode", Fraction(25), "10:00:00:00", "16 mm")
    assert counter.text(30) == "10:00:01:05"
    assert [counter.number(text) for text in ("30", "10:00:01:05", "0+30", " 1 + 00 ")] == [30, 30, 30, 40]
    assert counter.number("09:59:59:24") == -1, "before the reel begins: the session keeps it inside"
    with pytest.raises(UsageError, match="is not a frame"):
        counter.number("later")
    assert Counter("frames", Fraction(25)).text(7) == "7"


def test_an_even_pace_goes_round() -> None:
    pace = Pace(Fraction(25))
    loop = range(10, 20)
    assert [pace.frame_due(10, seconds, loop) for seconds in (0, 0.039, 0.04, 0.36, 0.4)] == [10, 10, 11, 19, 10]
    assert pace.frame_due(15, -0.24, loop) == 19
    assert pace.frame_due(15, 100.0, loop) == 15


def test_uneven_frames_are_due_at_their_own_times() -> None:
    times = np.array([0.0, 0.04, 0.2, 0.24, 0.8, 0.84])
    pace = Pace(Fraction(25), times)
    assert [pace.frame_due(0, seconds, range(6)) for seconds in (0, 0.05, 0.19, 0.2, 0.79, 0.83, 0.88)] == [
        0, 1, 1, 2, 3, 4, 0,
    ]  # fmt: skip
    assert [pace.frame_due(2, seconds, range(1, 4)) for seconds in (0, 0.05, 0.6, 0.61)] == [2, 3, 1, 1]
