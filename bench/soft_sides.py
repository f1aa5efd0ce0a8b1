"""Scratches whose sides are no cut: what is left of them beside what was mended, and how good all of it is."""

from __future__ import annotations

from typing import get_args

import numpy as np

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import Line, ScratchDamage, Sides
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH, LOOKED_AT = 16, (5, 10)  # frames
COUNT = 5
WIDTHS_PX, LEVELS = (1.5, 2.5, 4.0, 6.0), (-40.0, -30.0, 30.0, 40.0)
WANDER_PX = 0.3
BESIDE_PX = 14  # a side of a scratch, that is looked at


def sides_figures(clean: list[Frame], seed: int, name: str) -> dict[str, float]:
    """For each kind of sides the levels of the rim that is left, in the mean and of the worst scratch, and the dB."""
    found: dict[str, float] = {}
    for place, sides in enumerate(one for one in get_args(Sides) if one != "cut"):
        damage = ScratchDamage(seed + place, lines=_lines(seed + place, sides))
        worn = [damage.add(frame)[0] for frame in clean[:LENGTH]]
        step = Treatment(steps=(TreatmentStep.make("scratch"),))
        rims, squares, count = _left(clean, damage, Chain(MemorySource(worn, f"{name} {sides}"), step))
        if rims:
            found |= {f"{sides}_rim": round(float(np.mean(rims)), 2), f"{sides}_worst_rim": round(max(rims), 2)}
            found[f"{sides}_sides_db"] = round(psnr(squares, count), 2)
    return found


def _lines(seed: int, sides: Sides) -> tuple[Line, ...]:
    rng = np.random.default_rng((seed, 5))
    places = (np.arange(COUNT) + rng.uniform(0.3, 0.7, COUNT)) / COUNT
    widths, levels = rng.choice(WIDTHS_PX, COUNT), rng.choice(LEVELS, COUNT)
    return tuple(
        Line(float(place), float(width), float(level), wander_px=WANDER_PX, sides=sides)
        for place, width, level in zip(places, widths, levels, strict=True)
    )


def _left(clean: list[Frame], damage: ScratchDamage, chain: Chain) -> tuple[list[float], float, int]:
    """Levels of the rim beside each scratch that was found; squared errors in it and beside it, and of how many."""
    rims, squares, count = [], 0.0, 0
    for number in LOOKED_AT:
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        apart = (to_rgb(chain.result.frame(number)) - to_rgb(clean[number])) * 255
        for place in range(COUNT):
            middle = round(float(damage.centres(place, number, apart.shape[:2]).mean()))
            columns = slice(max(0, middle - BESIDE_PX), middle + BESIDE_PX + 1)
            taken = evidence.mask[:, columns].mean(axis=0) > 0.5
            if taken.any():
                level = np.abs(apart[:, columns].mean(axis=(0, 2)))
                rims.append(float(np.where(taken, 0.0, level).max()))
                squares += float(np.square(apart[:, columns]).sum())
                count += apart[:, columns].size
    return rims, squares, count
