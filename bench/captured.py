"""Dirt on film whose capture went through a codec, as most captures did: the suite `captured`.

Every open clip that the codecs carry, without a codec and through two, each with the same dirt, and without any. What
is measured against is the clean clip through the same codec.
"""

from __future__ import annotations

from typing import Any

from bench.clips import CLIPS, Clip, carried_by_codec, load_clip, through
from bench.dirt import short_figures
from bench.groups import by_group
from bench.over_clips import suite_over_clips
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.base import DamagedSource, Truth, damaged
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource

SEED = 6311  # of the dirt; each clip has its own
LENGTH = 10  # frames
CODECS = ("", "h264", "mpeg2")


class Captured(MemorySource):
    """Frames that went through a codec after they were damaged."""

    def __init__(self, frames: list[Frame], damaged_first: DamagedSource) -> None:
        super().__init__(frames, f"captured {damaged_first.identity}")
        self._damaged = damaged_first

    def truths(self, number: int) -> tuple[Truth, ...]:
        """What was done to a frame before."""
        return self._damaged.truths(number)


def run_captured(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure the dirt step behind codecs.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("captured", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """For each codec and group of clips: means, and the worst clip."""
    figures: dict[str, float] = {}
    for codec in CODECS:
        own = [row for row in rows if row["codec"] == codec]
        for name in ("precision", "recall", "inside_db", "gain_db", "clean_db"):
            figures |= by_group(f"{codec or 'none'}_{name}", {row["clip"]: row[name] for row in own})
    return {name: round(figure, 3) for name, figure in figures.items()}


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    source = load_clip(clip, SEED + place)
    frames = [source.frame(number) for number in range(min(LENGTH, len(source)))]
    if frames[0].format.bit_depth != 8 or not carried_by_codec(frames[0]):
        return []
    dirty = damaged(MemorySource(frames, clip.name), DirtDamage(seed=SEED + place))
    return [captured_figures(clip, codec, frames, dirty) for codec in CODECS]


def captured_figures(clip: Clip, codec: str, frames: list[Frame], dirty: DamagedSource) -> dict[str, Any]:
    """Of one clip through one codec: what is found of its dirt, and what is done to it without any."""
    hurt = [dirty.frame(number) for number in range(len(frames))]
    clean = MemorySource(through(frames, codec) if codec else frames, clip.name)
    captured = Captured(through(hurt, codec) if codec else hurt, dirty)
    return {"clip": clip.name, "group": clip.group, "codec": codec, **short_figures(clip.name, clean, captured)}
