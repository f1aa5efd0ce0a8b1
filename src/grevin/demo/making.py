"""Making the demo: draw, damage, keep the truth, write the reel, set up a job. Done once."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import platformdirs

from grevin.core.job.document import Job, Reel
from grevin.core.job.job_file import JobFile
from grevin.core.media.writing import Writer, open_writer
from grevin.core.parallel import in_parallel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import Truth
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.demo.reel import DemoReel
from grevin.demo.time_reels import TimeReel, time_reels

DEMO_VERSION = 2  # raised when the reel's pictures change, so that an older one is drawn anew
TIME_REELS_VERSION = 1  # likewise of the reels whose time is to be put right
DEMO_DAMAGE = DirtDamage(seed=1962, blobs_per_frame=12.0, hair_share=0.14, largest_px=34.0)


@dataclass(frozen=True)
class DemoFiles:
    """What the demo consists of.

    Attributes:
        reel: the dirty reel.
        truth: folder with what is true of it, and of the others.
        job: all of them in one job.
        others: the reels whose time is to be put right.
    """

    reel: Path
    truth: Path
    job: Path
    others: tuple[Path, ...] = ()


def demo_folder() -> Path:
    """Where the demo is kept unless told otherwise."""
    return Path(platformdirs.user_data_dir("grevin")) / "demo"


def demo_files(folder: Path) -> DemoFiles:
    """The demo's files in a folder."""
    return DemoFiles(folder / "port-ellery-reel.mkv", folder / "truth", folder / "port-ellery.grevin")


def make_demo(folder: Path, progress: Progress, frames: range | None = None) -> DemoFiles:
    """Draw and damage the reel unless that was done before.

    Args:
        folder: where to keep it.
        progress: one unit a frame.
        frames: only these frames of the reel (for tests); None for all.
    """
    files = demo_files(folder)
    mark = files.truth / "made.json"
    wanted = {"version": DEMO_VERSION, "frames": None if frames is None else [frames.start, frames.stop]}
    if not (mark.exists() and json.loads(mark.read_text()) == wanted and files.reel.exists()):
        files.truth.mkdir(parents=True, exist_ok=True)
        mark.unlink(missing_ok=True)
        _draw(files, frames, progress)
        mark.write_text(json.dumps(wanted))
    if frames is None:
        files = replace(files, others=make_time_reels(folder, progress))
    if not files.job.exists():
        reels = tuple(Reel(id=place, path=str(path)) for place, path in enumerate((files.reel, *files.others)))
        JobFile.create(files.job, Job(reels=reels)).close()
    return files


def make_time_reels(folder: Path, progress: Progress, names: Collection[str] | None = None) -> tuple[Path, ...]:
    """Draw the reels whose time is to be put right, each unless that was done before.

    Args:
        folder: where to keep them.
        progress: one unit a frame.
        names: only these; None for all.

    Returns:
        Their files, in order.
    """
    made: list[Path] = []
    for reel in time_reels():
        if names is not None and reel.name not in names:
            continue
        path, truth = folder / f"{reel.name}.mkv", folder / "truth" / f"{reel.name}.json"
        wanted = {"version": TIME_REELS_VERSION, **reel.truth}
        if not (path.exists() and truth.exists() and json.loads(truth.read_text()) == wanted):
            truth.parent.mkdir(parents=True, exist_ok=True)
            truth.unlink(missing_ok=True)
            _write(path, reel, progress)
            truth.write_text(json.dumps(wanted))
        made.append(path)
    return tuple(made)


def _write(path: Path, reel: TimeReel, progress: Progress) -> None:
    reel.make(0)  # paints the scenery before several threads ask for it
    progress.begin(reel.length, f"Drawing {reel.name}")
    with _written(path, reel.format, range(reel.length)) as writer:
        for frame in in_parallel(reel.make, range(reel.length)):
            writer.write(frame)
            progress.advance()


@contextmanager
def _written(path: Path, fmt: PictureFormat, numbers: range) -> Iterator[Writer]:
    """A writer whose file gets its name when all went well, and leaves nothing else."""
    writer = open_writer(path, None, fmt, numbers, overwrite=True)
    try:
        yield writer
        writer.finish()
        writer.commit()
    except BaseException:
        writer.discard()
        raise


def _draw(files: DemoFiles, frames: range | None, progress: Progress) -> None:
    reel = DemoReel()
    numbers = frames or range(len(reel))
    reel.frame(numbers[0])  # paints the scenery before several threads ask for it

    def make(number: int) -> tuple[Frame, Truth]:
        return DEMO_DAMAGE.add(reel.frame(number))

    progress.begin(len(numbers), "Drawing Port Ellery")
    masks: list[npt.NDArray[np.uint8]] = []
    rows: list[dict[str, Any]] = []
    with _written(files.reel, reel.format, numbers) as writer:
        for number, (frame, truth) in zip(numbers, in_parallel(make, numbers), strict=True):
            writer.write(frame)
            masks.append(np.packbits(truth.mask))
            rows.extend({"frame": number - numbers.start, **asdict(mark)} for mark in truth.marks)
            progress.advance()
    np.savez_compressed(files.truth / "masks.npz", masks=np.stack(masks), shape=[reel.format.height, reel.format.width])
    shots = [n for n in reel.first_frames if n in numbers]
    (files.truth / "truth.json").write_text(json.dumps({"first_frames": shots, "dirt": rows}))
