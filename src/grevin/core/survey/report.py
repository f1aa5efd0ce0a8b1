"""The condition report: one HTML file that can be handed to a client, with its pictures and curves inside it."""

from __future__ import annotations

import base64
from html import escape
from typing import Any

import cv2
import numpy as np

from grevin.core.errors import UnreadableFrameError
from grevin.core.picture.display import to_screen
from grevin.core.picture.source import FrameSource
from grevin.core.survey.curves import curve_svg
from grevin.core.survey.survey import Survey
from grevin.core.timebase.counters import Counter

PICTURE_WIDTH = 300
PICTURE_QUALITY = 88  # JPEG; for looking at on paper
MOST_PICTURES = 12
MOST_ROWS = 400
# curve: lowest and highest of its drawing, so that what is next to nothing looks like it
SHOWN = {
    "level_luma_mean": (0.0, 255.0), "light_change": (-6.0, 6.0), "noise": (0.0, 6.0), "sharpness": (0.0, 1.5),
    "motion_p95": (0.0, 12.0), "temporal_information": (0.0, 30.0), "combing": (0.0, 2.0), "block_grid": (1.0, 2.0),
}  # fmt: skip
STYLE = """
@page { margin: 16mm; } * { box-sizing: border-box; }
body { font: 14px/1.5 "Source Sans 3", "Noto Sans", sans-serif; color: #1d1d1d; background: #fff; max-width: 960px;
  margin: 32px auto; padding: 0 24px; }
h1 { font-size: 28px; font-weight: 600; margin: 0 0 2px; } h2 { font-size: 17px; margin: 34px 0 8px;
  border-bottom: 1px solid #bbb; padding-bottom: 3px; } .quiet { color: #666; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
td, th { padding: 3px 14px 3px 0; text-align: left; vertical-align: top; border-bottom: 1px solid #e6e6e6; }
th { font-weight: 600; color: #444; } .facts th { width: 150px; } .number { text-align: right; }
figure { display: inline-block; margin: 0 14px 14px 0; width: calc(33% - 14px); vertical-align: top;
  break-inside: avoid; }
figcaption { font-size: 12.5px; color: #444; } img { display: block; width: 100%; }
.curve { break-inside: avoid; margin: 10px 0 18px; } .curve b { font-weight: 600; } svg { display: block; width: 100%; }
"""
WORDS = {
    "black": "black", "white": "white", "freeze": "frozen picture", "repeat": "repeated frame",
    "near_repeat": "frame repeated and compressed again", "held_noise": "noise that stays while the picture moves",
    "combing": "two moments woven into one frame", "flash": "flash", "flicker": "flicker",
    "unreadable": "unreadable frame",
}  # fmt: skip
METHOD = (
    "Every frame was measured once, from the file's own code values. Levels: mean and percentiles of 255. Change "
    "of the light: median ratio of places that the motion joins, so that a passing thing is no flicker. Noise: "
    "standard deviation in the quietest quarter of the picture (Immerkær 1996). Spatial and temporal information: "
    "ITU-T P.910. Motion: dense, at half size. Cuts: where the last frame, moved onto the next, does not explain "
    "it. Repeats: where a frame changes less than three tenths of what the frames on both sides do."
)
LIMITS = (
    "Dissolves and fades are not told from motion; a cut to black is not called a cut. The block grid is looked "
    "for at 8 pixels. Dirt, scratches and dropouts are not counted yet. A finding is what stands out by these "
    "measures, not a judgement on the material."
)


def report_html(title: str, survey: Survey, reel: dict[str, Any], source: FrameSource) -> str:
    """The whole report.

    Args:
        title: what people call the reel.
        survey: what was measured.
        reel: facts as `grevin probe` gives them.
        source: the frames, for the pictures.
    """
    parts = (
        f"<h1>{escape(title)}</h1><p class=quiet>Condition report</p>",
        _section("The material", _facts(reel)),
        _section("In short", _summary(survey)),
        _section("Curves", _curves(survey)),
        _section("What stands out", _pictures(survey, source) + _findings(survey)),
        _section("Method and limits", f"<p>{METHOD}</p><p>{LIMITS}</p>"),
    )
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(title)}: condition report</title>"
        f"<style>{STYLE}</style>{''.join(parts)}</html>\n"
    )


def _section(title: str, body: str) -> str:
    return f"<h2>{title}</h2>{body}"


