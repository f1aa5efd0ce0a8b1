"""Capture sets: several pictures of each film frame, by a camera that trembles, divided anew by `pick`.

Film has grain, another one on each of its frames and the same on all captures of one. Without it two frames of a slow
pan differ by no more than two captures; both are measured.
"""

from __future__ import annotations

from functools import partial
from itertools import product
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, Clip, long_run
from bench.groups import by_group
from bench.survey import SIZE, source_of
from bench.timing import chain_of
from grevin.core.parallel import in_parallel
from grevin.core.quality.memory_source import MemorySource

Film = list[npt.NDArray[np.float32]]

ROUND = 71  # raised after rules were set on the captures of the last
FILM_FRAMES = 20
FEWEST_FRAMES = 12
PLAIN = 90  # frames of footage that is no captures
LEAST_CHANGE = 1.0  # 8-bit levels: a third of the noise that is added
TREMBLES = (0.25, 0.6)  # px of 360 across, standard deviation either way
GRAINS, GRAIN_PX = (0.0, 3.0), 0.8  # 8-bit levels of the film's own grain, and standard deviation of its blur
EXPOSURE, NOISE = 0.012, 3.0  # of the light; 8-bit levels


def measure_pick() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Seven captures of each film frame, give or take one or two, with transition pictures and without."""
    figures: dict[str, float] = {}
    films = {clip.name: film_of(clip) for clip in CLIPS if clip.move is None or clip.move.runs}
    films = {name: film for name, film in films.items() if len(film) >= FEWEST_FRAMES}
    for grain, tremble, transitions in product(GRAINS, TREMBLES, (True, False)):
        own = [(name, [_grainy(one, grain, (name, place)) for place, one in enumerate(film)])
               for name, film in films.items()]  # fmt: skip
        told = in_parallel(partial(_right_of, own, tremble, transitions), range(len(own)))
        kind = "with_transitions" if transitions else "without"
        values = dict(zip(films, told, strict=True))
        figures.update(by_group(f"pick_right_grain_{grain:g}_{kind}_tremble_{tremble:g}", values))
    clips = [clip for clip in CLIPS if clip.move is None or clip.move.held == 1]
    divided = in_parallel(partial(_divided, clips), range(len(clips)))
    figures["pick_plain_divided"] = sum(divided)
    return [], figures


def _divided(clips: list[Clip], number: int) -> int:
    """How many runs of footage that is no captures are taken for some: still, and with either tremble."""
    clip = clips[number]
    run = [cv2.resize(f.luma8(), SIZE, interpolation=cv2.INTER_AREA).astype(np.float32) for f in long_run(clip, PLAIN)]
    divided = 0
    for tremble in (0.0, *TREMBLES):
        rng = np.random.default_rng((ROUND, round(100 * tremble), *clip.name.encode()))
        source, _ = captured(run, [1] * len(run), tremble, False, rng)
        divided += len(chain_of(source, "pick", {}).timeline.sources) != len(run)
    return divided


def _grainy(
    picture: npt.NDArray[np.float32], grain: float, which: tuple[str, int]
) -> npt.NDArray[np.float32]:  # fmt: skip
    """A frame of the film with the grain that it has on all of its captures."""
    rng = np.random.default_rng((ROUND, which[1], *which[0].encode()))
    noise = cv2.GaussianBlur(rng.normal(0, 1, picture.shape).astype(np.float32), (0, 0), GRAIN_PX)
    return np.asarray(picture + np.float32(grain / noise.std()) * noise, np.float32)


def film_of(clip: Clip) -> Film:
    """The film's frames that differ, (288, 360) float32 luma each: which of two like ones is kept is all the same."""
    run = long_run(clip, 3 * FILM_FRAMES)
    film: Film = []
    for one in run:
        luma = cv2.resize(one.luma8(), SIZE, interpolation=cv2.INTER_AREA).astype(np.float32)
        if not film or _seen_change(film[-1], luma) > LEAST_CHANGE:
            film.append(luma)
    return film[: FILM_FRAMES + 2]


def _seen_change(last: npt.NDArray[np.float32], this: npt.NDArray[np.float32]) -> float:
    """Mean of the twentieth of the 8 x 8 px blocks that changed most, 8-bit levels."""
    blocks = np.sort(cv2.resize(np.abs(this - last), None, fx=1 / 8, fy=1 / 8, interpolation=cv2.INTER_AREA).ravel())
    return float(blocks[-blocks.size // 20 :].mean())


def _right_of(films: list[tuple[str, Film]], tremble: float, transitions: bool, number: int) -> float:
    name, film = films[number]
    return _right(film, name, tremble, transitions)


def _right(film: Film, name: str, tremble: float, transitions: bool) -> float:
    """Share of the sets of which one capture was kept."""
    shares = []
    for vary in (1, 2):
        rng = np.random.default_rng((ROUND, vary, round(100 * tremble), transitions, *name.encode()))
        lengths = rng.integers(7 - vary, 8 + vary, min(FILM_FRAMES, len(film))).tolist()
        source, sets = captured(film, lengths, tremble, transitions, rng)
        found = chain_of(source, "pick", {}).timeline.sources.tolist()
        right = sum(sum(number in one for number in found) == 1 for one in sets)
        shares.append(right / max(len(sets), len(found)))
    return float(np.mean(shares))


def captured(
    film: Film, lengths: list[int], tremble: float, transitions: bool, rng: np.random.Generator
) -> tuple[MemorySource, list[range]]:  # fmt: skip
    """Captures of a running film: trembling, with uneven exposure and noise; and the true sets."""
    taken: list[npt.NDArray[np.uint8]] = []
    sets: list[range] = []

    def take(picture: npt.NDArray[np.float32]) -> None:
        move = np.array([[1, 0, rng.normal(0, tremble)], [0, 1, rng.normal(0, tremble)]])
        size = picture.shape[::-1]
        moved = cv2.warpAffine(picture, move, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        noisy = moved * (1 + rng.normal(0, EXPOSURE)) + rng.normal(0, NOISE, picture.shape)
        taken.append(np.clip(np.rint(noisy), 0, 255).astype(np.uint8))

    for place, length in enumerate(lengths):
        sets.append(range(len(taken), len(taken) + length))
        for _ in range(length):
            take(film[place])
        if transitions and place + 1 < len(lengths):
            share = np.float32(rng.uniform(0.3, 0.7))
            take(film[place] * (1 - share) + film[place + 1] * share)
    return source_of(taken, "captures"), sets
