"""One frame made anew between two good ones; shared by the steps that make frames."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.repeats import DIP, largest_change
from grevin.core.motion.between import Between, Side, bent, between, left_over
from grevin.core.motion.flow import Flow, Luma8, positions, sample
from grevin.core.picture.colour import Rgb, from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import values_in
from grevin.core.steps.evidence import Evidence
from grevin.core.steps.rebuild.ties import TieLine, tied
from grevin.core.steps.rebuild.trying import moved_share
from grevin.core.steps.seen import Reelwise, Window

Way = Literal["along motion", "mix", "hold"]
LONGEST_BENT = 6  # frames of a gap over which ways are bent: farther, what goes before says little of what comes
TIE_LEVELS = 1.0  # 8-bit levels by which the way of a tie line may fit worse than the one found and still goes first
TIE_EVEN_PX, TIE_MEDIAN_PX = 6.0, 15  # over which both are compared, and below which no piece goes a way of its own
HALF_TRUSTED = 0.5  # below it more of a place is the mix than what was moved
TOLD_SHARE = 0.005  # of the picture, from which a mix is told
GRAIN_SIGMA_PX = 1.0  # what is finer than this counts as grain
WIDE_SIGMA_PX = 2.5  # noise that is new on every pixel leaves a tenth of itself after a blur of this width
WIDE_SHARE = 0.4  # of the grain by which frames may differ widely
FEWEST_FLAT = 100  # flat places without which nothing tells grain from detail
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
LEAST_GRAIN = 0.25 / 255.0  # less is rounding
MOST_GRAIN = 3.0  # standard deviations: what lies off farther is no grain
# how far aside (down, right) grain is borrowed: not from the place itself, which would show it twice in a row
GRAIN_ASIDE_PX = ((17, 17), (-23, 11), (31, -19), (-13, -37), (41, 29), (-53, 47), (7, 61), (71, -5))


@dataclass(frozen=True)
class Gap:
    """Where a made frame lies.

    Attributes:
        before, after: the good frames around it; the same where there is one only.
        share: 0..1, where between them.
        two: whether the next frames outside these are good as well, and of the same shots.
    """

    before: int
    after: int
    share: float
    two: bool = False


@dataclass(frozen=True)
class Making:
    """How frames are made.

    Attributes:
        way: along the motion, a mix of both sides, or the nearer one held.
        grain: whether a made picture gets the fine noise of the nearer frame back.
        two_a_side: whether two good frames on each side are used, for the bend of the ways.
        ties: lines that lead the motion.
        reach_px: how far from them.
    """

    way: Way = "along motion"
    grain: bool = True
    two_a_side: bool = True
    ties: tuple[TieLine, ...] = ()
    reach_px: float = 24.0


def good_beside(reel: Reelwise, bad: npt.NDArray[np.bool_]) -> Callable[[int, int], bool]:
    """Tells whether a frame (the first number) exists, is good and lies in the shot of another."""
    return lambda number, beside: 0 <= number < len(reel) and not bad[number] and reel.same_shot(number, beside)


def gaps_for(run: range, length: int, joined: bool, good: Callable[[int, int], bool]) -> dict[int, Gap]:
    """For each frame of a run of bad ones the good frames around it; nothing where the whole reel is bad.

    Args:
        run: the bad frames.
        length: frames of the reel.
        joined: whether the good frames on both sides belong to one shot. Where they do not, a cut lies in the gap,
            nobody knows where: the first half holds what was before, the rest what comes.
        good: whether a frame (the first number) is good and of the shot of another.
    """
    before, after = run.start - 1, run.stop
    if before < 0 and after >= length:
        return {}
    if before < 0 or after >= length:
        held = after if before < 0 else before
        return {number: Gap(held, held, 0.0) for number in run}
    if not joined:
        middle = run.start + len(run) / 2
        return {number: Gap(*(2 * (before if number < middle else after,)), 0.0) for number in run}
    two = good(before - 1, before) and good(after + 1, after)
    return {number: Gap(before, after, (number - before) / (after - before), two) for number in run}


def made_frame(window: Window, gap: Gap, making: Making) -> Frame:
    """A frame in a gap; the window lies on any frame of the reel."""
    here = window.number
    nearer = gap.before if gap.share <= 0.5 else gap.after
    if gap.before == gap.after or making.way == "hold":
        return replace(window.frame(nearer - here), number=here, touched="everything")
    if making.way == "mix":
        one, other = window.rgb(gap.before - here), window.rgb(gap.after - here)
        picture = one * np.float32(1 - gap.share) + other * np.float32(gap.share)
    else:
        picture = made_between(window, gap, making).picture
    if making.grain:
        farther = gap.after if nearer == gap.before else gap.before
        picture = with_grain(picture, window.at(nearer - here), farther - nearer)
    frame = replace(window.frame(nearer - here), number=here)
    made = from_rgb(frame, picture)
    return made.rounded() if frame.is_native else made


def made_between(window: Window, gap: Gap, making: Making) -> Between:
    """The picture along the motion, without its grain, and where it is to be trusted; made once."""

    def make() -> Between:
        here = window.number
        first, last = window.at(gap.before - here), window.at(gap.after - here)
        over = gap.after - gap.before
        bends: tuple[Flow, Flow] | tuple[None, None] = (None, None)
        asked = gap.two and making.two_a_side and over <= LONGEST_BENT
        if asked and not _stands_still(first, last, over):
            bends = _bends(first, last, gap)
        one = _side(first, over, gap.share, bends[0], making)
        other = _side(last, -over, 1.0 - gap.share, bends[1], making)
        made = between(one, other, gap.share)
        moved = moved_share(first, last) if asked and not making.ties else 1.0
        return made if moved == 1.0 else _mixed_in(made, one.picture, other.picture, gap.share, moved)

    ties = "/".join(tie.model_dump_json() for tie in making.ties)
    name = f"between {gap} {making.two_a_side} {making.reach_px} {ties}"
    return window.keep(name, make, lambda made: made.picture.nbytes + made.trust.nbytes)


def _mixed_in(made: Between, one: Rgb, other: Rgb, share: float, moved: float) -> Between:
    """What was made along the motion, with that share of it and the plain mix for the rest."""
    mix = one * np.float32((1.0 - moved) * (1.0 - share)) + other * np.float32((1.0 - moved) * share)
    return Between(np.asarray(np.float32(moved) * made.picture + mix, np.float32), np.float32(moved) * made.trust)


def shown_gap(window: Window, gap: Gap, making: Making) -> Evidence:
    """Where a made frame is the plain mix, because the motion fails there."""
    shape = window.luma8(gap.before - window.number).shape
    if gap.before == gap.after or making.way == "hold":
        held = gap.before if gap.share <= 0.5 else gap.after
        return Evidence.nothing(shape, doubt=f"not made along the motion: frame {held} is held.")
    if making.way == "mix":
        return Evidence(np.ones(shape, np.bool_), words="The plain mix of both sides, as was asked for.")
    mixed = made_between(window, gap, making).trust < HALF_TRUSTED
    share = float(mixed.mean())
    words = f"{100 * share:.1f} % of the picture is a mix of both sides: the motion fails there."
    return Evidence(mixed, doubt=words if share >= TOLD_SHARE else "")


def _stands_still(first: Window, last: Window, over: int) -> bool:
    """Whether a frame beyond repeats the good one beside it: it tells nothing of how things move."""
    usual = largest_change(first.luma8(), first.luma8(over)) / over
    beyond = min(largest_change(one.luma8(), one.luma8(side)) for one, side in ((first, -1), (last, 1)))
    return beyond < DIP * usual


def _bends(first: Window, last: Window, gap: Gap) -> tuple[Flow, Flow]:
    """How far the ways of both sides depart from straight ones.

    Where something turns or slows down both say the same. Over a jump, as after a pause of the camera, they say the
    opposite, and where the camera trembles anything: the ways stay the straighter, the less both agree.
    """
    over = gap.after - gap.before
    there, back = first.motion(over, "far"), last.motion(-over, "far")
    one = bent(first.luma8(), first.luma8(-1), first.motion(-1, "glance"), there, float(over), gap.share)
    other = bent(last.luma8(), last.luma8(1), last.motion(1, "glance"), back, float(over), 1.0 - gap.share)
    return _as_agreed(one, sample(other, *positions(there))), _as_agreed(other, sample(one, *positions(back)))


def _as_agreed(bend: Flow, other: Flow) -> Flow:
    """(H, W, 2) the mean of both sides' bends as far as they agree: by three times their product over their squares."""
    product = bend[..., 0] * other[..., 0] + bend[..., 1] * other[..., 1]
    squares = np.square(bend).sum(axis=2) + np.square(other).sum(axis=2)
    agreed = np.clip(3 * product / np.maximum(squares, np.float32(1e-6)), 0, 1)
    return np.asarray((np.float32(0.5) * agreed)[..., None] * (bend + other), np.float32)


