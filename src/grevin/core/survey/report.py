"""The condition report: one HTML file that can be handed to a client, with its pictures and curves inside it."""

from __future__ import annotations

from collections import Counter as Tally
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from html import escape
from itertools import pairwise
from typing import Any

import numpy as np

from grevin import __version__
from grevin.core.picture.source import FrameSource
from grevin.core.survey.curves import curve_svg
from grevin.core.survey.measures.base import SPOT, Spots
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.report_pictures import picture_html
from grevin.core.survey.survey import Survey
from grevin.core.survey.words import CURVE_SCALES, curve_words, figures_words, kind_words
from grevin.core.timebase.counters import Counter

MOST_PICTURES = 9
GLANCES = 6
MOST_ROWS = 120
MOST_SHOTS = 60
STYLE = """
@page { margin: 15mm 14mm 16mm; @bottom-right { content: counter(page) " / " counter(pages); font-size: 9px;
  color: #777; } @bottom-left { content: string(reel); font-size: 9px; color: #777; } }
* { box-sizing: border-box; }
body { font: 13px/1.5 "B612", "Source Sans 3", "Noto Sans", sans-serif; color: #1d1d1d; background: #fff;
  max-width: 940px; margin: 32px auto; padding: 0 24px; }
@media print { body { margin: 0; padding: 0; max-width: none; font-size: 10.5px; } }
h1 { font-size: 27px; font-weight: 600; margin: 0 0 2px; string-set: reel content(); }
h2 { font-size: 16px; margin: 30px 0 8px; border-bottom: 1px solid #bbb; padding-bottom: 3px; break-after: avoid; }
h3 { font-size: 13px; margin: 18px 0 4px; break-after: avoid; }
p { margin: 0 0 6px; } .quiet { color: #666; } .short p { font-size: 115%; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; margin: 0 0 10px; }
td, th { padding: 3px 14px 3px 0; text-align: left; vertical-align: top; border-bottom: 1px solid #e6e6e6; }
th { font-weight: 600; color: #444; } .facts th { width: 170px; }
.number { text-align: right; width: 1%; white-space: nowrap; }
tr { break-inside: avoid; }
figure { display: inline-block; margin: 0 1.6% 14px 0; width: 31.4%; vertical-align: top; break-inside: avoid; }
figcaption { font-size: 90%; color: #444; } img { display: block; width: 100%; }
.curve { break-inside: avoid; margin: 8px 0 14px; } .curve b { font-weight: 600; } svg { display: block; width: 100%; }
"""
METHOD = (
    "Every frame was measured once, from the file's own code values. Levels: mean and percentiles of 255. Change "
    "of the light: median ratio of places that the motion joins, so that a passing thing is no flicker. Noise: "
    "standard deviation in the quietest quarter of the picture (Immerkær 1996). Spatial and temporal information: "
    "ITU-T P.910. Motion: dense, at half size. Cuts: where the last frame, moved onto the next, does not explain "
    "it, and the frames around do not belong together either. Repeats: where a frame changes less than three tenths "
    "of what the frames on both sides do. Dirt: specks that neither the frame before nor the one after shows, on "
    "half-size pictures."
)
LIMITS = (
    "Dirt is counted on pictures of half the size: specks below about two pixels are passed over, and of what flies "
    "(snow, glitter) some is counted. Dirt is not looked for on the first and last frame of a shot. Line scratches "
    "are told where the picture moves, dropouts on one frame of eight of interlaced pictures. The block grid is "
    "looked for along the lines, between 4 and 14 pixels. A finding is what stands out by "
    "these measures, not a judgement on the material."
)
FACTS = {
    "codec": "codec", "width": "width", "height": "height", "pixel_aspect": "pixel aspect", "rate": "frames a second",
    "frames": "frames", "duration_s": "seconds", "chroma": "chroma", "bit_depth": "bits a sample",
    "timecode": "timecode",
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Reported:
    """What a report is about.

    Attributes:
        title: what people call the reel.
        survey: what was measured.
        reel: facts as `grevin probe` gives them.
        source: the frames, for the pictures.
        counter: how frames are counted in it.
        after: the same of the treated reel, for a report of both; None before treatment.
        treated: the treated frames.
        names: of shots, by their first frames.
        output_of: which frame of the treated reel shows a frame of the reel.
    """

    title: str
    survey: Survey
    reel: dict[str, Any]
    source: FrameSource
    counter: Counter
    after: Survey | None = None
    treated: FrameSource | None = None
    names: dict[int, str] = field(default_factory=dict)
    output_of: Callable[[int], int] = int

    def shots(self) -> list[range]:
        """The shots, in order: those named by the operator or as measured."""
        frames = self.survey.frames
        firsts = sorted(self.names) or [frames.start, *self.survey.cuts]
        firsts = [frames.start, *(first for first in firsts if frames.start < first < frames.stop)]
        return [range(a, b) for a, b in zip(firsts, [*firsts[1:], frames.stop], strict=True)]

    def when(self, frame: int) -> str:
        """Timecode and number of a frame."""
        return f"{self.counter.text(frame)} (frame {frame})"


def report_html(about: Reported) -> str:
    """The whole report."""
    kind = "Condition report, before and after treatment" if about.after is not None else "Condition report"
    short = "".join(f"<p>{escape(line)}</p>" for line in summary_lines(about.survey))
    parts = [
        f"<h1>{escape(about.title)}</h1><p class=quiet>{kind} · {date.today():%d %B %Y} · Grevin {__version__}</p>",
        _section("In short", f"<div class=short>{short}</div>" + _glance(about)),
        _section("The material", _facts(about.reel)),
    ]
    if about.after is not None:
        parts.append(_section("Before and after", _compared(about)))
    parts += [
        _section("What stands out", _pictures(about) + _tally(about.survey)),
        _section("Shots", _shots(about)),
        _section("Curves", _curves(about)),
        _section("Findings", _findings(about)),
        _section("Method and limits", f"<p>{METHOD}</p><p>{LIMITS}</p>"),
    ]
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(about.title)}: {kind.lower()}</title>"
        f"<style>{STYLE}</style>{''.join(parts)}</html>\n"
    )


