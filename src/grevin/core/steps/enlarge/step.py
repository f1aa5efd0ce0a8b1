"""Enlarges the picture for a modern delivery: twice to four times, or to a height, with square pixels, sampled once.

A network, trained on photographs that were brought down and worn as film and tape are, tells what a plain
enlargement lacks; it is told how much noise the shot has and whether a codec left its blocks. What it makes is brought
down again and compared with the source, and what is missing is given back: by default the result at the source's size
is the source, grain and all, and nothing is invented that the source contradicts. Colour is interpolated, on the sites
of its samples. Quickly, a smaller network does it, each frame alone. Along edges nothing is learned: it
is a published interpolation in the direction that changes least, held to the source in the same manner. Interlaced
pictures are refused: bring them to whole frames first.

A network fills in what photographs usually look like. It may sharpen what was never sharp; it is no evidence of what a
sign said or whose a face was. The evidence shows where the result leaves plain interpolation, and by how much.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import ClassVar

import numpy as np

from grevin.core.errors import SettingsError
from grevin.core.measure.area import Box
from grevin.core.memory import check_memory
from grevin.core.motion.meaning import Around, Comparing, meaned
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.levels import Plane, levels_of
from grevin.core.picture.resampling import KERNELS
from grevin.core.picture.scaling import scaled
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.enlarge.along_edges import doubled_along_edges
from grevin.core.steps.enlarge.making import How, brightness, doubled, finished, rounding_of, with_brightness
from grevin.core.steps.enlarge.measuring import known_of, measured
from grevin.core.steps.enlarge.network import Known, Network
from grevin.core.steps.enlarge.part import Part
from grevin.core.steps.enlarge.settings import FOUND, LARGEST_PX, EnlargeSettings
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.ways import ways

# of the result, measured at 2 and 4 times the size: 35 to 61 by planes, 112 to 121 of R'G'B', plainly 14 of that
BYTES_A_PIXEL, PLAIN_BYTES_A_PIXEL = {"yuv": 60, "grey": 60, "rgb": 120}, 14
HUNDREDTH, PERCENT = 0.01, 100.0
RESIDUE = 0.7  # share of what a codec left that is not carried over: between the most dB and the least lost detail
SOFT = 0.62  # of lines and columns that carry the detail: a word is worth it from a size of five eighths
NOISE_WORTH_A_WORD = 0.5  # 8-bit levels
SAME_LEVELS = 2.0  # by which frames differ that show the same thing: tried by hand on clips, 1 is less steady


class EnlargeStep:
    """See the module."""

    id: ClassVar[str] = "enlarge"
    label: ClassVar[str] = "Enlarge"
    fault: ClassVar[str] = "Delivery asks for more lines than there are"
    version: ClassVar[int] = 6
    family: ClassVar[Family] = "shape"
    stage: ClassVar[Stage] = "size"
    settings_model: ClassVar[type[Settings]] = EnlargeSettings

    def reach(self, settings: EnlargeSettings) -> int:
        """Frames that what was learned is averaged over."""
        return settings.reach_frames if settings.way == "learned" and settings.speed == "full" else 0

    def learn(self, shot: Shotwise, settings: EnlargeSettings, progress: Progress) -> Arrays:
        """How noisy and how worn a shot is; nothing for plain ways."""
        if settings.way != "learned":
            return {}
        return shot.kept("noise, wear and detail", lambda: measured(shot, progress))

    def new_format(self, fmt: PictureFormat, settings: EnlargeSettings) -> PictureFormat:
        """The format of the output."""
        across, down = fmt.chroma_ratio
        height = settings.height or fmt.height * settings.factor
        square = settings.pixels == "square"
        shape = fmt.pixel_aspect if square else Fraction(1)
        width = round(fmt.width * shape * height / (fmt.height * across)) * across
        height = max(down, height // down * down) if settings.height else height
        aspect = Fraction(1) if square else fmt.pixel_aspect
        return replace(fmt, width=max(across, width), height=height, pixel_aspect=aspect)

    def geometry(self, fmt: PictureFormat, number: int, settings: EnlargeSettings) -> Geometry:
        """Where the larger picture's pixels lie in the smaller one."""
        new = self.new_format(fmt, settings)
        x, y = fmt.width / new.width, fmt.height / new.height
        return Geometry(np.array([[x, 0.0, (x - 1) / 2], [0.0, y, (y - 1) / 2]]))

    def reshape(self, window: Window, number: int, settings: EnlargeSettings) -> Frame:
        """The frame at its new size; itself where that is its own.

        Raises:
            SettingsError: if the picture is interlaced, or the output would be too large.
            NoMemoryError: if there is no memory for it.
            GrevinError: if the network is not to be had.
        """
        frame, fmt = window.frame(), self.new_format(window.format, settings)
        if fmt == frame.format:
            return frame
        self._refuse(frame.format, fmt, settings)
        large = scaled(frame, fmt, KERNELS["cubic" if settings.way == "cubic" else "lanczos"])
        if not _adds(settings) or _is_smaller(frame.format, fmt):
            return large
        small = brightness(levels_of(frame), frame.format)
        part = Part.whole(small.shape, (fmt.height, fmt.width))
        twice = self._steadied(window, settings) if self.reach(settings) else self._twice(window, settings)
        return with_brightness(large, finished(small, twice, part, self._how(window, settings)))

    def drafts(self, settings: EnlargeSettings) -> bool:
        """Whether a draft comes sooner than the picture itself: plain ways are quick enough."""
        return _adds(settings)

    def draft(self, window: Window, number: int, settings: EnlargeSettings, seen: Box) -> Frame:
        """The frame in a hurry: plain, but for what is seen of it, which is as it will be but for the steadying.

        Raises:
            SettingsError, GrevinError: as `reshape`.
        """
        frame, fmt = window.frame(), self.new_format(window.format, settings)
        if fmt == frame.format or not _adds(settings) or _is_smaller(frame.format, fmt):
            return self.reshape(window, number, settings)
        self._refuse(frame.format, fmt, settings)
        large = scaled(frame, fmt)
        made, small = brightness(levels_of(large), fmt).copy(), brightness(levels_of(frame), frame.format)
        lines, columns = range(seen.y, seen.y + seen.height), range(seen.x, seen.x + seen.width)
        part = Part.seen(small.shape, made.shape, lines, columns)
        given = part.given(small)
        own = finished(given, self._doubled(given, window, settings), part, self._how(window, settings))
        made[lines.start : lines.stop, columns.start : columns.stop] = part.wanted(own)
        return with_brightness(large, made)

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What is reckoned with in a shot, in words."""
        if "noise" not in study:
            return ()
        noise, worn = float(study["noise"]), float(study["worn"])
        said = [
            f"Noise of {noise:.1f} levels is reckoned with."
            if noise >= NOISE_WORTH_A_WORD
            else "Next to no noise was measured."
        ]
        if worn > HUNDREDTH:
            said.append(
                f"Blocks of a codec show: {RESIDUE * worn:.0%} of noise and residue is left out, unless “Noise left "
                "out” says otherwise. Compression residue, before this step, does more."
            )
        if float(study["carried"].max()) <= SOFT:
            lines = float(study["carried"].max()) * float(study["lines"])
            said.append(
                f"{lines:.0f} lines would carry this shot's detail: it was enlarged before, from as many or fewer, or "
                "it is soft. Bring it down to what it was (Enlarge, to fewer lines) before this step: the network then "
                "has more to go by."
            )
        return tuple(said)

    def _steadied(self, window: Window, settings: EnlargeSettings) -> Plane:
        """(2 H, 2 W) brightness at twice its size, in the mean over frames around where they show the same thing."""
        own = self._twice(window, settings)
        flows = ways(window, settings.reach_frames, lambda offset, side: window.at(offset).motion(side, "steady"))
        others = (Around([self._twice(window.at(offset), settings)], flow, abs(offset)) for offset, flow in flows)
        same = np.full_like(own, max(self._known(window, settings).noise, SAME_LEVELS))
        return meaned([own], others, [same], [Comparing()])[0].plane

    def _twice(self, window: Window, settings: EnlargeSettings) -> Plane:
        """(2 H, 2 W) brightness at twice its size, of the frame alone."""
        how = f"{self._known(window, settings)} {settings.amount} {settings.speed}"
        name = f"doubled {self.version} {settings.way} {how if settings.way == 'learned' else ''}"
        luma = brightness(levels_of(window.frame()), window.format)
        return window.keep(name, lambda: self._doubled(luma, window, settings), lambda made: made.nbytes)

    def _doubled(self, luma: Plane, window: Window, settings: EnlargeSettings) -> Plane:
        if settings.way == "edges":
            return doubled_along_edges(luma)
        return doubled(luma, self._known(window, settings), settings.amount, _network(settings))

    def _how(self, window: Window, settings: EnlargeSettings) -> How:
        """How what was doubled is brought to its size."""

        def again(made: Plane) -> Plane:
            if settings.way == "edges":
                return doubled_along_edges(made)
            return doubled(made, Known(), settings.amount, _network(settings))

        return How(
            again, self._left_out(window, settings), rounding_of(window.format), settings.overshoot_pct / PERCENT
        )

    def bytes_to_make(self, fmt: PictureFormat, settings: EnlargeSettings) -> int:
        """About how much memory one picture takes while it is made."""
        new = self.new_format(fmt, settings)
        each = BYTES_A_PIXEL[fmt.model] if _adds(settings) and not _is_smaller(fmt, new) else PLAIN_BYTES_A_PIXEL
        return new.width * new.height * each

    def _refuse(self, old: PictureFormat, new: PictureFormat, settings: EnlargeSettings) -> None:
        """Say what cannot be enlarged."""
        if old.field_order in {"top_first", "bottom_first"}:
            raise SettingsError(
                "An interlaced picture cannot be enlarged: its two fields show two moments.",
                "Put the step Fields before it, or declare the reel progressive where it is.",
            )
        if max(new.width, new.height) > LARGEST_PX:
            raise SettingsError(
                f"The picture would be {new.width} x {new.height} px.", f"{LARGEST_PX} px a side are the most."
            )
        check_memory(new, self.bytes_to_make(old, settings))

    def _left_out(self, window: Window, settings: EnlargeSettings) -> float:
        """Share of noise and residue that is not carried over."""
        if settings.way != "learned":
            return 0.0
        return RESIDUE * known_of(window.study()).worn if settings.noise < 0 else settings.noise

    def _known(self, window: Window, settings: EnlargeSettings) -> Known:
        if settings.way != "learned":
            return Known()
        found = known_of(window.study())
        noise = found.noise if settings.noise_levels == FOUND else settings.noise_levels
        return replace(found, noise=noise, blur=settings.sharpness_px)


def _adds(settings: EnlargeSettings) -> bool:
    """Whether more than interpolation is asked for."""
    return settings.way == "edges" or (settings.way == "learned" and settings.amount > 0)


def _network(settings: EnlargeSettings) -> Network:
    return Network.QUICK if settings.speed == "quick" else Network.FULL


def _is_smaller(old: PictureFormat, new: PictureFormat) -> bool:
    return new.width <= old.width and new.height <= old.height