def _facts(reel: dict[str, Any]) -> str:
    shown = (
        "width",
        "height",
        "pixel_aspect",
        "rate",
        "frames",
        "duration_s",
        "chroma",
        "bit_depth",
        "codec",
        "timecode",
    )
    rows = ((name.replace("_", " "), reel.get(name)) for name in shown)
    return (
        "<table>"
        + "".join(f"<tr><th>{n}</th><td>{escape(str(v))}</td></tr>" for n, v in rows if v is not None)
        + "</table>"
    )


def _summary(survey: Survey) -> str:
    lines = [f"{len(survey.frames)} frames looked at, {len(survey.cuts) + 1} shot(s)."]
    if survey.cadence is not None:
        words = "no repeats" if survey.cadence.name == "none" else f"cadence {survey.cadence.name}"
        lines.append(f"Time: {words}; true rate {float(survey.cadence.true_rate):.3f} frames a second.")
    for name, words, unit in (("noise", "Noise", "levels of 255"), ("level_luma_mean", "Mean level", "of 255")):
        curve = survey.series.get(name)
        if curve is not None and not np.isnan(curve).all():
            low, middle, high = np.nanpercentile(curve, (5, 50, 95))
            lines.append(f"{words}: {middle:.1f} {unit} (nine tenths of the frames between {low:.1f} and {high:.1f}).")
    counts: dict[str, int] = {}
    for finding in survey.findings:
        counts[finding.kind] = counts.get(finding.kind, 0) + 1
    told = ", ".join(f"{WORDS.get(kind, kind)} ({count})" for kind, count in sorted(counts.items()))
    lines.append(f"Stands out: {told}." if counts else "Nothing stands out: by these measures there is nothing to do.")
    return "".join(f"<p>{escape(line)}</p>" for line in lines)


def _curves(survey: Survey) -> str:
    names = [name for name in SHOWN if name in survey.series and not np.isnan(survey.series[name]).all()]
    return "".join(
        f"<div class=curve><b>{name.replace('_', ' ')}</b> <span class=quiet>{escape(survey.units[name])}</span>"
        f"{curve_svg(survey.series[name], survey.frames, survey.cuts, SHOWN[name])}</div>"
        for name in names
    )


def _pictures(survey: Survey, source: FrameSource) -> str:
    """The first frames of the findings, each kind in turn, so that many of one kind do not hide another."""
    by_kind: dict[str, list[int]] = {}
    for finding in survey.findings:
        by_kind.setdefault(finding.kind, []).append(finding.first)
    turns = sorted((place, kind, first) for kind, firsts in by_kind.items() for place, first in enumerate(firsts))
    figures = []
    for _, kind, first in turns[:MOST_PICTURES]:
        try:
            picture = to_screen(source.frame(first))[..., :3]
        except UnreadableFrameError:
            continue
        size = (PICTURE_WIDTH, max(1, round(PICTURE_WIDTH * picture.shape[0] / picture.shape[1])))
        small = cv2.resize(np.ascontiguousarray(picture), size, interpolation=cv2.INTER_AREA)
        data = cv2.imencode(".jpg", small, [cv2.IMWRITE_JPEG_QUALITY, PICTURE_QUALITY])[1]
        address = "data:image/jpeg;base64," + base64.b64encode(bytes(data)).decode()
        words = f"frame {first}: {WORDS.get(kind, kind)}"
        figures.append(f"<figure><img src='{address}' alt=''><figcaption>{words}</figcaption></figure>")
    return "".join(figures)


def _findings(survey: Survey) -> str:
    if not survey.findings:
        return "<p>Nothing.</p>"
    counter = Counter("timecode", survey.rate, None)
    rows = []
    for one in survey.findings[:MOST_ROWS]:
        figures = ", ".join(f"{name.replace('_', ' ')} {value:g}" for name, value in one.data()["figures"].items())
        shot = 1 + int(np.searchsorted(survey.cuts, one.first, "right"))
        rows.append(
            f"<tr><td class=number>{shot}</td><td class=number>{one.first}</td><td class=number>{one.last}</td>"
            f"<td>{counter.text(one.first)}</td><td>{WORDS.get(one.kind, one.kind)}</td><td>{escape(figures)}</td></tr>"
        )
    more = len(survey.findings) - MOST_ROWS
    rest = f"<p class=quiet>and {more} more</p>" if more > 0 else ""
    heads = "".join(f"<th>{head}</th>" for head in ("shot", "first frame", "last frame", "time", "what", "figures"))
    return f"<table><tr>{heads}</tr>{''.join(rows)}</table>{rest}"