def _side(window: Window, over: int, share: float, bend: Flow | None, making: Making) -> Side:
    """A good frame beside a gap: how its pixels go until the moment.

    Args:
        window: on the good frame.
        over: frames to the good one on the other side, negative where that comes before.
        share: 0..1 of the gap, from here.
        bend: (H, W, 2) pixels by which the ways depart from straight ones; None for none.
        making: how, with the lines that lead them.
    """
    flow = window.motion(over, "far")
    way = np.asarray(np.float32(share) * flow if bend is None else np.float32(share) * flow + bend, np.float32)
    here, there = window.number, window.number + over
    led_flow, pull = tied(flow, making.ties, here, there, making.reach_px)
    if pull is None:
        return Side(window.rgb(), window.luma8(), flow, way)
    led_way, _ = tied(way, making.ties, here, here + share * over, making.reach_px)
    plain, led = (
        cv2.GaussianBlur(left_over(window.luma8(), window.luma8(over), found), (0, 0), TIE_EVEN_PX)
        for found in (flow, led_flow)
    )
    better = cv2.medianBlur((led < plain + TIE_LEVELS).astype(np.uint8), TIE_MEDIAN_PX)
    taken = np.where(better > 0, pull, np.float32(0))
    flow, way = (
        np.asarray(np.where(taken[..., None] > 0, tied_one, found), np.float32)
        for tied_one, found in ((led_flow, flow), (led_way, way))
    )
    return Side(window.rgb(), window.luma8(), flow, way, taken)


