"""What was shown about an output, gathered frame by frame while it is written."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from fractions import Fraction
from math import sqrt
from typing import Any

from grevin.core.measure.level_range import MOST_OUTSIDE
from grevin.core.media.sound import SoundTrack
from grevin.core.picture.frame import Frame
from grevin.core.render.ledger import LedgerRow, LedgerSpool, WholeRows, ledger_rows
from grevin.core.timebase.rates import rate_text
from grevin.core.treatment.step_source import Acted, StepSource

MOST_DOUBTS = 20  # frames left alone that are named


@dataclass
class Proof:
    """What was shown about a finished output.

    Attributes:
        frames: frames read back, each with the checksum of what was written.
        black: how many of them are black, put before the pictures and after.
        untouched: frames that are the source bit for bit.
        mended: frames in which something was changed, inside the evidence only.
        reshaped: frames that were changed as a whole, or shown in another shape or part.
        reshaped_by: what the steps that did so are called.
        whole_levels: by how much each of them changed the brightness: rms over its frames, 8-bit levels.
        by_shot: the same for every shot: its first frame, how many of its frames, step, levels.
        mends: places mended.
        made: frames made anew.
        left_out: frames of the source that are not in the output.
        ready: frames that were made before, by a run that was stopped or another one, and kept.
        rate: frames per second of the output.
        samples_changed: share of all samples, 0..1.
        coding: with loss, that the pictures were put in after all that; "" for none.
        coded_db: what that cost: mean and least peak signal-to-noise ratio of luma over frames evenly spread, and the
            frame of the least.
        sound: the tracks of sound that were written alone.
        notes: what else the reader of the output should know.
        out_of_range: frames of which more than 1 % lies outside the levels of EBU R 103, the greatest share of one, and
            its number.
        checksums: MD5 of each frame's planes, as they read back.
        rows: the ledger, on disk until `close`.
    """

    output: str
    frames: int = 0
    black: tuple[int, int] = (0, 0)
    untouched: int = 0
    mended: int = 0
    reshaped: int = 0
    reshaped_by: tuple[str, ...] = ()
    whole_levels: dict[str, float] = field(default_factory=dict)
    by_shot: list[tuple[int, int, str, float]] = field(default_factory=list)
    mends: int = 0
    made: int = 0
    left_out: int = 0
    ready: int = 0
    rate: Fraction = Fraction(0)
    samples_changed: float = 0.0
    coding: str = ""
    coded_db: tuple[float, float, int] = (0.0, 0.0, 0)
    out_of_range: tuple[int, float, int] = (0, 0.0, 0)
    sound: tuple[SoundTrack, ...] = ()
    notes: tuple[str, ...] = ()
    checksums: list[str] = field(default_factory=list)
    rows: LedgerSpool = field(default_factory=LedgerSpool)

    def sentence(self) -> str:
        """The proof in words."""
        if self.sound:
            return self._sound_sentence()
        time = f" {self.made} were rebuilt." if self.made else ""
        time += f" {self.left_out} frames of the source were left out." if self.left_out else ""
        whole = f" {self.reshaped} were changed as a whole by {self._by()}{self._gone()}." if self.reshaped else ""
        whole += f" Black was put before them ({self.black[0]} frames) and after ({self.black[1]})." * any(self.black)
        whole += f" {self.ready} frames were ready from before." if self.ready else ""
        done = f"{self.frames} frames written and read back, {self._agreement()}"
        return f"{done} {self.untouched} frames are the source bit for bit; {self._mended()}.{whole}{time}"

    def _mended(self) -> str:
        """What was done in places, in words; samples are counted where no picture was changed as a whole."""
        if not (self.mended or self.reshaped or self.made):
            return "nothing differs"
        places = f"{self.mended} were mended in {self.mends} places"
        if not self.reshaped:
            return f"{places} ({100 * self.samples_changed:.3f} % of all samples), nothing else differs"
        return places if self.mended else "none was mended in single places"

    def _gone(self) -> str:
        """That nothing is left of it on frames that are the source all the same, in words."""
        both = self.untouched + self.reshaped - self.frames + sum(self.black)
        return f", of which nothing is left on {both} as they are rounded" if both > 0 else ""

    def _sound_sentence(self) -> str:
        first = self.sound[0]
        count = "1 track" if len(self.sound) == 1 else f"{len(self.sound)} tracks"
        channels = sum(track.channels for track in self.sound)
        return (
            f"{count} of sound written and read back, every sample agrees: {first.samples / first.rate:.2f} s, "
            f"{first.rate} Hz, {channels} channel{'s' if channels > 1 else ''}."
        )

    def _agreement(self) -> str:
        if not self.coding:
            return "every checksum agrees."
        mean, worst, frame = self.coded_db
        return (
            f"each in its place. {self.coding} costs some of every picture: {mean:.1f} dB in the mean, {worst:.1f} dB "
            f"at frame {frame}. Before it,"
        )

    def _by(self) -> str:
        levels = self.whole_levels
        told = (f"{by} ({levels[by]:.1f} levels rms)" if by in levels else by for by in self.reshaped_by)
        return " and ".join(told)

    def data(self) -> dict[str, Any]:
        """Plain data for `--json`."""
        return {
            "format": "grevin-proof",
            "version": 1,
            "output": self.output,
            "summary": self.sentence(),
            "frames": self.frames,
            "black_frames": list(self.black),
            "untouched_frames": self.untouched,
            "mended_frames": self.mended,
            "mends": self.mends,
            "reshaped_frames": self.reshaped,
            "reshaped_by": list(self.reshaped_by),
            "whole_levels": {name: round(levels, 3) for name, levels in self.whole_levels.items()},
            "by_shot": [
                {"frame": frame, "frames": frames, "step": step, "levels": round(levels, 3)}
                for frame, frames, step, levels in self.by_shot
            ],
            "made_frames": self.made,
            "left_out_frames": self.left_out,
            "ready_frames": self.ready,
            "rate": rate_text(self.rate),
            "samples_changed": round(self.samples_changed, 8),
            "coding": self.coding or None,
            "coded_db": {
                "mean": round(self.coded_db[0], 2),
                "least": round(self.coded_db[1], 2),
                "frame": self.coded_db[2],
            }
            if self.coding
            else None,
            "out_of_range": {
                "frames": self.out_of_range[0],
                "most": round(self.out_of_range[1], 4),
                "frame": self.out_of_range[2],
            },
            "sound": [asdict(track) for track in self.sound],
            "notes": list(self.notes),
            "checksums": self.checksums,
        }


@dataclass(frozen=True, eq=False)
class Written:
    """One frame of an output, with all that was done to it.

    Attributes:
        number: of the output frame.
        source: the reel's frame that it comes from.
        frame: the picture.
        made: whether it was made anew.
        differing: samples that differ from the source.
        steps: place on the path, step, and what it did.
        begins: whether a shot begins with it, or another treatment; asked only where a step changes whole pictures.
        ready: whether it was made before, and kept.
    """

    number: int
    source: int
    frame: Frame
    made: bool
    differing: int
    steps: tuple[tuple[int, StepSource, Acted], ...]
    begins: bool
    ready: bool = False


class Record:
    """Gathers a proof while frames are written."""

    def __init__(self, proof: Proof) -> None:
        self._proof = proof
        self._whole = WholeRows()
        self._squares: dict[tuple[int, str], list[float]] = {}  # by place on the path and name
        self._differing = 0
        self._samples = 0

    def add(self, written: Written, checksum: str, outside: float = 0.0, by_worker: bool = False) -> None:
        """One more frame.

        Args:
            written: the frame.
            checksum: of it as it is written.
            outside: the share of it that lies outside the levels of EBU R 103.
            by_worker: whether a worker made it for this run, so that it was not ready from before.
        """
        frames, most, worst = self._proof.out_of_range
        worst = written.number if outside > most else worst
        self._proof.out_of_range = frames + (outside > MOST_OUTSIDE), max(most, outside), worst
        proof, made = self._proof, written.made
        acted = [(place, step.step.label, one) for place, step, one in written.steps]
        whole = any(one.reshaped or one.whole_levels is not None for _, _, one in acted) and not made
        proof.checksums.append(checksum)
        self._end_shot(self._whole.add(written.source, written.steps, written.begins))
        proof.rows.add(ledger_rows(written.source, written.steps))
        if len(proof.notes) < MOST_DOUBTS:
            proof.notes += tuple(f"Frame {written.number}: {one.doubt}" for _, _, one in acted if one.doubt)
        proof.mends += sum(len(one.mended) for _, _, one in acted)
        proof.made += made
        proof.ready += written.ready and not by_worker
        proof.reshaped += whole
        proof.mended += written.differing > 0 and not made and not whole
        proof.untouched += written.differing == 0
        self._differing += written.differing
        self._samples += sum(plane.size for plane in written.frame.planes)
        for place, label, one in acted:
            if one.whole_levels is not None or one.reshaped:
                self._squares.setdefault((place, label), [])
            if one.whole_levels is not None:
                self._squares[place, label].append(one.whole_levels**2)

    def _end_shot(self, rows: list[LedgerRow]) -> None:
        """What was done to whole pictures of a shot that ended."""
        self._proof.rows.add(rows)
        self._proof.by_shot += [(row.frame, row.frames, row.step, row.contrast) for row in rows]

    def finish(self) -> Proof:
        """The proof, but for reading back."""
        proof = self._proof
        self._end_shot(self._whole.finish())
        if len({frame for frame, *_ in proof.by_shot}) > 1:
            frame, frames, step, levels = max(proof.by_shot, key=lambda row: row[-1])
            proof.notes += (
                f"Most was changed in the {frames} frames from frame {frame} on: {levels:.1f} levels rms by “{step}”.",
            )
        frames, most, worst = proof.out_of_range
        if frames:
            proof.notes += (
                f"On {frames} frames more than 1 % of the picture lies outside -5 to 105 % (EBU R 103), most on frame "
                f"{worst} ({most:.0%}).",
            )
        proof.samples_changed = self._differing / max(1, self._samples)
        by = sorted(self._squares)
        proof.reshaped_by = tuple(dict.fromkeys(label for _, label in by)) if proof.reshaped else ()
        proof.whole_levels = {
            label: sqrt(sum(many) / len(many)) for place, label in by if (many := self._squares[place, label])
        }
        return proof
