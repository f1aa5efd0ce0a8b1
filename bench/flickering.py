"""Dirt on material whose light flickers, as old film does: the suite `flickering`.

Every open clip in steady light and under four kinds of flicker, each with the same dirt, and without any.
"""

from __future__ import annotations

from typing import Any

from bench.clips import CLIPS, Clip, load_clip
from bench.dirt import short_figures
from bench.groups import by_group
from bench.over_clips import suite_over_clips
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import damaged
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.light import FlickerDamage
from grevin.core.quality.memory_source import MemorySource

SEED = 5209  # of the flicker and of the dirt; each clip has its own
LENGTH = 10  # frames
KINDS: dict[str, FlickerDamage | None] = {
    "steady": None, "weak": FlickerDamage(depth=0.3), "random": FlickerDamage(), "mains": FlickerDamage(what="mains"),
    "patches": FlickerDamage(what="patches"),
}  # fmt: skip


def run_flickering(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the dirt step under flicker.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("flickering", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """For each kind of flicker and group of clips: means, and the worst clip."""
    figures: dict[str, float] = {}
    for kind in KINDS:
        own = [row for row in rows if row["kind"] == kind]
        for name in ("precision", "recall", "gain_db", "clean_db"):
            figures |= by_group(f"{kind}_{name}", {row["clip"]: row[name] for row in own})
    return {name: round(figure, 3) for name, figure in figures.items()}


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    source = load_clip(clip, SEED + place)
    steady = [source.frame(number) for number in range(min(LENGTH, len(source)))]
    return [_figures(clip, kind, MemorySource(_lit(steady, kind, SEED + place), clip.name)) for kind in KINDS]


def _lit(frames: list[Frame], kind: str, seed: int) -> list[Frame]:
    light = KINDS[kind]
    if light is None:
        return frames
    damage = FlickerDamage(seed, light.what, light.depth)
    return [damage.add(frame)[0].rounded() for frame in frames]


def _figures(clip: Clip, kind: str, clean: MemorySource) -> dict[str, Any]:
    """Of one clip in one light: what is found of its dirt, and what is done to it without any."""
    dirty = damaged(clean, DirtDamage(seed=SEED + CLIPS.index(clip)))
    return {"clip": clip.name, "group": clip.group, "kind": kind, **short_figures(clip.name, clean, dirty)}
