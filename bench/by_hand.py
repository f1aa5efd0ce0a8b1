"""What a person mends by hand over open clips: blots that are drawn over, and standing spots that are circled.

Rows of the suite `surface`. The strokes and circles are told the truth; so is Telea's inpainting beside them.
"""

from __future__ import annotations

import cv2
import numpy as np

from grevin.core.picture.colour import paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import align_to_chroma
from grevin.core.picture.spreading import inpainted
from grevin.core.quality.damage.spot import SpotDamage
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.strokes import StrokeFill, Way
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke

BLOTS = ((9, 12), (24, 8), (60, 3))  # size in px, and how many
BLOT_LEVEL = 0.9  # of R'G'B'
ROOM_PX = 2  # round a blot, that a person draws over
TELEA_PX = 4.0
WAYS: tuple[Way, ...] = ("both", "around")
SPOTS = 4  # of a clip
MARGIN_PX = 8


def strokes_figures(clean: list[Frame], seed: int, name: str) -> dict[str, float]:
    """Inside blots on the middle frame, in dB by size: filled from both neighbours, from around, and by Telea."""
    middle = len(clean) // 2
    shape = clean[middle].format.height, clean[middle].format.width
    found: dict[str, float] = {}
    for size, count in BLOTS:
        if min(shape) < 2 * size + 2 * MARGIN_PX:
            continue
        regions = _blots(np.random.default_rng((seed, size)), shape, size, count, middle)
        mask = align_to_chroma(np.logical_or.reduce([one.mask(shape, middle) for one in regions]), clean[middle].format)
        right = to_rgb(clean[middle])
        hurt = right.copy()
        hurt[cv2.erode(mask.view(np.uint8), np.ones((2 * ROOM_PX + 1, 2 * ROOM_PX + 1), np.uint8)) > 0] = BLOT_LEVEL
        bad = paint_inside(clean[middle], hurt, mask, None)
        frames = [*clean[:middle], bad, *clean[middle + 1 :]]
        found[f"telea_{size}_db"] = _inside(inpainted(to_rgb(bad), mask, TELEA_PX), right, mask)
        for way in WAYS:
            strokes = tuple(Stroke(where=one, fill=StrokeFill(way=way)) for one in regions)
            step = TreatmentStep.make("retouch", strokes=strokes)
            chain = Chain(MemorySource(frames, f"{name} {size}"), Treatment(steps=(step,)))
            found[f"{way}_{size}_db"] = _inside(to_rgb(chain.result.frame(middle)), right, mask)
    return found


def _blots(
    rng: np.random.Generator, shape: tuple[int, int], size: int, count: int, frame: int
) -> list[Region]:  # fmt: skip
    """Ellipses and bent lines by turns."""
    regions = []
    for place in range(count):
        x, y = rng.integers(MARGIN_PX, shape[1] - size), rng.integers(MARGIN_PX, shape[0] - size)
        if place % 2:
            turn = rng.uniform(0, 2 * np.pi)
            steps = np.linspace(0, 2 * size, 4)
            way = tuple((float(x + s * np.cos(turn)), float(y + s * np.sin(turn) + s * s / (8 * size))) for s in steps)
            wide = max(5.0 + ROOM_PX, size / 4)
            regions.append(Region(use="only", shape="brush", points=way, width_px=wide, first=frame, last=frame))
        else:
            box = {"x": int(x), "y": int(y), "width": size, "height": int(0.8 * size)}
            regions.append(Region(use="only", shape="ellipse", first=frame, last=frame, **box))
    return regions


def spots_figures(clean: list[Frame], seed: int, name: str) -> dict[str, float]:
    """Inside standing spots before and behind the step, and in circles without a spot, in dB; and which it finds."""
    damage = SpotDamage(seed, SPOTS)
    fmt, middle = clean[0].format, len(clean) // 2
    circles = tuple(
        Region(
            use="only", shape="ellipse", x=int(spot.across * fmt.width - 2 * spot.radius_px),
            y=int(spot.down * fmt.height - 2 * spot.radius_px), width=int(4 * spot.radius_px),
            height=int(4 * spot.radius_px),
        )
        for spot in damage.drawn
    )  # fmt: skip
    worn = [damage.add(frame)[0] for frame in clean]
    right, mask = to_rgb(clean[middle]), damage.add(clean[middle])[1].mask
    chain = _circled(worn, circles, f"{name} spots")
    made = to_rgb(chain.result.frame(middle))
    empty = to_rgb(_circled(clean, circles, f"{name} empty").result.frame(middle))
    evidence = chain.evidence_at(1, middle)
    assert evidence is not None
    told, drawn = mask & evidence.mask, np.logical_or.reduce([one.mask(mask.shape, middle) for one in circles])
    return {
        "spotted_db": _inside(to_rgb(worn[middle]), right, mask), "spot_db": _inside(made, right, mask),
        "spots_told": round(float(told.sum() / mask.sum()), 3),
        "told_spotted_db": _inside(to_rgb(worn[middle]), right, told) if told.any() else 0.0,
        "told_spot_db": _inside(made, right, told) if told.any() else 0.0, "no_spot_db": _inside(empty, right, drawn),
        **_found_figures(worn, clean, damage, name),
    }  # fmt: skip


def _found_figures(worn: list[Frame], clean: list[Frame], damage: SpotDamage, name: str) -> dict[str, float]:
    """Share of the spots that the step finds by itself, and what it finds that is none, with spots and without."""
    fmt = clean[0].format
    spotted, empty = (_circled(frames, (), f"{name} {word}") for frames, word in ((worn, "found"), (clean, "none")))
    found, false = set(), len(empty.steps[0].study_of(0)["standing"])
    for x, y, width, height in spotted.steps[0].study_of(0)["standing"].tolist():
        middle = np.array([x + width / 2, y + height / 2])
        hit = [
            place for place, spot in enumerate(damage.drawn)
            if np.hypot(*(middle - (spot.across * fmt.width, spot.down * fmt.height))) < spot.radius_px
        ]  # fmt: skip
        found |= set(hit)
        false += not hit
    return {"spots_found": round(len(found) / len(damage.drawn), 3), "spots_false": float(false)}


def _circled(frames: list[Frame], circles: tuple[Region, ...], name: str) -> Chain:
    return Chain(MemorySource(frames, name), Treatment(steps=(TreatmentStep.make("spot", regions=circles),)))


def _inside(made: np.ndarray, right: np.ndarray, mask: Mask) -> float:
    squares = float(np.square((made - right)[mask] * 255).sum())
    return round(psnr(squares, 3 * int(mask.sum())), 2) if squares else 99.0
