"""The page of a run: its figures beside those of the last run, the clips, the worst places with pictures."""

from __future__ import annotations

from html import escape
from typing import Any

from bench.history import compared
from bench.worst import Sample, Worst

STYLE = """
body { font: 15px/1.45 sans-serif; margin: 2em auto; max-width: 1100px; color: #222; background: #f4f4f4; }
table { border-collapse: collapse; } td, th { padding: 2px 12px 2px 0; text-align: right; }
td:first-child, th:first-child { text-align: left; } figure { display: inline-block; margin: 0 14px 14px 0; }
figcaption { font-size: 13px; color: #444; } img { image-rendering: pixelated; max-width: 1050px; }
"""
COLUMNS = (
    ("clip", "clip"), ("size", "size"), ("motion_px", "motion, px"), ("blob_precision", "precision"),
    ("blob_recall", "recall"), ("damaged.whole_db", "damaged, dB"), ("dirt.whole_db", "treated"),
    ("dirt.inside_db", "inside"), ("median_3x3.whole_db", "3x3 median"),
    ("median_along_motion.whole_db", "median along motion"), ("clean_db.dirt", "clean, dB"),
    ("clean_worst_db", "worst frame"), ("clean_blobs_per_frame", "false a frame"), ("frames_per_second", "frames/s"),
)  # fmt: skip


def page(data: dict[str, Any], worst: Worst, before: dict[str, Any] | None) -> str:
    """The whole page, with its pictures inside it."""
    when = f"the last run ({escape(before['at'])})" if before is not None else "no earlier run"
    rows = "".join(
        f"<tr><td>{escape(name.replace('_', ' '))}</td><td>{now:g}</td><td>{_number(then)}</td></tr>"
        for name, now, then in compared(data, before)
    )
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>Bench: {escape(data['suite'])}</title>"
        f"<style>{STYLE}</style><h1>Bench: {escape(data['suite'])}</h1>"
        f"<h2>Together, beside {when}</h2><table><tr><th>figure</th><th>now</th><th>before</th></tr>{rows}</table>"
        f"<h2>Clips</h2>{_clips(data)}"
        f"{_samples('Worst misses: given, treated, clean', worst.misses)}"
        f"{_samples('Worst false alarms on clean material: given, treated, given', worst.alarms)}</html>"
    )


def _clips(data: dict[str, Any]) -> str:
    clips = data.get("clips", [])
    columns = [(path, words) for path, words in COLUMNS if clips and _value(clips[0], path) is not None]
    heads = "".join(f"<th>{words}</th>" for _, words in columns)
    body = "".join(
        "<tr>" + "".join(f"<td>{escape(str(_value(row, path)))}</td>" for path, _ in columns) + "</tr>" for row in clips
    )
    left = "".join(
        f"<p>{escape(row['clip'])} was left out: {escape(row['reason'])}</p>" for row in data.get("skipped", [])
    )
    return f"<table><tr>{heads}</tr>{body}</table>{left}"


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def _value(row: dict[str, Any], path: str) -> Any:
    for part in path.split("."):
        row = row.get(part) if isinstance(row, dict) else None  # type: ignore[assignment]
    return row


def _samples(title: str, samples: list[Sample]) -> str:
    figures = "".join(
        f"<figure><img src='{one.source}' alt=''><figcaption>{escape(one.clip)}, frame {one.frame}: "
        f"{escape(one.words)}</figcaption></figure>"
        for one in sorted(samples, reverse=True)
    )
    return f"<h2>{title}</h2>{figures or '<p>None.</p>'}"
