"""Dirt on material whose light flickers, as old film does: found as in steady light, and what is clean left alone."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from skimage import data as photographs

from bench.happenings import HAPPENINGS
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.light import Flicker, FlickerDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

LENGTH, LOOKED_AT = 9, (0, 3, 5)
DIRT = DirtDamage(seed=23, blobs_per_frame=40)
GRAIN, SPEED_PX = 1.5, 2  # levels; a frame


@lru_cache
def clean(name: str = "coffee") -> tuple[Frame, ...]:
    """An open photograph that the camera pans over, with grain."""
    rng = np.random.default_rng(5)
    grey = getattr(photographs, name)()[..., :3].mean(axis=2)[40:280].astype(np.float32) * 0.7 + 25
    fmt = PictureFormat(400, 240, "grey", 8)
    planes = (
        grey[:, SPEED_PX * n : SPEED_PX * n + 400] + rng.normal(0, GRAIN, (240, 400)).astype(np.float32)
        for n in range(LENGTH)
    )
    return tuple(Frame(n, fmt, (np.clip(plane, 0, 255).astype(np.uint8),)) for n, plane in enumerate(planes))


def under(frames: list[Frame]) -> Chain:
    return Chain(MemorySource(frames, "flicker"), Treatment(steps=(TreatmentStep.make("dirt"),)))


def lit(what: Flicker) -> list[Frame]:
    damage = FlickerDamage(seed=9, what=what)
    return [damage.add(frame)[0].rounded() for frame in clean()]


def found_and_gained(frames: list[Frame]) -> tuple[float, float]:
    """Share of the dirt that is found, and by how much the squared error falls, times."""
    dirty = [DIRT.add(frame) for frame in frames]
    chain = under([frame for frame, _ in dirty])
    found = wanted = 0
    before = after = 0.0
    for number in LOOKED_AT:
        evidence, truth = chain.evidence_at(1, number), dirty[number][1].mask
        assert evidence is not None
        found, wanted = found + int((evidence.mask & truth).sum()), wanted + int(truth.sum())
        right = frames[number].planes[0].astype(np.float64)
        before += float(np.square(dirty[number][0].planes[0] - right).sum())
        after += float(np.square(chain.result.frame(number).rounded().planes[0] - right).sum())
    return found / wanted, before / after


@pytest.mark.parametrize("what", ["random", "mains", "patches"])
def test_dirt_is_found_whatever_the_light_does(what: Flicker) -> None:
    steady, _ = found_and_gained(list(clean()))
    flickering, gained = found_and_gained(lit(what))
    assert steady > 0.85
    assert flickering > 0.9 * steady
    assert gained > 6.0


@pytest.mark.parametrize("what", ["random", "mains", "patches"])
def test_flicker_alone_is_no_dirt(what: Flicker) -> None:
    frames = lit(what)
    chain = under(frames)
    assert all(chain.result.frame(number) is frames[number] for number in LOOKED_AT)


def test_what_the_frames_beside_tell_differently_is_no_dirt() -> None:
    frames = HAPPENINGS["words along the bottom"](list(clean()), 7)
    chain = under(frames)
    for number in (0, 3, 8):
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        assert not evidence.mask.any()
