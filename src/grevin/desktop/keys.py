"""All keys, declared once: menus, tooltips and the page of keys are made from this list."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Key:
    """One act of the person.

    Attributes:
        act: name of the act (a method of the window).
        keys: key sequences that do it, the first is shown.
        group: heading on the page of keys; also the menu it stands in.
        label: what it does.
        held: whether it lasts while the key is held.
    """

    act: str
    keys: tuple[str, ...]
    group: str
    label: str
    held: bool = False


KEYS: tuple[Key, ...] = (
    Key("open_material", ("Ctrl+O",), "Job", "Open material or a job …"),
    Key("open_folder", ("Ctrl+Shift+O",), "Job", "Open a folder of pictures …"),
    Key("save_job_as", ("Ctrl+Shift+S",), "Job", "Keep a copy of the job as …"),
    Key("quit", ("Ctrl+Q",), "Job", "Quit"),
    Key("undo", ("Ctrl+Z",), "Change", "Undo"),
    Key("redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Change", "Redo"),
    Key("add_step", ("N",), "Change", "Add a step"),
    Key("step_back", ("D", "Left"), "Go", "One frame back"),
    Key("step_forward", ("F", "Right"), "Go", "One frame forward"),
    Key("ten_back", ("Shift+D", "Shift+Left"), "Go", "Ten frames back"),
    Key("ten_forward", ("Shift+F", "Shift+Right"), "Go", "Ten frames forward"),
    Key("shot_back", ("Ctrl+D", "Up"), "Go", "To the previous cut"),
    Key("shot_forward", ("Ctrl+F", "Down"), "Go", "To the next cut"),
    Key("to_start", ("Home",), "Go", "To the first frame"),
    Key("to_end", ("End",), "Go", "To the last frame"),
    Key("play", ("Space",), "Go", "Play or stop"),
    Key("before", ("X",), "Look", "Before: the source, while held", held=True),
    Key("wipe", ("C",), "Look", "Wipe between source and view point"),
    Key("evidence", ("V",), "Look", "Evidence of the selected step"),
    Key("view_back", ("W",), "Look", "View point one step towards the source"),
    Key("view_on", ("R",), "Look", "View point one step on"),
    Key("zoom_fit", ("Z",), "Look", "Fit the picture to the light table"),
    Key("zoom_100", ("1",), "Look", "100 %"),
    Key("zoom_200", ("2",), "Look", "200 %"),
    Key("zoom_300", ("3",), "Look", "300 %"),
    Key("zoom_400", ("4",), "Look", "400 %"),
    Key("zoom_in", ("+", "="), "Look", "Zoom in"),
    Key("zoom_out", ("-",), "Look", "Zoom out"),
    Key("full_screen", ("F11",), "Look", "Full screen"),
    Key("go_bench", ("F2",), "Place", "Bench"),
    Key("go_output", ("F3",), "Place", "Output"),
    Key("show_keys", ("F1",), "Help", "Keys"),
    Key("about", (), "Help", "About Grevin"),
)


def key_of(act: str) -> Key:
    """The entry of an act."""
    return next(key for key in KEYS if key.act == act)


def hint(act: str) -> str:
    """Label with its key, for tooltips."""
    key = key_of(act)
    return f"{key.label} ({key.keys[0]})" if key.keys else key.label


def page() -> str:
    """The page of keys as HTML."""
    parts = []
    for group in dict.fromkeys(key.group for key in KEYS):
        rows = "".join(
            f"<tr><td style='padding-right:24px'>{', '.join(key.keys)}</td><td>{key.label}</td></tr>"
            for key in KEYS
            if key.group == group and key.keys
        )
        if rows:
            parts.append(f"<h4>{group}</h4><table>{rows}</table>")
    mouse = (
        "<h4>Pointer</h4><table><tr><td style='padding-right:24px'>wheel</td><td>zoom at the pointer</td></tr>"
        "<tr><td>drag</td><td>move the picture; take hold of the wipe's line</td></tr>"
        "<tr><td>double click</td><td>fit or 100 %</td></tr></table>"
    )
    return "".join(parts) + mouse