def _section(title: str, body: str) -> str:
    return f"<h2>{title}</h2>{body}"


def _table(heads: tuple[str, ...], rows: list[tuple[object, ...]], numbers: int = 0) -> str:
    """A table whose first `numbers` columns are figures."""
    head = "".join(
        f"<th class={'number' if place < numbers else 'words'}>{escape(name)}</th>" for place, name in enumerate(heads)
    )
    body = "".join(
        "<tr>" + "".join(
            f"<td class={'number' if place < numbers else 'words'}>{escape(str(value))}</td>"
            for place, value in enumerate(row)
        ) + "</tr>"
        for row in rows
    )  # fmt: skip
    return f"<table><tr>{head}</tr>{body}</table>"


def _facts(reel: dict[str, Any]) -> str:
    rows = ((words, reel.get(name)) for name, words in FACTS.items())
    shown = "".join(f"<tr><th>{words}</th><td>{escape(str(v))}</td></tr>" for words, v in rows if v is not None)
    return f"<table class=facts>{shown}</table>"


def _counts(survey: Survey) -> dict[str, int]:
    counts = dict(sorted(Tally(finding.kind for finding in survey.findings).items()))
    for kind, count in Tally(survey.spots["kind"].tolist()).items():
        counts[kind.decode()] = count
    return counts