def with_grain(picture: Rgb, model: Window, other: int) -> Rgb:
    """A picture with as much fine noise as a real frame has: where it lacks some, the real one's is laid over it.

    An average of two frames has less grain than either; the made frame would look smooth between its neighbours. Only
    what is new with every frame is grain: fine texture goes along with the motion. It is what two good frames differ by
    along the motion between them, in flat places, where the motion is best found.

    Args:
        picture: (H, W, 3) float32 R'G'B', nominal 0..1, as made.
        model: on the good frame that is like it.
        other: frames from there to the good one on the other side.
    """
    moved = sample(model.rgb(other), *positions(model.motion(other, "far")))
    apart = np.asarray((model.rgb() - moved) * np.float32(np.sqrt(0.5)), np.float32)
    grain, flat = _fine(apart), _flat(model.luma8())
    flat &= _explained(apart, grain, flat)
    if np.count_nonzero(flat) < FEWEST_FLAT:
        return picture
    fine, there, made = (values_in(_fine(one), flat) for one in (model.rgb(), np.asarray(moved, np.float32), picture))
    variance = float(fine.var())
    renewed = min(_robust_variance(values_in(grain, flat)), _renewed_share(fine, there) * variance)
    lacking = min(renewed, variance - float(made.var()))
    if lacking <= LEAST_GRAIN**2:
        return picture
    held = np.clip(grain, -MOST_GRAIN * np.sqrt(renewed), MOST_GRAIN * np.sqrt(renewed))
    weight = np.float32(np.sqrt(lacking) / max(float(values_in(held, flat).std()), 1e-6))
    return np.asarray(picture + weight * _borrowed(np.asarray(held, np.float32), flat), np.float32)


def _explained(apart: Rgb, grain: Rgb, flat: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(H, W) bool, where the motion explains all but fine noise: what is left over widely is failed motion."""
    if not flat.any():
        return flat
    wide = np.maximum.reduce(cv2.split(np.abs(cv2.GaussianBlur(apart, (0, 0), WIDE_SIGMA_PX))))
    usual = np.sqrt(_robust_variance(values_in(grain, flat)))
    return np.asarray(wide < WIDE_SHARE * usual + LEAST_GRAIN, np.bool_)


def _robust_variance(values: npt.NDArray[np.float32]) -> float:
    """Variance from the median of what lies off: deaf to places where the motion fails."""
    return float(np.square(MAD_TO_SIGMA * np.median(np.abs(values))))


def _renewed_share(here: npt.NDArray[np.float32], there: npt.NDArray[np.float32]) -> float:
    """0..1, share of the fine part that does not come again on the other frame."""
    product = float((here * there).mean())
    return float(np.clip(1.0 - product / max(1e-12, float(np.sqrt((here**2).mean() * (there**2).mean()))), 0.0, 1.0))


def _borrowed(fine: Rgb, flat: npt.NDArray[np.bool_]) -> Rgb:
    """(H, W, 3) grain for every place, from flat places aside: the first of several displacements that leads to one."""
    height, width = flat.shape
    wanting = np.ones(flat.shape, np.bool_)
    origin = np.full(flat.shape, -1, np.int32)
    places = np.arange(height * width, dtype=np.int32).reshape(height, width)
    for down, across in GRAIN_ASIDE_PX:
        taken = wanting & np.roll(flat, (down, across), (0, 1))
        np.copyto(origin, np.roll(places, (down, across), (0, 1)), where=taken)
        wanting &= ~taken
    grain = fine.reshape(-1, fine.shape[2]).take(origin, axis=0)
    grain[wanting] = 0
    return np.asarray(grain, np.float32)


def _fine(picture: Rgb) -> Rgb:
    return np.asarray(picture - cv2.GaussianBlur(picture, (0, 0), GRAIN_SIGMA_PX), np.float32)


def _flat(luma: Luma8) -> npt.NDArray[np.bool_]:
    """Places without edges: the calmer half of those that are neither black nor white."""
    smooth = cv2.GaussianBlur(luma, (0, 0), 2.0)
    slope = cv2.morphologyEx(smooth, cv2.MORPH_GRADIENT, np.ones((5, 5), np.uint8))
    usable = (smooth > 24) & (smooth < 230)
    if not usable.any():
        return np.zeros(luma.shape, np.bool_)
    return np.asarray(usable & (slope <= np.median(slope[usable])))
