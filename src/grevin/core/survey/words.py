"""Kinds of findings and curves in words, for people."""

from __future__ import annotations

from grevin.core.picture.geometry import Area
from grevin.core.steps.registry import REGISTRY

KIND_WORDS = {
    "black": "black picture", "white": "white picture", "freeze": "frozen picture", "repeat": "repeated frame",
    "near_repeat": "frame repeated and compressed again", "held_noise": "noise that stays while the picture moves",
    "combing": "combing", "flash": "flash", "flicker": "flicker", "bands": "rolling band",
    "unreadable": "unreadable frame", "dirt": "dirt",
    "scratch": "scratches", "dropout": "dropouts", "edges": "black borders", "compression": "compression blocks",
    "stairs": "repeated lines", "chroma": "colour beside its edges or run out", "jitter": "lines that tremble",
    "wobble": "lines that sway together", "spot": "mark that stands while the picture moves",
    "left_alone": "frame left alone by a step",
}  # fmt: skip
CURVE_WORDS = {
    "level_luma_mean": "level", "light_change": "light change", "light_rows": "light of rows",
    "light_columns": "light of columns", "light_fields": "light of fields",
    "noise": "noise", "sharpness": "sharpness", "carried_lines": "detail, lines",
    "carried_columns": "detail, columns",
    "motion_p95": "motion", "temporal_information": "temporal information", "combing": "combing",
    "block_clearness": "block grid", "sample_lines": "lines a sample", "sample_columns": "columns a sample",
    "line_jitter": "line jitter", "wobble": "wobble",
    "colour_right": "colour to the right", "colour_down": "colour below",
    "colour_lines": "lines of colour apart", "colour_smear": "colour run out",
    "scratch_length": "scratches", "dropout_count": "dropouts",
    "dirt_count": "dirt", "dirt_area": "dirt, area",
    "spatial_information": "spatial information", "change_largest": "largest change",
    "change_displaced": "change by displacement",
}  # fmt: skip
# curve: lowest and highest of its drawing, so that what is next to nothing looks like it
CURVE_SCALES = {
    "level_luma_mean": (0.0, 255.0), "light_change": (-6.0, 6.0), "dirt_count": (0.0, 10.0),
    "scratch_length": (0.0, 6.0), "dropout_count": (0.0, 10.0), "noise": (0.0, 6.0),
    "sharpness": (0.0, 1.5), "carried_lines": (0.0, 100.0), "carried_columns": (0.0, 100.0),
    "motion_p95": (0.0, 12.0), "temporal_information": (0.0, 30.0), "combing": (0.0, 2.0),
    "block_clearness": (0.0, 12.0), "sample_lines": (0.0, 4.0), "sample_columns": (0.0, 4.0),
    "line_jitter": (0.0, 1.0), "wobble": (0.0, 2.0),
    "colour_right": (-4.0, 4.0), "colour_down": (-4.0, 4.0), "colour_smear": (0.0, 24.0),
    "colour_lines": (0.0, 6.0),
}  # fmt: skip


def kind_words(kind: str) -> str:
    """A kind of finding for people."""
    doubts = getattr(REGISTRY.steps.get(kind), "doubts_are", kind.replace("_", " "))
    return KIND_WORDS.get(kind, doubts)


def curve_words(name: str) -> str:
    """A curve for people."""
    return CURVE_WORDS.get(name, name.replace("_", " "))


def figures_words(figures: dict[str, float], area: Area | None = None) -> str:
    """Figures of a finding in one line, and the middle of its place where it has one."""
    figures = dict(figures)
    contrast = figures.pop("contrast", None)
    units = {
        "percent": "%", "period_frames": "frames", "pixels": "px", "parts_percent": "%", "rows_percent": "%",
        "fields_percent": "%",
        "heights": "picture heights", "streaks": "a frame", "right": "samples", "down": "samples",
        "smear": "px", "lines_apart": "samples",
    }  # fmt: skip
    names = {
        "percent": "", "period_frames": "every", "pixels": "", "frames": "", "parts_percent": "single parts",
        "rows_percent": "rows against the frame", "fields_percent": "one field against the other", "heights": "",
        "smear": "run out",
    }  # fmt: skip
    parts = []
    for name, value in figures.items():
        if name == "period_frames" and not value:
            continue
        words, unit = names.get(name, name.removesuffix("_px")), units.get(name, "px" if name.endswith("_px") else "")
        unit = "frames" if name == "frames" and value != 1 else "frame" if name == "frames" else unit
        parts.append(" ".join(part for part in (words.replace("_", " "), f"{value:.4g}", unit) if part))
    if contrast is not None:
        parts.append(f"{abs(contrast):.0f} levels {'brighter' if contrast > 0 else 'darker'}")
    if area is not None:
        x, y, width, height = area
        parts.append(f"at {x + width // 2}, {y + height // 2}")
    return ", ".join(parts)
