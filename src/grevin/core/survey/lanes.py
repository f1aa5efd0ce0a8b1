"""Facts for every frame of a reel, filled in as they become known: what the survey measures, what steps found."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from grevin.core.survey.rows import Row

Frames = npt.NDArray[np.int64]
Curve = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Span:
    """Lowest and highest value of a curve in each of several runs of frames; NaN where nothing is known."""

    low: Curve
    high: Curve


class Lanes:
    """Curves over the frames of a reel, NaN where nothing is known yet. Filled by one thread, read by another.

    Attributes:
        curves: by name, each (N,) float32.
        cut: (N,) bool, frames before which there is a cut.
        looked: (N,) bool, frames that were measured, readable or not.
    """

    def __init__(self, length: int) -> None:
        self.curves: dict[str, Curve] = {}
        self.cut = np.zeros(length, np.bool_)
        self.looked = np.zeros(length, np.bool_)

    def __len__(self) -> int:
        return len(self.cut)

    def curve(self, name: str) -> Curve:
        """A curve to write to."""
        held = self.curves.get(name)
        if held is None:
            held = self.curves[name] = np.full(len(self), np.nan, np.float32)
        return held

    def take(self, names: list[str], row: Row, cuts: bool = True) -> None:
        """Enter what was measured of a frame; a pass that cannot see cuts says nothing of them."""
        if row.frame >= len(self):
            return
        for name, value in zip(names, row.values, strict=False):
            self.curve(name)[row.frame] = value
        if cuts:
            self.cut[row.frame] = row.cut
            self.looked[row.frame] = True

    def value(self, name: str, frame: int) -> float | None:
        """What is known of a frame."""
        held = self.curves.get(name)
        return None if held is None or np.isnan(held[frame]) else float(held[frame])

    def span(self, name: str, starts: Frames, stops: Frames) -> Span:
        """Peaks of a curve in rising runs of frames [start, stop), so that a single bad frame in two hours shows."""
        held = self.curves.get(name)
        if held is None or not len(starts):
            nothing = np.full(len(starts), np.nan, np.float32)
            return Span(nothing, nothing)
        part = held[: stops[-1]]
        return Span(np.fmin.reduceat(part, starts), np.fmax.reduceat(part, starts))

    def limits(self, name: str, least: float) -> tuple[float, float]:
        """Lowest and highest known value, at least `least` apart, so that a steady reel looks steady."""
        held = self.curves.get(name)
        known = held[~np.isnan(held)] if held is not None else np.zeros(0, np.float32)
        if known.size == 0:
            return 0.0, least
        low, high = float(known.min()), float(known.max())
        missing = max(0.0, least - (high - low))
        return low - missing / 2, high + missing / 2

    def cuts(self) -> list[int]:
        """First frames of shots, without frame 0."""
        return [int(frame) for frame in np.nonzero(self.cut)[0]]

    def cut_before(self, frame: int) -> bool | None:
        """Whether `frame` is the first of a shot; None while that is not measured."""
        return bool(self.cut[frame]) if self.looked[frame] else None

    @property
    def complete(self) -> bool:
        """Whether every frame was measured."""
        return bool(self.looked.all())

    def forget(self, name: str) -> None:
        """What was found before does not count any more."""
        self.curves.pop(name, None)
