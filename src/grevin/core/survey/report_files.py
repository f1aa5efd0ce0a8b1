"""A survey in files: the report to hand over, the curves, everything."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from pathlib import Path

from grevin.core.errors import OutputError, UsageError
from grevin.core.survey.report import Reported, report_html
from grevin.core.survey.report_pdf import report_pdf


def check_report_path(path: Path) -> None:
    """Refuse an ending that is no report's.

    Raises:
        UsageError: with those that are.
    """
    if path.suffix.lower() not in _WRITERS:
        raise UsageError(f"“{path.name}” is no name for a report.", f"Use an ending of {', '.join(_WRITERS)}.")


def write_report(path: Path, about: Reported) -> None:
    """Write a survey, by the ending: .html and .pdf to hand over, .csv for the curves, .json for everything.

    Aside first, so that nothing half-written bears the name.

    Raises:
        UsageError: for another ending.
        OutputError: if it cannot be written there.
    """
    check_report_path(path)
    content = _WRITERS[path.suffix.lower()](about)
    aside = path.with_name(f".{path.name}.part")
    try:
        aside.write_bytes(content)
        aside.replace(path)
    except OSError as fault:
        aside.unlink(missing_ok=True)
        raise OutputError(f"{path} cannot be written ({fault.strerror}).", "Choose another folder.") from fault


def _curves(about: Reported) -> bytes:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(["frame", *about.survey.series])
    for place, number in enumerate(about.survey.frames):
        values = (curve[place] for curve in about.survey.series.values())
        writer.writerow([number, *("" if value != value else f"{value:.3f}" for value in values)])  # NaN: nothing
    return stream.getvalue().encode()


_WRITERS: dict[str, Callable[[Reported], bytes]] = {
    ".html": lambda about: report_html(about).encode(),
    ".pdf": lambda about: report_pdf(report_html(about)),
    ".csv": _curves,
    ".json": lambda about: json.dumps(about.survey.data(about.reel)).encode() + b"\n",
}
