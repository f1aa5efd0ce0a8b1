"""What a survey says of the light: bands, patches, lamps out of step, and nothing where there is none."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from grevin.core.measure.lighting.beat import beat_of
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.light import BandDamage, FlickerDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.survey import Survey, run_survey
from grevin.core.survey.words import figures_words
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames


def lit_survey(damage: Any) -> Survey:
    clean = moving_frames(40, 320, 240)
    frames = [clean.frame(number) for number in range(40)]
    source = MemorySource([damage.add(frame)[0] for frame in frames] if damage else frames, "lit")
    return run_survey(source, range(40), "full", Progress())


@pytest.mark.parametrize(
    ("damage", "kinds"),
    [(None, set()), (BandDamage(3, 0.2, 0.8, 0.12), {"bands"}), (BandDamage(4, 0.2, 1.3, -0.07), {"bands"}),
     (FlickerDamage(3, "corner", 1.5), {"flicker"}), (FlickerDamage(3, "mains"), {"flicker"}),
     (FlickerDamage(3, "random"), {"flicker"})],
)  # fmt: skip
def test_bands_patches_and_lamps_are_told_apart(damage: Any, kinds: set[str]) -> None:
    made = lit_survey(damage)
    found = {one.kind: one for one in made.findings if one.kind in {"bands", "flicker"}}
    assert set(found) == kinds
    what = getattr(damage, "what", "")
    if what == "corner":
        assert found["flicker"].figures["parts_percent"] > 0.6
    if what == "mains":
        assert found["flicker"].figures["period_frames"] == pytest.approx(3.7, abs=0.1)
        assert "every 3.7" in figures_words(found["flicker"].figures)
    if what == "random":
        assert not found["flicker"].figures["period_frames"]
    proposed = {one.step for one in proposal_for(made, range(40))}
    assert kinds <= proposed


def test_an_even_swing_is_told_and_chance_is_not() -> None:
    frames = np.arange(60)
    assert beat_of(np.sin(2 * np.pi * frames / 3.7 + 1)) == pytest.approx(3.7, abs=0.05)
    assert beat_of(np.sin(2 * np.pi * frames / 11.3) + 0.3 * np.cos(frames**2)) == pytest.approx(11.3, abs=0.4)
    assert beat_of((frames % 8 == 0).astype(float)) == 0, "a pulse is no swing"
    assert beat_of(np.ones(60)) == 0
    rng = np.random.default_rng(8)
    assert not any(beat_of(rng.standard_normal(length)) for length in (16, 40, 200) for _ in range(300))


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
@pytest.mark.parametrize("gain", [1.0, 1.05, 0.95])
def test_fields_of_two_heads_that_differ_are_told_and_mended(order: str, gain: float) -> None:
    """A tape whose second head gives more, or less: no frame differs from the next, and every one flickers."""
    moving = moving_frames(24, 320, 240, speed=2.0)
    fmt = replace(moving.format, field_order=order)
    late = 1 if order == "top_first" else 0
    clean, worn = [], []
    for number in range(12):
        early, later = (moving.frame(2 * number + n) for n in (0, 1))
        luma = early.planes[0].copy()
        luma[late::2] = later.planes[0][late::2]
        clean.append(Frame(number, fmt, (luma, *early.planes[1:])))
        other = luma.copy()
        other[late::2] = np.clip(np.rint(16 + gain * (luma[late::2].astype(np.float32) - 16)), 0, 255)
        worn.append(Frame(number, fmt, (other, *early.planes[1:])))
    source = MemorySource(worn, "two heads")
    made = run_survey(source, range(12), "full", Progress())
    found = [one for one in made.findings if one.kind == "flicker"]
    assert bool(found) == (gain != 1.0)
    if not found:
        return
    assert found[0].figures["fields_percent"] == pytest.approx(5.0, abs=1.0)
    assert "one field against the other" in figures_words(found[0].figures)
    (proposed,) = [one for one in proposal_for(made, range(12)) if one.step == "flicker"]
    assert "the two fields of a frame differ by" in proposed.reason
    chain = Chain(source, Treatment(steps=(TreatmentStep.make("flicker"),)))
    off = [
        float(frame.planes[0][late::2].mean() - frame.planes[0][1 - late :: 2].mean())
        - float(right.planes[0][late::2].mean() - right.planes[0][1 - late :: 2].mean())
        for frame, right in ((chain.result.frame(6), clean[6]), (worn[6], clean[6]))
    ]
    assert abs(off[0]) < 0.4 * abs(off[1])
