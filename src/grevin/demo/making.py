"""Making the demo: draw, damage, keep the truth, write the reel, set up a job. Done once."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import platformdirs

from grevin.core.job.document import Job, Reel
from grevin.core.job.job_file import JobFile
from grevin.core.media.writing import open_writer
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import Truth
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.demo.reel import DemoReel

DEMO_VERSION = 2  # raised when the reel's pictures change, so that an older one is drawn anew
DEMO_DAMAGE = DirtDamage(seed=1962, blobs_per_frame=12.0, hair_share=0.14, largest_px=34.0)


@dataclass(frozen=True)
class DemoFiles:
    """What the demo consists of."""

    reel: Path
    truth: Path
    job: Path


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
    if not files.job.exists():
        JobFile.create(files.job, Job(reels=(Reel(path=str(files.reel)),))).close()
    return files


def _draw(files: DemoFiles, frames: range | None, progress: Progress) -> None:
    reel = DemoReel()
    numbers = frames or range(len(reel))
    reel.frame(numbers[0])  # paints the scenery before several threads ask for it

    def make(number: int) -> tuple[Frame, Truth]:
        return DEMO_DAMAGE.add(reel.frame(number))

    progress.begin(len(numbers), "Drawing Port Ellery")
    writer = open_writer(files.reel, None, reel.format, numbers, overwrite=True)
    masks: list[npt.NDArray[np.uint8]] = []
    rows: list[dict[str, Any]] = []
    try:
        for number, (frame, truth) in zip(numbers, in_parallel(make, numbers), strict=True):
            writer.write(frame)
            masks.append(np.packbits(truth.mask))
            rows.extend({"frame": number - numbers.start, **asdict(mark)} for mark in truth.marks)
            progress.advance()
        writer.finish()
        writer.commit()
    except BaseException:
        writer.discard()
        raise
    np.savez_compressed(files.truth / "masks.npz", masks=np.stack(masks), shape=[reel.format.height, reel.format.width])
    shots = [n for n in reel.first_frames if n in numbers]
    (files.truth / "truth.json").write_text(json.dumps({"first_frames": shots, "dirt": rows}))
