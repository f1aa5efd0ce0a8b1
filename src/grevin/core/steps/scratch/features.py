"""What tells a scratch from an upright thing of the picture.

A scratch stays while the picture moves beneath it; the picture shines through, so what crosses it goes on left and
right of it; its flanks agree; it wanders by itself. A mast moves with the picture, and hides what is behind it.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.steps.scratch.company import Company
from grevin.core.steps.scratch.paths import MOST_STRENGTH, Path
from grevin.core.steps.scratch.responses import FLANKS, WIDTHS, Map
from grevin.core.steps.scratch.sight import CELL_PX, Sight

FEATURES = (
    "own strength", "strength over time", "length", "score", "at rest", "along the motion", "rest less motion",
    "motion tells", "jitter", "tilt", "width", "flanks apart", "shines through", "flanks alike", "texture left",
    "steady depth", "clipped", "other ways beside", "other polarity beside", "near the border",
    "in company", "own way", "goes at all", "company told",
)  # fmt: skip
AWAY = (-8, -4, -2, 2, 4, 8)  # frames at which it is looked whether a line is still there
TOLERANCE_PX, TOLERANCE_GROWS_PX = 1.0, 0.55  # aside, and times the root of the frames: so far a scratch wanders
BESIDE_PX = (16, 32, 48)  # from the line, where motion is read: on it flow sticks to the line
NEIGHBOURS_PX = 60.0
RIM_PX = 24.0
BLACK, WHITE = 4.0, 248.0  # 8-bit levels at which nothing shines through

Values = npt.NDArray[np.float64]


def features_of(
    place: int, sights: list[Sight], path: Path, dark: bool, others: list[Path], company: Company
) -> Values:  # fmt: skip
    """(F,) measures of a line, in the order of `FEATURES`.

    Args:
        place: of its frame in the stretch.
        sights: of the stretch.
        path: the line.
        dark: its polarity.
        others: all lines of its frame.
        company: of the same stretch.
    """
    sight = sights[place]
    response = sight.of(dark)
    bands, across = path.bands, np.clip(np.rint(path.across).astype(int), 0, response.strength.shape[1] - 1)
    width = int(np.bincount(response.width[bands, across], minlength=len(WIDTHS)).argmax())
    channel = int(np.bincount(response.channel[bands, across], minlength=3).argmax())
    rest, moved, tells = _seen_elsewhere(place, sights, path, dark)
    total, size = response.strength.shape
    other = sight.of(not dark).strength
    beside = [np.clip(across + by, 0, size - 1) for by in (-6, -5, -4, 4, 5, 6)]
    middle = float(across.mean())
    slope = np.polyfit(path.bands, path.across, 1)[0] if len(across) > 2 else 0.0
    near = sum(abs(one.middle - middle) < NEIGHBOURS_PX for one in others if one is not path)
    return np.array([
        path.own, path.score / len(bands), len(bands) / total, np.sqrt(path.score), rest, moved, rest - moved, tells,
        float(np.abs(np.diff(path.across, 2)).mean()) if len(across) > 2 else 0.0, abs(float(slope)), float(width),
        *_profile(sight.channels[channel], path, WIDTHS[width]), float(near),
        float(np.max([other[bands, at].mean() for at in beside])),
        float(min(middle, size - middle) < RIM_PX), *company.measures(place, path, channel),
    ])  # fmt: skip


def width_and_channel(sight: Sight, path: Path, dark: bool) -> tuple[int, int]:
    """Width of a line in px, and place of the channel that it shows most in."""
    response = sight.of(dark)
    across = np.clip(np.rint(path.across).astype(int), 0, response.strength.shape[1] - 1)
    width = int(np.bincount(response.width[path.bands, across], minlength=len(WIDTHS)).argmax())
    return WIDTHS[width], int(np.bincount(response.channel[path.bands, across], minlength=3).argmax())


def _seen_elsewhere(place: int, sights: list[Sight], path: Path, dark: bool) -> tuple[float, float, float]:
    """How strong it is on other frames at the same place, and where the picture went; and how much that tells."""
    rests, goes, told = [], [], []
    forth = _accumulated(place, sights, path)
    for away in AWAY:
        if not 0 <= place + away < len(sights):
            continue
        strength = sights[place + away].of(dark).strength
        reach = round(TOLERANCE_PX + TOLERANCE_GROWS_PX * np.sqrt(abs(away)))
        rests.append(_strongest(strength, path.bands, path.across, reach))
        apart = forth[away]
        far = np.abs(apart) > reach + 3
        told.append(float(far.mean()))
        if far.any():
            goes.append(_strongest(strength, path.bands[far], path.across[far] + apart[far], reach))
    rest = float(np.mean(rests)) if rests else 0.0
    return rest, float(np.mean(goes)) if goes else rest, float(np.mean(told)) if told else 0.0


def _accumulated(place: int, sights: list[Sight], path: Path) -> dict[int, Values]:
    """(N,) px to the right that the picture beside the line moves to each of the frames around."""
    first, last = max(0, place - max(AWAY)), min(len(sights) - 1, place + max(AWAY))
    steps = _beside([one.moves for one in sights[first:last]], path)  # from each frame to the next
    ahead, back = np.cumsum(steps[place - first :], axis=0), np.cumsum(-steps[: place - first][::-1], axis=0)
    return {side * (away + 1): ways[away] for side, ways in ((1, ahead), (-1, back)) for away in range(len(ways))}


def _beside(moves: list[Map], path: Path) -> Values:
    """(F, N) motion left and right of the line, the median of several places, on each of the frames."""
    if not moves:
        return np.zeros((0, len(path.bands)))
    aside = np.array([side * px for px in BESIDE_PX for side in (-1, 1)])
    cells = np.clip((path.across + aside[:, None]) / CELL_PX, 0, moves[0].shape[1] - 1).astype(int)
    return np.asarray(np.median(np.stack(moves)[:, path.bands, cells], axis=1), np.float64)


def _strongest(strength: Map, bands: npt.NDArray[np.int64], across: Values, reach: int) -> float:
    """Mean over bands of the greatest strength within some px."""
    at = np.rint(across).astype(int)[:, None] + np.arange(-reach, reach + 1)[None, :]
    inside = (at >= 0) & (at < strength.shape[1])
    values = np.where(inside, strength[bands[:, None], np.clip(at, 0, strength.shape[1] - 1)], 0.0)
    return float(np.minimum(values.max(axis=1), MOST_STRENGTH).mean())


def _profile(channel: Map, path: Path, width: int) -> tuple[float, float, float, float, float, float]:
    """Flanks apart, shines through, flanks alike, texture left, steady depth, clipped: of the rows along a line."""
    gap, flank = FLANKS[width]
    rows, centre = path.middles(channel.shape[0])
    half = (width - 1) // 2

    def mean(low: int, high: int) -> Values:
        at = np.clip(centre[:, None] + np.arange(low, high + 1)[None, :], 0, channel.shape[1] - 1)
        return np.asarray(channel[rows[:, None], at].mean(axis=1), np.float64)

    middle = mean(-half, half)
    left, right = mean(-half - gap - flank, -half - gap - 1), mean(half + gap + 1, half + gap + flank)
    around = 0.5 * (left + right)
    depth = middle - around
    size = abs(float(depth.mean())) + 1e-3
    rough = [value - _slow(value) for value in (middle, around, left, right)]
    return (
        float(np.abs(left - right).mean()) / size, _likeness(rough[0], rough[1]), _likeness(rough[2], rough[3]),
        float(np.log((rough[0].std() + 0.3) / (rough[1].std() + 0.3))), size / (float(depth.std()) + 0.5),
        float(((middle > WHITE) | (middle < BLACK)).mean() - ((around > WHITE) | (around < BLACK)).mean()),
    )  # fmt: skip


def _slow(values: Values) -> Values:
    kernel = np.ones(min(9, len(values)))
    return np.asarray(np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same"))


def _likeness(one: Values, other: Values) -> float:
    spread = float(one.std() * other.std())
    return float(((one - one.mean()) * (other - other.mean())).mean()) / spread if spread > 1e-6 else 0.0
