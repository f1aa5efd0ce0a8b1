"""Film at 24 frames over fields at 60, told and woven back by `fields`, and what is no such film left as what it is.

Pictures of film that are shown once, twice, three times as drawings are, and now so, now so; either field first, begun
anywhere in the cadence, exact, under the noise of a tape, and through a codec.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, Clip, long_run
from bench.groups import GROUP_OF
from bench.repeating import fitted
from bench.survey import carried, source_of, spread_over_fields
from bench.timing import chain_of
from grevin.core.parallel import in_parallel
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from grevin.core.treatment.chain import Chain

Luma = npt.NDArray[np.uint8]

SEED = 6401  # raised when rules are set on it
RATE, FILM_RATE = Fraction(30000, 1001), Fraction(24000, 1001)
PICTURES, FRAMES = 61, 70  # of the clip, and of the reel
HELD = {"ones": (1, 1), "twos": (2, 2), "threes": (3, 3), "mixed": (1, 3)}  # frames of film a picture is shown for
PLAIN = ("progressive", "fields", "4 in 5", "fields now and then")
NOW_AND_THEN = 0.2  # of the fields show another moment than the last
CARRIERS, KEPT = ("exact", "tape", "mpeg2"), ("exact", "tape")  # all, and those that treat all frames alike
TAPE_LEVELS = 4.0  # 8-bit
WORSE = 1.25  # times the squared error of the carrier, from which a frame counts as none of the film's


def measure_over_fields() -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Film named, the least share of its frames that are its own, and what was taken for film though it is none."""
    clips = [clip for clip in CLIPS if clip.move is None or clip.move.held == 1]
    rows = [row for found in in_parallel(partial(_of_clip, clips), range(len(clips))) for row in found]
    figures: dict[str, float] = {}
    for group in ("rules", "reports"):
        own = [row for row in rows if row["group"] == group]
        for kind in HELD:
            for carrier in CARRIERS:
                film = [row for row in own if row["kind"] == kind and row["carrier"] == carrier]
                name = f"film_{kind}_{carrier}"
                figures[f"{name}_named_{group}"] = float(np.mean([row["named"] for row in film]))
                if shares := [row["own"] for row in film if "own" in row]:
                    figures[f"{name}_own_frames_{group}_worst"] = min(shares)
        figures[f"film_named_falsely_{group}"] = sum(row["named"] for row in own if row["kind"] in PLAIN)
    return rows, figures


def _of_clip(clips: list[Clip], place: int) -> list[dict[str, Any]]:
    run = [fitted(frame.luma8()) for frame in long_run(clips[place], PICTURES)]
    rng = np.random.default_rng((SEED, place))
    name = clips[place].name
    return [
        {
            "clip": f"film_{kind}_{carrier} {name}", "group": GROUP_OF[name], "kind": kind, "carrier": carrier,
            **_told(film, reel, carrier, rng),
        }
        for kind, film, reel in _reels(run, rng)
        for carrier in CARRIERS
    ]  # fmt: skip


def _reels(run: list[Luma], rng: np.random.Generator) -> Iterator[tuple[str, list[Luma], list[Luma]]]:
    """Kind, pictures of film, and frames."""
    for kind, (least, most) in HELD.items():
        shown = np.repeat(np.arange(len(run)), rng.integers(least, most + 1, len(run)))[: FRAMES * 4 // 5]
        film = [run[place] for place in shown]
        begun = int(rng.integers(5))
        reel = spread_over_fields(film, len(film) * 5 // 4 - 1)[begun:]
        yield kind, film, [_bottom_first(one) for one in reel] if rng.random() < 0.5 else reel
    yield "progressive", run, run
    yield "fields", run, [_of_two(*pair) for pair in zip(run[0::2], run[1::2], strict=False)]
    yield "4 in 5", run, [run[number - number // 5] for number in range(FRAMES) if number - number // 5 < len(run)]
    moments = np.minimum(np.cumsum(rng.random(2 * FRAMES) < NOW_AND_THEN), len(run) - 1)
    pairs = zip(moments[0::2], moments[1::2], strict=True)
    yield "fields now and then", run, [_of_two(run[one], run[other]) for one, other in pairs]


def _bottom_first(frame: Luma) -> Luma:
    """The other field first: every line is one lower, so that what was a top field is a bottom one."""
    return np.asarray(np.roll(frame, 1, axis=0))


def _of_two(top: Luma, bottom: Luma) -> Luma:
    frame = top.copy()
    frame[1::2] = bottom[1::2]
    return frame


def _told(film: list[Luma], reel: list[Luma], carrier: str, rng: np.random.Generator) -> dict[str, Any]:
    given = _on_tape(reel, int(rng.integers(1 << 20))) if carrier == "tape" else carried(reel, carrier, rng)
    chain = chain_of(source_of(given, "over fields", RATE), "fields", {})
    named = chain.result.format.rate == FILM_RATE
    return {"named": named} | ({"own": _own_frames(film, reel, given, chain)} if named and carrier in KEPT else {})


def _on_tape(reel: list[Luma], seed: int) -> list[Luma]:
    source, noise = source_of(reel, "tape", RATE), TapeNoiseDamage(seed, TAPE_LEVELS)
    return [noise.add(source.frame(number))[0].luma8() for number in range(len(reel))]


def _own_frames(film: list[Luma], reel: list[Luma], given: list[Luma], chain: Chain) -> float:
    """Share of the frames that are pictures of the film, as nearly as the carrier left them."""
    error = np.mean([_squared(one, other) for one, other in zip(reel, given, strict=True)])
    pictures = [*film, *(_bottom_first(one) for one in film)]
    made = [chain.result.frame(number).luma8() for number in range(1, len(chain.result) - 1)]
    least = [min(_squared(one, picture) for picture in pictures) for one in made]
    return float(np.mean([one <= WORSE * error for one in least]))


def _squared(one: Luma, other: Luma) -> float:
    return float(np.square(one.astype(np.float32) - other).mean())
