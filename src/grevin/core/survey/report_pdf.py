"""The condition report as PDF, laid out from the same HTML by WeasyPrint, in the font that comes with Grevin."""

from __future__ import annotations

import warnings
from pathlib import Path

from grevin.core.errors import OutputError

FONTS = Path(__file__).parents[2] / "fonts"
FACES = "".join(
    f"@font-face {{ font-family: B612; font-weight: {weight}; src: url({(FONTS / name).as_uri()}); }}"
    for name, weight in (("B612-Regular.otf", 400), ("B612-Bold.otf", 600))
)


def report_pdf(html: str) -> bytes:
    """A PDF of the report.

    Raises:
        OutputError: where the system library for laying out text is missing.
    """
    try:
        # loaded here: it needs Pango, which the rest of Grevin does without
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", DeprecationWarning)  # of HarfBuzz's part that makes files smaller
            from weasyprint import CSS, HTML
            from weasyprint.text.fonts import FontConfiguration
    except OSError as fault:
        raise OutputError(
            f"A PDF cannot be laid out here ({fault}).", "Install libpango-1.0-0 and libpangoft2-1.0-0, or write .html."
        ) from fault
    fonts = FontConfiguration()
    return bytes(HTML(string=html).write_pdf(stylesheets=[CSS(string=FACES, font_config=fonts)], font_config=fonts))
