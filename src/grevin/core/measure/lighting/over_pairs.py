"""All pairs of frames of a shot, one after the other, with the motion of near ones as the way to far ones."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TypeVar

from grevin.core.measure.lighting.pairs import Pair, SmallPicture, Way, pair_of
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress

Fact = TypeVar("Fact")
Ways = dict[tuple[int, int], Way]

CHUNK = 32  # frames looked at together: memory does not grow with the shot


def over_pairs(
    frames: range, small: Callable[[int], SmallPicture], distances: tuple[int, ...],
    facts: Callable[[SmallPicture, Pair], Fact], progress: Progress,
) -> Iterator[tuple[int, int, Fact]]:  # fmt: skip
    """(first, second, what they say) of each pair; frames are counted from the shot's first.

    Args:
        frames: of the shot.
        small: a frame as it is looked at.
        distances: frames between the two, each twice the one before.
        facts: what a pair says.
        progress: one unit a frame; begun by the caller.
    """
    held: dict[int, SmallPicture] = {}
    ways: Ways = {}
    for start in range(0, len(frames), CHUNK):
        fresh = range(start, min(start + CHUNK, len(frames)))
        held |= zip(fresh, in_parallel(small, frames[fresh.start : fresh.stop]), strict=True)
        for away in distances:
            firsts = [last - away for last in fresh if last >= away]
            made = in_parallel(partial(_of_pair, held, ways, away, facts), firsts)
            found = list(zip(firsts, made, strict=True))
            ways |= {(first, away): way for first, (way, _) in found}
            for first, (_, fact) in found:
                yield first, first + away, fact
        oldest = fresh.stop - distances[-1]
        held = {number: picture for number, picture in held.items() if number >= oldest}
        ways = {(first, away): way for (first, away), way in ways.items() if first >= oldest and away < distances[-1]}
        progress.advance(len(fresh))


def _of_pair(
    held: dict[int, SmallPicture], ways: Ways, away: int, facts: Callable[[SmallPicture, Pair], Fact], first: int
) -> tuple[Way, Fact]:
    half = away // 2
    steps = (ways[first, half], ways[first + half, half]) if half else None
    pair = pair_of(held[first], held[first + away], steps)
    return pair.way, facts(held[first], pair)
