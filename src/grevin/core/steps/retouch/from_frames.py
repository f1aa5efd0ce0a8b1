"""Filling a stroke from other frames: each is laid on by the motion, or as it stands, whichever fits its rim better."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.errors import UnreadableFrameError
from grevin.core.motion.flow import Flow, MotionQuality, outside, straightened
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.steps.retouch.rim import middle
from grevin.core.steps.seen import Window

BENT_PX = 6  # round a stroke, where its damage bends the motion
LEAST_VARIANCE = (1.0 / 255) ** 2  # of one 8-bit level, as for dirt
ERROR_POWER = 1.5  # weight of a frame falls with the variance on the rim to this power, as for dirt
UNSEEN = 1e3  # a frame that does not show a place is worse than any variance
AGREE = 4.0  # times their differences on the rim: farther apart, two frames show two things and the better one is taken
AROUND_PX = 24  # of a stroke, whose motion as a whole is one of the ways in which a frame is laid on
GRID_PX, FEWEST = 4, 30  # every so-manieth pixel of it is looked at, and so many at least
ROUNDS, TRIMMED = 3, 0.7  # of the fit, and the share of it that is to agree

LEAST_TURN = 1e-6  # keeps the fit solvable where all that is clean lies on one line

Places = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Offer:
    """What one frame offers.

    Attributes:
        fill: (h, w, 3) R'G'B', laid on.
        seen: (h, w) bool, where it lies inside its picture.
        variance: of its differences on the ring, without those of its levels.
    """

    fill: Rgb
    seen: Mask
    variance: float


class OtherFrames:
    """Frames around one that is mended, and the motion to them where strokes do not bend it."""

    def __init__(self, window: Window, damaged: Mask) -> None:
        self._window = window
        self._clean = ~grow(damaged, BENT_PX)

    def _flow(self, offset: int, part: tuple[slice, ...]) -> Flow:
        """(h, w, 2) to a frame, of a part of the picture: nothing farther away has a say in it."""
        quality: MotionQuality = "fine" if abs(offset) == 1 else "far"
        return straightened(self._window.motion(offset, quality)[part], ~self._clean[part])

    def rgb(self, offset: int) -> Rgb | None:
        """(H, W, 3) of a frame; None where it cannot be read."""
        try:
            return self._window.rgb(offset)
        except UnreadableFrameError:
            return None

    def offer(
        self, offset: int, box: tuple[slice, slice], ring: Mask, start: npt.NDArray[np.float64]
    ) -> Offer | None:  # fmt: skip
        """What a frame offers for a box.

        Args:
            offset: of the frame.
            box: rows and columns.
            ring: (h, w) bool, by which it is judged.
            start: (2,) px right and down, where a shape that a person moved or that follows has gone.
        """
        theirs = self.rgb(offset)
        if theirs is None:
            return None
        picture = self._window.rgb()
        part = tuple(
            slice(max(0, one.start - AROUND_PX), min(size, one.stop + AROUND_PX))
            for one, size in zip(box, self._clean.shape, strict=True)
        )
        flow = self._flow(offset, part)
        own = tuple(slice(one.start - wide.start, one.stop - wide.start) for one, wide in zip(box, part, strict=True))
        down, across = np.mgrid[box].astype(np.float32)
        shifts = [flow[own], np.broadcast_to(start.astype(np.float32), (*ring.shape, 2))]
        whole = _as_a_whole(flow, self._clean[part], own)
        shifts += [] if whole is None else [whole]
        ways = [(across + shift[..., 0], down + shift[..., 1]) for shift in shifts]
        return _best(picture[box], theirs, ring, ways)


def _best(here: Rgb, theirs: Rgb, ring: Mask, ways: list[tuple[Places, Places]]) -> Offer:
    """Of several ways of laying a frame on, what fits the ring best."""
    offers = []
    for across, down in ways:
        fill = cv2.remap(theirs, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        seen = ~outside(across, down, theirs.shape[:2])
        told = ring & seen
        apart = (here - fill)[told]
        variance = float(np.square(apart - middle(apart)).mean()) if len(apart) else 1.0
        offers.append(Offer(np.asarray(fill, np.float32), seen, variance))
    return min(offers, key=lambda offer: offer.variance)


def _as_a_whole(flow: Flow, clean: Mask, box: tuple[slice, ...]) -> Flow | None:
    """(h, w, 2) the one affine move that the motion round a box agrees on; None where too little of it is clean."""
    down, across = np.nonzero(clean[::GRID_PX, ::GRID_PX])
    down, across = down * GRID_PX, across * GRID_PX
    if len(down) < FEWEST:
        return None
    terms = np.stack([across, down, np.ones_like(across)], axis=1).astype(np.float64)
    ways = flow[down, across].astype(np.float64)
    weights = np.ones(len(down))
    for _ in range(ROUNDS):  # least trimmed squares: what moves by itself is left out
        weighted = terms.T * weights
        move = np.linalg.solve(weighted @ terms + LEAST_TURN * np.eye(3), weighted @ ways)
        error = np.square(ways - terms @ move).sum(axis=1)
        place = int(TRIMMED * len(error))
        weights = (error <= np.partition(error, place)[place]).astype(np.float64)
    rows, columns = np.mgrid[box].astype(np.float64)
    return np.asarray(np.stack([columns, rows, np.ones_like(rows)], axis=-1) @ move, np.float32)


def mixed(offers: list[Offer], inside: Mask, level: Callable[[Rgb], Rgb]) -> tuple[Rgb, Mask]:
    """(h, w, 3) what several frames offer together, brought to the levels round it; (h, w) bool where one shows it."""
    seen = np.logical_or.reduce([offer.seen for offer in offers])
    offers = [replace(offer, fill=level(offer.fill)) for offer in offers]
    if len(offers) == 1:
        return offers[0].fill, seen
    if _differ(offers, inside):
        better, other = sorted(offers, key=lambda offer: offer.variance + UNSEEN * float((inside & ~offer.seen).mean()))
        return np.where(better.seen[..., None], better.fill, other.fill), seen
    weights = [
        np.float32((offer.variance + LEAST_VARIANCE) ** -ERROR_POWER) * (offer.seen + np.float32(1e-6))
        for offer in offers
    ]
    total = np.sum(weights, axis=0)
    mix = np.sum(
        [(weight / total)[..., None] * offer.fill for weight, offer in zip(weights, offers, strict=True)], axis=0
    )
    return np.asarray(mix, np.float32), seen


def _differ(offers: list[Offer], inside: Mask) -> bool:
    """Whether two frames show different things under the stroke."""
    first, second = offers
    both = inside & first.seen & second.seen
    if not both.any():
        return False
    apart = (first.fill - second.fill)[both]
    return float(np.square(apart).mean()) > AGREE**2 * (first.variance + second.variance + LEAST_VARIANCE)
