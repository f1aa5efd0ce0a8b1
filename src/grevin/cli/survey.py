"""`grevin survey`: what is wrong with a reel, and where."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import platformdirs
import typer
from rich.table import Table

from grevin.cli import console
from grevin.core.errors import UsageError
from grevin.core.intake.probe import probe
from grevin.core.job.document import reel_stem
from grevin.core.job.measured import MeasuredFile
from grevin.core.media.opening import Reader, open_reel
from grevin.core.progress import Progress
from grevin.core.survey.measures.base import Depth
from grevin.core.survey.report import Reported
from grevin.core.survey.report_files import write_report
from grevin.core.survey.survey import Survey, measured_key, run_survey
from grevin.core.survey.words import figures_words, kind_words
from grevin.core.timebase.counters import Counter
from grevin.core.timebase.rates import parse_range, parse_rate

MOST_LISTED = 60


def survey(
    source: Annotated[Path, typer.Argument(metavar="INPUT", help="Video file, folder or pattern (name.%06d.png).")],
    quick: Annotated[bool, typer.Option("--quick", help="Every fifth frame, the cheap measures only.")] = False,
    frames: Annotated[str | None, typer.Option("--range", help="Frames A:B, from A up to but not including B.")] = None,
    rate: Annotated[str | None, typer.Option(help="Frames per second of a picture sequence.")] = None,
    as_json: Annotated[Path | None, typer.Option("--json", help="File for everything, - for stdout.")] = None,
    report: Annotated[Path | None, typer.Option(help="Condition report, NAME.html or NAME.pdf.")] = None,
    as_csv: Annotated[Path | None, typer.Option("--csv", help="File for the curves, a row a frame.")] = None,
    after: Annotated[Path | None, typer.Option(help="The same reel treated: the report compares both.")] = None,
) -> None:
    """Measure a reel once, frame by frame, and say what stands out. A pass that was stopped goes on."""
    for path, endings in ((report, (".html", ".pdf")), (as_csv, (".csv",)), (as_json, (".json",))):
        if path is not None and str(path) != "-" and path.suffix.lower() not in endings:
            raise UsageError(f"“{path.name}” is another kind of file.", f"Use an ending of {' or '.join(endings)}.")
    depth: Depth = "quick" if quick else "full"
    given = parse_rate(rate) if rate else None
    with console.progress() as progress:
        reel = open_reel(source, progress, given)
        chosen = parse_range(frames, len(reel))
        treated = open_reel(after, progress, given) if after is not None else None
        if treated is not None and len(treated) != len(reel):
            raise UsageError(
                f"{after} has {len(treated)} frames, {source} {len(reel)}.", "Give the same reel, treated."
            )
        result = _measure(reel, chosen, depth, progress)
        later = _measure(treated, chosen, depth, progress) if treated is not None else None
    facts = probe(reel, None)
    counter = Counter("timecode", reel.format.rate, facts["timecode"])
    about = Reported(reel_stem(source), result, facts, reel, counter, later, treated)
    for path in (report, as_csv, as_json):
        if path is not None and str(path) != "-":
            write_report(path, about)
    if str(as_json) == "-":
        console.say_json(result.data(facts))
    else:
        _print(result)


def _measure(reel: Reader, frames: range, depth: Depth, progress: Progress) -> Survey:
    """Measure, and keep what was measured until all of it is: a pass that is stopped can go on."""
    begun = Path(platformdirs.user_cache_dir("grevin")) / "surveys" / f"{measured_key(reel, depth)}.sqlite"
    result = run_survey(reel, frames, depth, progress, MeasuredFile(begun))
    begun.unlink(missing_ok=True)
    return result


def _print(result: Survey) -> None:
    cuts = ", ".join(map(str, result.cuts)) or "none"
    console.say(f"{len(result.frames)} frames looked at; new shots at frames: {cuts}.")
    if result.cadence is not None:
        console.say(f"Cadence: {result.cadence.name}; true rate {float(result.cadence.true_rate):.3f} frames/s.")
    if len(result.spots):
        console.say(f"Dirt: {len(result.spots)} specks, {len(result.spots) / len(result.frames):.1f} a frame.")
    table = Table(title="What stands out")
    for heading in ("kind", "first frame", "last frame", "figures"):
        table.add_column(heading, justify="right" if "frame" in heading else "left")
    for one in result.findings[:MOST_LISTED]:
        table.add_row(kind_words(one.kind), str(one.first), str(one.last), figures_words(one.figures, one.area))
    if result.findings:
        console.say_table(table)
    else:
        console.say("Nothing else stands out." if len(result.spots) else "Nothing stands out.")
    if len(result.findings) > MOST_LISTED:
        console.note(f"and {len(result.findings) - MOST_LISTED} more: --json or --report hold them.")
