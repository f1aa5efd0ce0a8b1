"""What a change of time means for one run: which frames are written, whether the sound still fits, what is said."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.plan import TreatedReel

MOST_NOTES = 12
LEAST_APART_S = Fraction(1, 10)  # sound so far from its picture is seen (EBU R 37: 40 ms early, 60 late; from memory)


@dataclass(frozen=True)
class Retimed:
    """A run of source frames on its way through a frame map.

    Attributes:
        timeline: the map of the whole reel.
        outputs: the output frames that are written.
        seconds: how long the run plays before and after.
        left_out: frames of the run that are not in the output.
        frame: length of a frame of the source, in seconds.
        moves: whether any frame is shown at another time than in the source.
    """

    timeline: Timeline
    outputs: range
    seconds: tuple[Fraction, Fraction]
    left_out: int
    frame: Fraction
    moves: bool

    @classmethod
    def of(cls, timeline: Timeline, frames: range, rate: Fraction, played: Fraction | None = None) -> Retimed:
        """For some frames of a source of some rate; `played` is the output's, where it is not what follows."""
        moves = timeline.moves or played not in {None, timeline.rate}
        timeline = timeline if played is None else replace(timeline, rate=played)
        outputs = timeline.outputs_in(frames)
        shown = {int(number) for number in timeline.sources[outputs.start : outputs.stop]}
        left_out = sum(number not in shown for number in frames)
        return cls(timeline, outputs, (len(frames) / rate, timeline.seconds(outputs)), left_out, 1 / rate, moves)

    @property
    def copied(self) -> list[int]:
        """Frames of the source that have to be read: those that are no made ones."""
        return [int(self.timeline.sources[n]) for n in self.outputs if not self.timeline.made[n]]

    @property
    def keeps_length(self) -> bool:
        """Whether the sound still fits: the run plays as long as before, to a frame."""
        return abs(self.seconds[0] - self.seconds[1]) <= self.frame

    @property
    def apart(self) -> tuple[Fraction, int]:
        """By how many seconds picture and sound are apart where they are farthest, and at which frame of the source."""
        timeline, first = self.timeline, self.outputs.start
        copied = [n for n in self.outputs if not timeline.made[n]]
        if not copied:
            return Fraction(0), 0
        begin = int(timeline.sources[first])
        moved = [
            (abs((n - first) / timeline.rate - (int(timeline.sources[n]) - begin) * self.frame), n) for n in copied
        ]
        worst, place = max(moved)
        return worst, int(timeline.sources[place])

    @property
    def why_silent(self) -> str:
        """Why it does not."""
        before, after = (f"{float(seconds):.2f}" for seconds in self.seconds)
        return f"the picture plays {after} s instead of {before} s"

    def notes(self, treated: TreatedReel) -> tuple[str, ...]:
        """What the time steps have to say."""
        every = (note for chain in treated.chains() for step in chain.steps for note in step.time_notes)
        return (*self._apart_words(), *tuple(every)[:MOST_NOTES])

    def _apart_words(self) -> tuple[str, ...]:
        """That the speed is right in the mean alone: frames were taken out or put in unevenly."""
        if not (self.timeline.moves and self.keeps_length):
            return ()
        seconds, frame = self.apart
        if seconds < LEAST_APART_S:
            return ()
        return (
            f"The speed is right in the mean only: at frame {frame} picture and sound are {float(seconds):.2f} s "
            "apart. Repeats that are rebuilt in place keep both together.",
        )