def summary_lines(survey: Survey) -> list[str]:
    """The reel in a few sentences."""
    seen, shots = len(survey.frames), len(survey.cuts) + 1
    lines = [f"{seen} frames looked at, {shots} shot{'s' if shots > 1 else ''}."]
    if survey.frames.step > 1:
        lines = [f"Every {survey.frames.step}th frame looked at, {seen} in all; shots are not told apart."]
    if survey.cadence is not None:
        words = "no repeats" if survey.cadence.name == "none" else f"cadence {survey.cadence.name}"
        lines.append(f"Time: {words}; true rate {float(survey.cadence.true_rate):.5g} frames a second.")
    for name, words, unit in (
        ("dirt_count", "Dirt", "specks a frame"),
        ("scratch_length", "Scratches, where the picture moves", "picture heights a frame"),
        ("dropout_count", "Dropouts", "streaks a frame"),
        ("carried_lines", "Detail is carried by", "% of the lines"),
        ("noise", "Noise", "levels of 255"),
        ("level_luma_mean", "Mean level", "of 255"),
    ):  # fmt: skip
        curve = survey.series.get(name)
        if curve is not None and not np.isnan(curve).all():
            low, middle, high = np.nanpercentile(curve, (5, 50, 95))
            lines.append(f"{words}: {middle:.1f} {unit} (nine tenths of the frames between {low:.1f} and {high:.1f}).")
    told = ", ".join(f"{kind_words(kind)} ({count})" for kind, count in _counts(survey).items())
    lines.append(f"Stands out: {told}." if told else "Nothing stands out: by these measures there is nothing to do.")
    return lines


def _tally(survey: Survey) -> str:
    rows: list[tuple[object, ...]] = [(count, kind_words(kind)) for kind, count in _counts(survey).items()]
    return _table(("how often", "what"), rows, 1) if rows else "<p>Nothing.</p>"


def _compared(about: Reported) -> str:
    assert about.after is not None
    rows: list[tuple[object, ...]] = []
    for name in CURVE_SCALES:
        figures = []
        for survey in (about.survey, about.after):
            curve = survey.series.get(name)
            known = curve is not None and not np.isnan(curve).all()
            figures.append(f"{float(np.nanmean(survey.series[name])):.2f}" if known else "")
        if any(figures):
            rows.append((*figures, curve_words(name), about.survey.units[name]))
    before, after = _counts(about.survey), _counts(about.after)
    counts: list[tuple[object, ...]] = [
        (before.get(kind, 0), after.get(kind, 0), kind_words(kind)) for kind in sorted({*before, *after})
    ]
    parts = [_table(("before", "after", "mean of", ""), rows, 2), _table(("before", "after", "findings"), counts, 2)]
    worst = _worst(about.survey)[:3]
    for frame, words in worst:
        parts.append(picture_html(about.source, frame, f"before, {about.when(frame)}: {words}", ()))
        if about.treated is not None:
            parts.append(picture_html(about.treated, about.output_of(frame), f"after, {about.when(frame)}", ()))
    return "".join(parts)


def _worst(survey: Survey) -> list[tuple[int, str]]:
    """Frames worth a picture, each kind of finding in turn, so that many of one kind do not hide another."""
    by_kind: dict[str, list[tuple[float, int, str]]] = {}
    for finding in survey.findings:
        words = f"{kind_words(finding.kind)}, {figures_words(finding.data()['figures'])}".rstrip(", ")
        by_kind.setdefault(finding.kind, []).append((-finding.confidence, finding.first, words))
    dirt = survey.series.get("dirt_count")
    if dirt is not None and len(survey.spots):
        for a, b in pairwise([0, *(cut - survey.frames.start for cut in survey.cuts), len(dirt)]):
            place = a + int(np.argmax(np.nan_to_num(dirt[a:b])))  # the worst of each shot
            if dirt[place] > 0:
                words = f"{dirt[place]:.0f} specks of dirt"
                by_kind.setdefault("dirt", []).append((-float(dirt[place]), survey.frames[place], words))
    turns = sorted(
        (turn, kind, frame, words)
        for kind, rows in by_kind.items()
        for turn, (_, frame, words) in enumerate(sorted(rows))
    )
    return [(frame, words) for _, _, frame, words in turns]


