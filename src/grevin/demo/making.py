"""Making the demo: draw, damage, keep the truth, write the reel, set up a job. Done once.

The first reel is drawn with the job; the others when one of them is opened.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import closing, contextmanager
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
from grevin.demo.fog_reels import fog_reels
from grevin.demo.light_reels import light_reels
from grevin.demo.noise_reels import noise_reels
from grevin.demo.reel import DemoReel
from grevin.demo.surface_reels import surface_reels
from grevin.demo.tape_reels import tape_reels
from grevin.demo.time_reels import TimeReel, time_reels

DEMO_VERSION = 2  # raised when the reel's pictures change, so that an older one is drawn anew
OTHER_REELS_VERSION = 1  # likewise of the other reels
DEMO_DAMAGE = DirtDamage(seed=1962, blobs_per_frame=12.0, hair_share=0.14, largest_px=34.0)


@dataclass(frozen=True)
class DemoFiles:
    """What the demo consists of.

    Attributes:
        reel: the dirty reel.
        truth: folder with what is true of it, and of the others.
        job: all of them in one job.
        others: the reels whose time, light, noise, surface or signal is to be put right.
    """

    reel: Path
    truth: Path
    job: Path
    others: tuple[Path, ...] = ()


def demo_folder() -> Path:
    """Where the demo is kept unless told otherwise."""
    return Path(platformdirs.user_data_dir("grevin")) / "demo"


def other_reels() -> tuple[TimeReel, ...]:
    """The demo's reels beside the first."""
    return (*time_reels(), *light_reels(), *noise_reels(), *fog_reels(), *surface_reels(), *tape_reels())


def demo_files(folder: Path) -> DemoFiles:
    """The demo's files in a folder."""
    return DemoFiles(folder / "port-ellery-reel.mkv", folder / "truth", folder / "port-ellery.grevin")


def make_demo(folder: Path, progress: Progress, frames: range | None = None, every: bool = False) -> DemoFiles:
    """Draw and damage the first reel unless that was done before, and list the others in the job.

    Args:
        folder: where to keep it.
        progress: one unit a frame.
        frames: only these frames of the reel (for tests); None for all.
        every: draw the other reels too, which otherwise waits until one is opened.
    """
    files = demo_files(folder)
    mark = files.truth / "made.json"
    wanted = {"version": DEMO_VERSION, "frames": None if frames is None else [frames.start, frames.stop]}
    if not (mark.exists() and json.loads(mark.read_text()) == wanted and files.reel.exists()):
        files.truth.mkdir(parents=True, exist_ok=True)
        mark.unlink(missing_ok=True)
        _draw(files, frames, progress)
        mark.write_text(json.dumps(wanted))
    files = replace(files, others=tuple(folder / f"{reel.name}.mkv" for reel in other_reels()))
    if every:
        for path in files.others:
            draw_where_missing(path, progress)
    _list_reels(files)
    return files


def _list_reels(files: DemoFiles) -> None:
    """A job with all reels; one of before gets those that came since."""
    paths = [files.reel, *files.others]
    if not files.job.exists():
        JobFile.create(files.job, Job(reels=tuple(Reel(id=n, path=str(path)) for n, path in enumerate(paths)))).close()
        return
    with closing(JobFile.open(files.job)) as job:
        known = {Path(reel.path).name for reel in job.document.reels}
        fresh = [path for path in paths if path.name not in known]
        if fresh:
            job.act("Reels of the demo that are new", job.document.with_added(fresh))


def draw_where_missing(path: Path, progress: Progress) -> None:
    """Draw one of the demo's other reels unless that was done before; any other path is left alone.

    Args:
        path: where the reel lies or is to lie, in the folder of a demo.
        progress: one unit a frame.
    """
    reel = next((one for one in other_reels() if f"{one.name}.mkv" == path.name), None)
    truth = path.parent / "truth" / f"{path.stem}.json"
    if reel is None or not truth.parent.is_dir():
        return
    wanted = {"version": OTHER_REELS_VERSION, **reel.truth}
    if not (path.exists() and truth.exists() and json.loads(truth.read_text()) == wanted):
        truth.unlink(missing_ok=True)
        _write(path, reel, progress)
        truth.write_text(json.dumps(wanted))


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
