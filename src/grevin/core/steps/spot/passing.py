"""Marks that come and go, or wander: a flare for a few seconds, a hair that slips through the gate.

They are learned as standing spots are, from what the picture shows at the same things on other frames; those on which
the mark is not there at all tell most. One shape, in a box that goes with the circle, and a strength for every frame.
What a flare adds is the same on dark and bright things, what a shadow takes is a share of them: what fits better holds.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.known import known_median
from grevin.core.motion.flow import Flow, positions
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.picture.masks import grow
from grevin.core.progress import Progress
from grevin.core.steps.spot.halves import smooth
from grevin.core.steps.spot.shadow import DARKEST, FEWEST_BESIDE, LEAST_PX, RING_PX, TOLD, stretched

FREE = 5  # frames before it comes and after it is gone that are asked first
MOST_FRAMES = 16
APART = (-6, -3, 3, 6)
FAR_FRAMES = 75  # farther ones show nothing of the same any more
ROUNDS = 4  # of shape and strengths, one from the other
LEAST_ADDED, LEAST_TAKEN = 2.0 / 255, 0.012  # of R'G'B', of the light: less is no mark
MOST_BESIDE = 0.12  # middle deviation of the logarithms of what lies round it
PLAIN_SHARE = 0.4  # of its greatest value, from which a mark is plain
STRENGTH_SPAN = 5  # looked-at frames over which strengths are evened out

Values = npt.NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Track:
    """A circle over the frames on which it holds.

    Attributes:
        corners: frame: left and top of its box.
        inside: (h, w) bool, what it covers in its box on any frame.
    """

    corners: dict[int, tuple[int, int]]
    inside: Mask

    @property
    def frames(self) -> list[int]:
        """In order."""
        return sorted(self.corners)


@dataclass(frozen=True, eq=False)
class Passing:
    """A mark that comes and goes.

    Attributes:
        track: where it lies.
        shape: (h, w, 3) float32, what it adds at its strongest: R'G'B', or the logarithm of the light.
        adds: whether it adds, or else takes or gives a share of the light.
        strength: for every frame of the track, 0..1.
        told: share of the circle that is known.
        there: whether there is one, and it could be told.
    """

    track: Track
    shape: Values
    adds: bool
    strength: dict[int, float]
    told: float
    there: bool


def tracks_of(wheres: dict[int, list[tuple[int, int, Mask]]]) -> list[Track]:
    """Circles followed over frames, by the place of their middles.

    Args:
        wheres: by frame, every piece of where a step may act: left, top and (h, w) bool of its box.
    """
    ways: list[dict[int, tuple[int, int, Mask]]] = []
    for number in sorted(wheres):
        free = [way for way in ways if number - 1 in way]
        for left, top, mask in wheres[number]:
            near = min(free, key=lambda way: _apart(way[number - 1], (left, top, mask)), default=None)
            if near is not None and _apart(near[number - 1], (left, top, mask)) < max(mask.shape):
                near[number] = (left, top, mask)
                free = [way for way in free if way is not near]
            else:
                ways.append({number: (left, top, mask)})
    return [_track(way) for way in ways]


def _apart(one: tuple[int, int, Mask], other: tuple[int, int, Mask]) -> float:
    (ax, ay), (bx, by) = ((x + m.shape[1] / 2, y + m.shape[0] / 2) for x, y, m in (one, other))
    return float(np.hypot(ax - bx, ay - by))


def _track(way: dict[int, tuple[int, int, Mask]]) -> Track:
    height = max(mask.shape[0] for _, _, mask in way.values())
    width = max(mask.shape[1] for _, _, mask in way.values())
    inside = np.zeros((height, width), np.bool_)
    corners = {}
    for number, (left, top, mask) in way.items():
        down, across = (height - mask.shape[0]) // 2, (width - mask.shape[1]) // 2
        inside[down : down + mask.shape[0], across : across + mask.shape[1]] |= mask
        corners[number] = (left - across, top - down)
    return Track(corners, inside)


def passing_of(
    track: Track, frames: range, rgb: Callable[[int], Rgb], flow: Callable[[int, int], Flow], progress: Progress
) -> Passing:  # fmt: skip
    """What a circle that comes and goes holds.

    Args:
        track: the circle.
        frames: of the shot.
        rgb: (H, W, 3) R'G'B' of a frame.
        flow: from a frame to another one, straight under all circles.
        progress: one unit a frame that is looked at.
    """
    held = track.frames
    numbers = [held[int(place)] for place in np.unique(np.linspace(0, len(held) - 1, MOST_FRAMES).astype(int))]
    progress.begin(len(numbers), "Learning marks that come and go")
    added: dict[int, Values] = {}
    share: dict[int, Values] = {}
    under: dict[int, Values] = {}  # what lies beneath it
    for number in numbers:
        pairs = [
            pair
            for other in _others(number, held, frames)
            if (pair := _compared(track, number, other, rgb(number), rgb(other), flow(number, other))) is not None
        ]
        progress.advance()
        if pairs:
            middles = (known_median(np.stack([pair[n] for pair in pairs])) for n in (0, 1, 2))
            added[number], share[number], under[number] = middles
    sums, shares = (_fitted(some, track) for some in (added, share))
    adds = _off(sums, added, under, adds=True) <= _off(shares, added, under, adds=False)
    best, least = (sums, LEAST_ADDED) if adds else (shares, LEAST_TAKEN)
    there = best.told >= TOLD and best.depth > least
    return Passing(track, best.shape, adds, _over_all(best.strength, held), best.told, there)


@dataclass(frozen=True, eq=False)
class _Fit:
    shape: Values
    strength: dict[int, float]
    told: float
    depth: float


def _off(fit: _Fit, added: dict[int, Values], under: dict[int, Values], adds: bool) -> float:
    """By how much the picture differs, in the middle, from what lies beneath with the mark over it."""
    left = []
    for number, most in fit.strength.items():
        there = most * fit.shape
        made = there if adds else under[number] * np.expm1(there)
        apart = np.abs(added[number] - made)
        left.append(apart[np.isfinite(apart)])
    return float(np.median(np.concatenate(left))) if left else np.inf


def _others(number: int, held: list[int], frames: range) -> list[int]:
    """Frames that are compared with one: those without the mark that are nearest, and some with it."""
    without = [
        *(held[0] - step for step in range(1, FREE + 1)), *(held[-1] + step for step in range(1, FREE + 1)),
    ]  # fmt: skip
    free = sorted((one for one in without if one in frames), key=lambda one: abs(one - number))[: FREE + 1]
    near = [number + apart for apart in APART if number + apart in frames]
    return [one for one in dict.fromkeys([*free, *near]) if abs(one - number) <= FAR_FRAMES]


def _compared(
    track: Track, number: int, other: int, here: Rgb, there: Rgb, way: Flow
) -> tuple[Values, Values, Values] | None:  # fmt: skip
    """(h, w, 3) what a circle has more than another frame shows of it, also as a logarithm, and what that one shows.

    NaN where it is not known.
    """
    shape = here.shape[:2]
    circle, theirs_circle = _laid(track, number, shape), _laid(track, other, shape)
    part = tuple(
        slice(max(0, place - RING_PX), min(size, place + long + RING_PX))
        for place, long, size in zip(track.corners[number][::-1], track.inside.shape, shape, strict=True)
    )
    inside = circle[part]
    if not inside.any():
        return None
    ring = grow(inside, RING_PX) & ~grow(inside, 2)
    ways = [way] if other in track.corners else [way, np.zeros_like(way)]
    met = [one for one in (_met(here, there, theirs_circle, one, part, ring) for one in ways) if one is not None]
    if not met:
        return None
    like, seen, _ = min(met, key=lambda one: one[2])
    moved = np.hypot(way[part][..., 0], way[part][..., 1]) > LEAST_PX
    good = seen & inside & (moved | (other not in track.corners))
    ours = here[part]
    found = []
    for apart in (ours - like, np.log(np.maximum(ours, 1e-3)) - np.log(np.maximum(like, 1e-3)), like):
        values = np.full((*track.inside.shape, 3), np.nan, np.float32)
        rows, columns = np.nonzero(good)
        x, y = track.corners[number]
        values[rows + part[0].start - y, columns + part[1].start - x] = apart[rows, columns]
        found.append(values)
    return found[0], found[1], found[2]


def _met(
    here: Rgb, there: Rgb, circle: Mask, way: Flow, part: tuple[slice, ...], ring: Mask
) -> tuple[Rgb, Mask, float] | None:  # fmt: skip
    """What another frame shows there, in the light of this one; where that is told; how far its surroundings are off.

    None where they are too far off.
    """
    across, down = (place[part] for place in positions(way))
    theirs = cv2.remap(there, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    hidden = cv2.remap(
        circle.view(np.uint8), across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=1
    )
    ours = here[part]
    seen = (hidden == 0) & (np.minimum(theirs, ours).min(axis=2) > DARKEST)
    beside = np.log(ours[ring & seen]) - np.log(theirs[ring & seen])
    if len(beside) < FEWEST_BESIDE:
        return None
    usual = np.median(beside, axis=0)  # the light may have changed
    off = float(np.median(np.abs(beside - usual)))
    return None if off >= MOST_BESIDE else (theirs * np.exp(usual), seen, off)


def _laid(track: Track, number: int, shape: tuple[int, ...]) -> Mask:
    """(H, W) bool, the circle on a frame; nothing where it does not hold."""
    mask = np.zeros(shape[:2], np.bool_)
    if number in track.corners:
        rows, columns, own = placed(track.corners[number], track.inside.shape, shape)
        mask[rows, columns] = track.inside[own]
    return mask


def placed(
    corner: tuple[int, int], size: tuple[int, ...], shape: tuple[int, ...]
) -> tuple[slice, slice, tuple[slice, slice]]:  # fmt: skip
    """Rows and columns of a box in a picture, and the part of the box that lies in it."""
    (x, y), (tall, wide), (height, width) = corner, size[:2], shape[:2]
    top, bottom = min(max(0, y), height), min(max(0, y + tall), height)
    left, right = min(max(0, x), width), min(max(0, x + wide), width)
    return slice(top, bottom), slice(left, right), (slice(top - y, bottom - y), slice(left - x, right - x))


def _fitted(found: dict[int, Values], track: Track) -> _Fit:
    """One shape and a strength for each frame, each fitted to the other in turn."""
    shape = np.zeros((*track.inside.shape, 3), np.float32)
    if not found:
        return _Fit(shape, {}, 0.0, 0.0)
    stack = np.stack(list(found.values()))
    known = np.isfinite(stack[..., 0]).sum(axis=0) > 0
    told = known & track.inside
    strengths = np.ones(len(stack))
    for _ in range(ROUNDS):
        strong = strengths > 0.3 * strengths.max()
        made = known_median((stack[strong] / strengths[strong][:, None, None, None]).astype(np.float32))
        shape = np.where(told[..., None], smooth(np.nan_to_num(made), told), np.float32(0))
        strengths = np.array([_strength(one, shape) for one in stack])
        strengths = np.maximum(strengths / max(float(np.max(strengths)), 1e-6), 0.0)
    share = float(told.sum() / max(1, track.inside.sum()))
    if (track.inside & ~told).any() and told.any():
        shape = stretched(_with_rim(shape), _rimmed(track.inside & ~told))[1:-1, 1:-1]
    depth = float(np.percentile(np.abs(shape.mean(axis=2))[told], 90)) if told.any() else 0.0
    return _Fit(shape, dict(zip(found, _evened(strengths), strict=True)), share, depth)


def _strength(one: Values, shape: Values) -> float:
    """Of a frame, by the middle of its places where the mark is plain: what moves there has no say."""
    plain = np.isfinite(one) & (np.abs(shape) > PLAIN_SHARE * np.abs(shape).max())
    return float(np.median(one[plain] / shape[plain])) if plain.any() else 0.0


def _evened(strengths: npt.NDArray[np.float64]) -> list[float]:
    """Without single frames that say something else."""
    half = STRENGTH_SPAN // 2
    padded = np.pad(strengths, half, mode="edge")
    middle = [float(np.median(padded[place : place + STRENGTH_SPAN])) for place in range(len(strengths))]
    return middle if len(strengths) > STRENGTH_SPAN else strengths.tolist()


def _with_rim(shape: Values) -> Values:
    """The shape with nothing round it: a mark ends where its circle does."""
    return np.pad(shape, ((1, 1), (1, 1), (0, 0)))


def _rimmed(mask: Mask) -> Mask:
    return np.pad(mask, 1)


def _over_all(strengths: dict[int, float], held: list[int]) -> dict[int, float]:
    """A strength for every frame, evenly between those that were looked at."""
    if not strengths:
        return dict.fromkeys(held, 0.0)
    values = np.interp(held, list(strengths), list(strengths.values()))
    return dict(zip(held, map(float, values), strict=True))


def packed(marks: list[Passing]) -> dict[str, npt.NDArray[np.float64]]:
    """As arrays that are kept."""
    heads = [[*one.track.inside.shape, one.adds, one.told, one.there] for one in marks]
    rows = [
        [place, number, *one.track.corners[number], one.strength[number]]
        for place, one in enumerate(marks)
        for number in one.track.frames
    ]
    shapes = [np.concatenate([one.shape, one.track.inside[..., None]], axis=2).ravel() for one in marks]
    return {
        "passing": np.array(heads, np.float64).reshape(-1, 5),
        "passing_rows": np.array(rows, np.float64).reshape(-1, 5),
        "passing_shapes": np.concatenate(shapes).astype(np.float64) if shapes else np.zeros(0),
    }


def unpacked(study: dict[str, npt.NDArray[np.float64]]) -> list[Passing]:
    """What was kept."""
    found, begin = [], 0
    for place, (height, width, adds, told, there) in enumerate(study["passing"]):
        end = begin + 4 * int(height) * int(width)
        both = study["passing_shapes"][begin:end].reshape(int(height), int(width), 4)
        rows = study["passing_rows"][study["passing_rows"][:, 0] == place]
        corners = {int(number): (int(x), int(y)) for _, number, x, y, _ in rows}
        strength = {int(number): float(value) for _, number, _, _, value in rows}
        track = Track(corners, both[..., 3] > 0)
        shape = np.asarray(both[..., :3], np.float32)
        found.append(Passing(track, shape, bool(adds), strength, float(told), bool(there)))
        begin = end
    return found