def _glance(about: Reported) -> str:
    """The middle of each shot, for as many as fit a row or two."""
    shots = about.shots()
    chosen = sorted({round(place) for place in np.linspace(0, len(shots) - 1, min(len(shots), GLANCES))})
    parts = []
    for place in chosen:
        frames = shots[place]
        name = about.names.get(frames.start, "")
        words = f"shot {place + 1}{': ' + name if name else ''}, {about.counter.text(frames.start)}"
        parts.append(picture_html(about.source, frames[len(frames) // 2], words, ()))
    return f"<div>{''.join(parts)}</div>"


def _pictures(about: Reported) -> str:
    survey = about.survey
    return "".join(
        picture_html(about.source, frame, f"{about.when(frame)}: {words}", _outlined(survey, frame))
        for frame, words in _worst(survey)[:MOST_PICTURES]
    )


def _outlined(survey: Survey, frame: int) -> Spots:
    """Single places on a frame, and places of what holds from it on."""
    places = [
        (one.kind, frame, *one.area, 0, 0.0, one.confidence)
        for one in survey.findings if one.first == frame and one.area is not None
    ]  # fmt: skip
    return np.concatenate([survey.spots[survey.spots["frame"] == frame], np.array(places, SPOT)])


def _shots(about: Reported) -> str:
    rows: list[tuple[object, ...]] = []
    shots = about.shots()
    for number, frames in enumerate(shots[:MOST_SHOTS], 1):
        name = about.names.get(frames.start, "")
        proposal = proposal_for(about.survey, frames) if about.survey.cadence is not None else []
        words = "; ".join(f"{one.step}: {one.reason}" for one in proposal) or "nothing to do"
        rows.append((number, frames.start, frames.stop - 1, about.counter.text(frames.start), name, words))
    more = f"<p class=quiet>and {len(shots) - MOST_SHOTS} more</p>" if len(shots) > MOST_SHOTS else ""
    return _table(("shot", "first", "last", "begins at", "name", "what would help"), rows, 3) + more


def _curves(about: Reported) -> str:
    survey, parts = about.survey, []
    for name, scale in CURVE_SCALES.items():
        curve = survey.series.get(name)
        if curve is None or np.isnan(curve).all():
            continue
        title = f"<b>{curve_words(name)}</b> <span class=quiet>{escape(survey.units[name])}</span>"
        later = about.after.series.get(name) if about.after is not None else None
        drawn = curve_svg(curve, survey.frames, survey.cuts, scale, later)
        parts.append(f"<div class=curve>{title}{drawn}</div>")
    if about.after is not None:
        parts.insert(0, "<p class=quiet>Dark: before treatment; light: after it.</p>")
    return "".join(parts)


def _findings(about: Reported) -> str:
    """Findings shot by shot; single specks are counted, not listed."""
    survey, parts, left = about.survey, [], MOST_ROWS
    for number, frames in enumerate(about.shots(), 1):
        rows: list[tuple[object, ...]] = [
            (
                one.first,
                one.last,
                about.counter.text(one.first),
                kind_words(one.kind),
                figures_words(one.figures, one.area),
            )
            for one in survey.findings
            if one.first in frames
        ]
        specks = int(np.count_nonzero((survey.spots["frame"] >= frames.start) & (survey.spots["frame"] < frames.stop)))
        if specks:
            rows.append((frames.start, frames.stop - 1, "", "dirt", f"{specks} specks"))
        if rows and left > 0:
            name = about.names.get(frames.start, "")
            parts.append(f"<h3>Shot {number}{': ' + escape(name) if name else ''}</h3>")
            parts.append(_table(("first", "last", "begins at", "what", "figures"), rows[:left], 2))
        left -= len(rows)
    more = f"<p class=quiet>and {-left} more; CSV and JSON hold them all</p>" if left < 0 else ""
    return "".join(parts) + more if parts else "<p>Nothing.</p>"
