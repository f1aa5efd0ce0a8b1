"""What a step does to clean footage that tempts it: the suite `protect`. Anything that is changed here is harm."""

from __future__ import annotations

from typing import Any

from bench.clips import CLIPS, load_clip
from bench.dirt import measure_harm
from bench.moving import SCENES, scene
from bench.over_clips import over_clips
from bench.worst import Worst
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress


def names() -> list[str]:
    """Names that can be asked for."""
    return [*SCENES, *(clip.name for clip in CLIPS)]


def run_protect(wanted: list[str], settings: dict[str, Any], progress: Progress) -> tuple[dict[str, Any], Worst]:
    """Measure the harm on drawn scenes and clean open clips.

    Raises:
        UsageError: for a name that does not exist.
    """
    worst = Worst()

    def measure(name: str) -> dict[str, Any]:
        return {"clip": name, **measure_harm(name, _load(name), settings, worst).row()}

    rows, skipped = over_clips(wanted, names(), measure, progress)
    data = {"format": "grevin-bench", "version": 1, "suite": "protect", "clips": rows, "skipped": skipped}
    return ({**data, "together": _together(rows)} if rows else data), worst


def _load(name: str) -> FrameSource:
    return scene(name) if name in SCENES else load_clip(next(clip for clip in CLIPS if clip.name == name))


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    return {
        "clean_db": round(sum(row["clean_db"]["dirt"] for row in rows) / len(rows), 2),
        "median_along_motion_clean_db": round(sum(r["clean_db"]["median_along_motion"] for r in rows) / len(rows), 2),
        "clean_worst_frame_db": min(row["clean_worst_db"] for row in rows),
        "clean_blobs_per_frame": round(sum(row["clean_blobs_per_frame"] for row in rows) / len(rows), 2),
        "clean_changed_ppm": round(sum(row["clean_changed_ppm"] for row in rows) / len(rows), 1),
    }
