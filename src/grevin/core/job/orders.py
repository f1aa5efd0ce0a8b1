"""An order: one thing to write from a job, with the treatment as it was when it was ordered."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pydantic

from grevin.core.errors import JobFileError, UsageError
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import Reel, reel_stem
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.job.opening import open_entry
from grevin.core.progress import Progress
from grevin.core.render.ahead import Crew
from grevin.core.render.proof import Proof
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.versions import Version
from grevin.core.render.wanted import Wanted
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.verdicts import Verdict, Verdicts

MOST_FRAMES = 1 << 31  # a number that is asked for; the reel itself says later whether it has as many


class Order(Wanted):
    """One thing to write; what is wanted of it, as `Wanted` has it. What is done to the job later has no say in it.

    Attributes:
        job: path of the job file, in which the proof is kept; "" for none.
        reel: what the job said of the reel.
        verdicts: what a person had said on places of it.
        output: file or sequence pattern.
        first, stop: frames of the reel; 0 and 0 for those between its trims.
        evidence: folder for evidence pictures, "" for none.
        ledger: file for the ledger, "" for none.
        overwrite, coding: as in `RunRequest`.
    """

    job: str = ""
    reel: Reel
    verdicts: tuple[Verdict, ...] = ()
    output: str
    first: int = 0
    stop: int = 0
    evidence: str = ""
    ledger: str = ""
    overwrite: bool = False
    coding: str = ""

    @classmethod
    def read(cls, text: str) -> Order:
        """One that was kept.

        Raises:
            UsageError: if it cannot be understood; a later version may have made it.
        """
        try:
            return cls.model_validate_json(text)
        except pydantic.ValidationError as fault:
            raise UsageError(f"The order cannot be read ({fault.errors()[0]['msg']}).", "Order it anew.") from fault

    def plan(self) -> Plan:
        """What is done to the pictures."""
        return self.planned(self.reel.plan())

    def frames(self, kept: range) -> range:
        """The frames that are written; `kept` are those between the trims."""
        return range(self.first, self.stop) if self.stop > self.first else kept

    def request(self, kept: range) -> RunRequest:
        """What is to be made; `kept` are the frames between the trims."""
        frames = self.frames(kept)
        return RunRequest(
            Path(self.output), frames, Path(self.evidence) if self.evidence else None,
            Path(self.ledger) if self.ledger else None, self.overwrite, Verdicts(self.verdicts), self.sound, self.bits,
            self.dither, self.coding, self.quality, self._chapters(), self.shape, self.playing,
        )  # fmt: skip

    def _chapters(self) -> tuple[tuple[int, str], ...]:
        """The shots that a person divided the reel into."""
        shots = self.reel.shots
        return tuple((shot.first, shot.name or f"Shot {place}") for place, shot in enumerate(shots, 1))


def order_of(job: Path, reel: int, output: Path, **wanted: Any) -> Order:
    """An order for a reel of a job as it is now.

    Args:
        job: the job file.
        reel: place of the reel in it, from 0.
        output: file or pattern.
        wanted: as in `Order`.

    Raises:
        JobFileError: if the job cannot be read or has no such reel.
    """
    with closing(JobFile.open(job)) as job_file:
        reels = job_file.document.reels
        if not 0 <= reel < len(reels):
            raise JobFileError(f"{job.name} has no reel {reel + 1}: it has {len(reels)}.", "Give another number.")
        words = tuple(job_file.verdicts(reels[reel].id))
    return Order(job=str(job), reel=reels[reel], verdicts=words, output=str(output), **wanted)


def order_of_version(job: Path, reel: int, version: Version, folder: Path | None, **wanted: Any) -> Order:
    """An order for a version of a reel of a job, under a name that is free.

    Args:
        job: the job file.
        reel: place of the reel in it, from 0.
        version: what is wanted.
        folder: where to; None for beside the material.
        wanted: frames and overwriting, as in `Order`.

    Raises:
        JobFileError: if the job cannot be read or has no such reel.
    """
    order = order_of(job, reel, Path())
    path = Path(order.reel.path)
    stem, place = reel_stem(path) or "reel", folder or path.parent
    output = version.path(place, stem) if wanted.get("overwrite") else version.free_path(place, stem)
    return order.model_copy(update={
        **{name: getattr(version, name) for name in Wanted.model_fields},
        "output": str(output), "coding": version.coding_id,
        "evidence": beside(output, "evidence") if version.evidence else "",
        "ledger": beside(output, "ledger.csv") if version.ledger else "", **wanted,
    })  # fmt: skip


def beside(output: Path, what: str) -> str:
    """Where what belongs to an output lies: `NAME-evidence`, `NAME-ledger.csv`."""
    return str(output.parent / f"{output.stem.split('%')[0].rstrip('._')}-{what}")


def opened(order: Order, progress: Progress) -> DeclaredReel:
    """The reel of an order, all of it indexed.

    Raises:
        GrevinError: if it cannot be read, or has not the frames that are wanted.
    """
    reel = open_entry(order.reel, Path(order.job) if order.job else None, progress, patient=True)
    frames = order.frames(reel.kept)
    if frames.stop > len(reel):
        reel.close()
        raise UsageError(
            f"{order.reel.title} has frames 0 to {len(reel) - 1}, not to {frames.stop - 1}.",
            "Choose frames that it has.",
        )
    return reel


def studies_of(order: Order, ready: ReadyFrames | None) -> MeasuredFile | None:
    """Where what steps learn of its reel is kept: in the job, without one with the frames."""
    if order.job:
        return MeasuredFile(Path(order.job))
    return None if ready is None else MeasuredFile(ready.studies)


def carry_out(
    order: Order, progress: Progress, ready: ReadyFrames | None = None, crew: Crew | None = None,
    say: Callable[[str], None] = lambda words: None,
) -> Proof:  # fmt: skip
    """Write what was ordered and keep its proof in the job, if it is of one.

    Args:
        order: what is wanted.
        progress: told of what is done, and asked whether to stop.
        ready: where frames are kept; None to make all anew.
        crew: who makes them ahead.
        say: told what there is to know of the material.

    Raises:
        GrevinError: of the kind that fits what went wrong; `CancelledError` if asked to stop.
    """
    if order.job:
        JobFile.open(Path(order.job)).close()  # where the proof will be kept: it has to be there
    with closing(opened(order, progress)) as reel:
        for words in reel.notes:
            say(words)
        studies = studies_of(order, ready)
        proof = run(reel, order.plan(), order.request(reel.kept), progress, studies, ready, crew)
    if order.job:
        JobFile.record_run(Path(order.job), order.reel.id, proof.data(), proof.rows)
    proof.rows.close()
    return proof
