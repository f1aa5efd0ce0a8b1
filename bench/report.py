"""Running a suite over the clips and gathering the figures."""

from __future__ import annotations

import resource
from typing import Any

from bench.clips import CLIPS, load_clip
from bench.dirt import FLOOR_NAMES, ClipResult, run_clip
from bench.groups import by_group
from bench.on_fields import measure_on_fields
from bench.over_clips import over_clips
from bench.worst import Worst
from grevin.core.picture.source import FrameSource
from grevin.core.progress import Progress
from grevin.core.quality.figures import Matches
from grevin.demo.reel import DemoReel

BENCH_FORMAT, BENCH_VERSION = "grevin-bench", 1
DEMO_CLIP = "demo"
DEMO_FRAMES = range(60, 84)
GRAIN_SEED = 704  # raised after the judge was trained on the grain of the last


def clip_names() -> list[str]:
    """Names that can be asked for."""
    return [clip.name for clip in CLIPS] + [DEMO_CLIP]


def run_dirt(names: list[str], settings: dict[str, Any], progress: Progress) -> tuple[dict[str, Any], Worst]:
    """The dirt suite, and the places where the step was most wrong.

    Args:
        names: clips to run; empty for all.
        settings: settings of the step that differ from the defaults.
        progress: one unit a clip.

    Raises:
        UsageError: for a clip that does not exist.
    """
    worst = Worst()
    results, skipped = over_clips(
        names, clip_names(), lambda name: run_clip(name, _load(name), settings, worst), progress
    )  # fmt: skip
    rows = [result.row() for result in results]
    data = {"format": BENCH_FORMAT, "version": BENCH_VERSION, "suite": "dirt", "clips": rows, "skipped": skipped}
    if not results:
        return data, worst
    on_fields = {} if names else measure_on_fields()
    return {**data, "together": {**_together(results), **on_fields}}, worst


def _load(name: str) -> FrameSource:
    if name == DEMO_CLIP:
        return DemoReel().clean_run(DEMO_FRAMES)
    return load_clip(next(clip for clip in CLIPS if clip.name == name), GRAIN_SEED)


def _together(results: list[ClipResult]) -> dict[str, float]:
    """Blobs pooled over all clips; dB and speed as means over clips."""
    rows = [result.row() for result in results]

    def mean(name: str, part: str) -> float:
        return float(round(sum(row[name][part] for row in rows) / len(rows), 2))

    figures = _pooled(results, "")
    figures.update(_pooled([result for result in results if result.calm], "calm_"))
    for name in ("damaged", "dirt", "quick", *FLOOR_NAMES):
        figures[f"{name}_whole_db"] = mean(name, "whole_db")
        figures[f"{name}_inside_db"] = mean(name, "inside_db")
    figures["whole_gain_db"] = round(figures["dirt_whole_db"] - figures["damaged_whole_db"], 2)
    quick = Matches()
    for result in results:
        quick.add(result.quick.matches)
    figures.update({f"quick_{name}": round(value, 3) for name, value in quick.ratios().items() if "blob" in name})
    worst = min(rows, key=lambda row: row["dirt"]["whole_db"] - row["damaged"]["whole_db"])
    figures["worst_clip_gain_db"] = round(worst["dirt"]["whole_db"] - worst["damaged"]["whole_db"], 2)
    figures["worst_clip_recall"] = min(row["blob_recall"] for row in rows)
    figures["worst_clip_precision"] = min(row["blob_precision"] for row in rows)
    figures.update(_by_group(rows))
    figures["clean_db"] = mean("clean_db", "dirt")
    figures["clean_worst_frame_db"] = min(row["clean_worst_db"] for row in rows)
    figures["clean_blobs_per_frame"] = round(sum(r.harm.clean_blobs_per_frame for r in results) / len(rows), 2)
    figures["peak_memory_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    return figures


def _by_group(rows: list[dict[str, Any]]) -> dict[str, float]:
    """The same of the clips that rules are set on and of those that only report."""
    measured = [
        {
            "precision": row["blob_precision"], "recall": row["blob_recall"],
            "gain_db": row["dirt"]["whole_db"] - row["damaged"]["whole_db"], "inside_db": row["dirt"]["inside_db"],
            "clean_db": row["clean_db"]["dirt"], "clean_worst_frame_db": row["clean_worst_db"],
            "few_false": -row["clean_blobs_per_frame"],
        }
        for row in rows
    ]  # fmt: skip
    figures: dict[str, float] = {}
    for name in measured[0]:
        found = by_group(name, {row["clip"]: float(one[name]) for row, one in zip(rows, measured, strict=True)})
        figures.update({key: round(figure, 3) for key, figure in found.items()})
    return figures


def _pooled(results: list[ClipResult], prefix: str) -> dict[str, float]:
    """Precision and recall of the fine treatment over several clips; nothing for none."""
    pooled = Matches()
    for result in results:
        pooled.add(result.fine.matches)
    return {f"{prefix}{name}": round(value, 3) for name, value in pooled.ratios().items()} if results else {}
