"""What a reel says of itself, as plain data."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from grevin.core.intake.examination import Examination, contradictions
from grevin.core.media.image_sequence import ImageSequence
from grevin.core.media.opening import Reader
from grevin.core.timebase.rates import rate_text

PROBE_FORMAT, PROBE_VERSION = "grevin-probe", 1
_MATRIX_NAMES = {1: "bt709", 5: "bt470bg", 6: "smpte170m", 9: "bt2020nc"}  # ITU-T H.273, table 4


def probe(reel: Reader, examined: Examination | None = None) -> dict[str, Any]:
    """The contents of `grevin probe --json`.

    Args:
        reel: the material.
        examined: what its pictures show; None where they were not looked at.
    """
    fmt = reel.format
    matrix, primaries, transfer, _ = fmt.colour_tags
    common: dict[str, Any] = {
        "format": PROBE_FORMAT,
        "version": PROBE_VERSION,
        "width": fmt.width,
        "height": fmt.height,
        "pixel_aspect": rate_text(fmt.pixel_aspect),
        "rate": rate_text(fmt.rate),
        "frames": len(reel),
        "duration_s": round(float(len(reel) / fmt.rate), 6),
        "field_order": {"declared": fmt.field_order, "measured": examined.scan if examined is not None else None},
        "chroma": fmt.chroma if fmt.model == "yuv" else fmt.model,
        "bit_depth": fmt.bit_depth,
        "alpha": fmt.alpha,
        "colour": {
            "model": fmt.model,
            "range": "full" if fmt.full_range else "limited",
            "matrix": fmt.matrix if fmt.model == "yuv" else None,
            "matrix_declared": _MATRIX_NAMES.get(matrix),
            "primaries_tag": primaries,
            "transfer_tag": transfer,
        },
        "notes": list(reel.notes),
        "contradictions": list(contradictions(fmt, examined)),
    }
    if examined is not None:
        common["codes"] = {"lowest": examined.lowest, "highest": examined.highest, "of": 255}
        common["unreadable"] = [{"frame": frame, "reason": reason} for frame, reason in examined.unreadable]
    return {**common, **_carrier(reel)}


def _carrier(reel: Reader) -> dict[str, Any]:
    if isinstance(reel, ImageSequence):
        kind = reel.pattern.path(reel.first_number).suffix.lstrip(".").lower()
        return {
            "timecode": None,
            "audio": [],
            "codec": kind,
            "container": "sequence",
            "variable_rate": False,
            "missing": list(reel.missing),
        }
    details = reel.details
    return {
        "timecode": details.timecode,
        "audio": [asdict(track) for track in details.audio],
        "codec": details.codec,
        "container": details.container,
        "variable_rate": details.variable_rate,
        "missing": [],
    }
