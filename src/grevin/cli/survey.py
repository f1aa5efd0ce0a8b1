"""`grevin survey`: what is wrong with a reel, and where."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Annotated

import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.errors import UsageError
from grevin.core.intake.probe import probe
from grevin.core.job.document import reel_stem
from grevin.core.media.opening import open_reel
from grevin.core.survey.report import report_html
from grevin.core.survey.survey import Survey, run_survey
from grevin.core.timebase.rates import parse_range, parse_rate


def survey(
    source: Annotated[Path, typer.Argument(metavar="INPUT", help="Video file, folder or pattern (name.%06d.png).")],
    quick: Annotated[bool, typer.Option("--quick", help="Every fifth frame, the cheap measures only.")] = False,
    frames: Annotated[str | None, typer.Option("--range", help="Frames A:B, from A up to but not including B.")] = None,
    rate: Annotated[str | None, typer.Option(help="Frames per second of a picture sequence.")] = None,
    as_json: Annotated[Path | None, typer.Option("--json", help="File for everything, - for stdout.")] = None,
    report: Annotated[Path | None, typer.Option(help="Condition report, NAME.html.")] = None,
    as_csv: Annotated[Path | None, typer.Option("--csv", help="File for the curves, a row a frame.")] = None,
) -> None:
    """Measure a reel once, frame by frame, and say what stands out."""
    for path, ending in ((report, ".html"), (as_csv, ".csv"), (as_json, ".json")):
        if path is not None and str(path) != "-" and path.suffix.lower() != ending:
            raise UsageError(f"“{path.name}” is another kind of file.", f"Use an ending of {ending}.")
    with console.progress() as progress:
        reel = open_reel(source, progress, parse_rate(rate) if rate else None)
        result = run_survey(reel, parse_range(frames, len(reel)), quick, progress)
    facts = probe(reel, None)
    data = result.data(facts)
    try:
        if report is not None:
            _write(report, report_html(reel_stem(source), result, facts, reel))
        if as_csv is not None:
            _write(as_csv, _csv(result))
        if as_json is not None and str(as_json) != "-":
            _write(as_json, json.dumps(data) + "\n")
    except OSError as fault:
        raise UsageError(f"{fault.filename} cannot be written ({fault.strerror}).", "Choose another place.") from fault
    if str(as_json) == "-":
        console.say_json(data)
    else:
        _print(result)


def _write(path: Path, text: str) -> None:
    """Aside first, so that nothing half-written bears the name."""
    aside = path.with_name(f".{path.name}.part")
    aside.write_text(text, encoding="utf-8")
    aside.replace(path)


def _csv(result: Survey) -> str:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(["frame", *result.series])
    for place, number in enumerate(result.frames):
        values = (curve[place] for curve in result.series.values())
        writer.writerow([number, *("" if value != value else f"{value:.3f}" for value in values)])  # NaN: nothing
    return stream.getvalue()


def _print(result: Survey) -> None:
    cuts = ", ".join(map(str, result.cuts)) or "none"
    console.say(f"{len(result.frames)} frames looked at; new shots at frames: {cuts}.")
    if result.cadence is not None:
        console.say(f"Cadence: {result.cadence.name}; true rate {float(result.cadence.true_rate):.3f} frames/s.")
    table = Table(title="What stands out")
    for heading in ("kind", "first frame", "last frame", "figures"):
        table.add_column(heading, justify="right" if "frame" in heading else "left")
    for one in result.findings:
        figures = ", ".join(f"{name.replace('_', ' ')} {value:g}" for name, value in one.data()["figures"].items())
        table.add_row(one.kind.replace("_", " "), str(one.first), str(one.last), figures)
    if result.findings:
        console.say_table(table)
    else:
        console.say("Nothing stands out.")
