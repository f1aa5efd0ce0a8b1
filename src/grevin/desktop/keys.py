"""All keys, declared once: menus, tooltips and the page of keys are made from this list. A person may choose others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from grevin.desktop.texts import tr


@dataclass(frozen=True)
class Key:
    """One act of the person.

    Attributes:
        act: name of the act (a method of the window).
        keys: key sequences that do it, the first is shown.
        group: heading on the page of keys; also the menu it stands in, but for acts of single steps.
        label: what it does.
        held: whether it lasts while the key is held.
        on_card: words on the button on the step's card, for acts that belong to one step.
        holds_tool: whether it takes a tool in hand, and puts it away again.
        on_release: whether it is done when the key is let go (space moves the picture while it is down).
    """

    act: str
    keys: tuple[str, ...]
    group: str
    label: str
    held: bool = False
    on_release: bool = False
    on_card: str = ""
    holds_tool: bool = False

    @property
    def in_sight(self) -> frozenset[str]:
        """The places of which one has to be in sight; none where it holds everywhere."""
        if self.on_card:
            return frozenset({"go_bench"})
        return IN_SIGHT.get(self.act, IN_SIGHT.get(self.group, frozenset()))

    @property
    def menu(self) -> str:
        """The menu it stands in."""
        return "Step" if self.on_card else self.group


BENCH = frozenset({"go_bench"})
LOOKING = BENCH | {"go_survey"}
PICTURES = LOOKING | {"go_intake"}
# by group, or by act where it differs from its group
IN_SIGHT: dict[str, frozenset[str]] = {
    "Change": BENCH, "Region": BENCH, "Go": PICTURES, "Look": BENCH, "Verdict": LOOKING, "Survey": LOOKING,
    "Measure": BENCH,
    **dict.fromkeys(("undo", "redo", "save_recipe", "take_recipe", "full_screen", "surround"), frozenset[str]()),
    **dict.fromkeys(("made_back", "made_on", "play_seam", "another_source"), BENCH),
    **dict.fromkeys(("zoom_fit", "zoom_100", "zoom_200", "zoom_300", "zoom_400", "zoom_in", "zoom_out"), LOOKING),
    **dict.fromkeys(("pan_left", "pan_right", "pan_up", "pan_down", "one_picture", "before"), LOOKING),
}  # fmt: skip

KEYS: tuple[Key, ...] = (
    Key("open_material", ("Ctrl+O",), "Job", "Open material or a job …"),
    Key("open_demo", (), "Job", "Open the demo: the harbour reel of Port Ellery"),
    Key("open_folder", ("Ctrl+Shift+O",), "Job", "Open a folder …"),
    Key("add_reels", ("Ctrl+L",), "Job", "Add reels to this job …"),
    Key("add_folder", ("Ctrl+Shift+L",), "Job", "Add a folder's reels to this job …"),
    Key("reel_back", ("Ctrl+PgUp",), "Job", "Previous reel of the job"),
    Key("reel_on", ("Ctrl+PgDown",), "Job", "Next reel of the job"),
    Key("open_again", ("Ctrl+R",), "Job", "Open the reel again, after it was changed on disk"),
    Key("save_job_as", ("Ctrl+Shift+S",), "Job", "Save the job as …"),
    Key("start_page", ("Ctrl+Home",), "Job", "Close the job, back to the start"),
    Key("quit", ("Ctrl+Alt+Q",), "Job", "Quit"),
    Key("undo", ("Ctrl+Z",), "Change", "Undo"),
    Key("redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Change", "Redo"),
    Key("add_step", ("N",), "Change", "Add a step"),
    Key("card_before", ("Ctrl+Up",), "Change", "Select the step before"),
    Key("card_after", ("Ctrl+Down",), "Change", "Select the step after"),
    Key("step_earlier", ("Alt+PgUp",), "Change", "Move the selected step towards the source"),
    Key("step_later", ("Alt+PgDown",), "Change", "Move the selected step on"),
    Key("step_again", ("Ctrl+Shift+N",), "Change", "The selected step once more"),
    Key("step_rests", ("Shift+N",), "Change", "Switch the selected step on or off"),
    Key("step_out", ("Ctrl+Del",), "Change", "Take the selected step out"),
    Key("save_recipe", ("Ctrl+Alt+S",), "Change", "Save the treatment as a recipe …"),
    Key("take_recipe", ("Ctrl+Alt+O",), "Change", "Take a recipe …"),
    Key("test_strip", ("P",), "Change", "Test strip of a setting"),
    Key("measure_left", ("Shift+P",), "Change", "Measure what the selected step left of its fault"),
    Key("draw_rectangle", ("Alt+1",), "Region", "Draw a rectangle: where the step may act"),
    Key("draw_ellipse", ("Alt+2",), "Region", "Draw an ellipse"),
    Key("draw_polygon", ("Alt+3",), "Region", "Draw a polygon"),
    Key("region_key", ("Alt+K",), "Region", "Key frame of the region on this frame, or none any more"),
    Key("region_out", ("Alt+Del",), "Region", "Take out the region that is worked on"),
    Key("copy_regions", ("Ctrl+C",), "Region", "Copy the regions of the selected step"),
    Key("paste_regions", ("Ctrl+V",), "Region", "Give the selected step the regions that were copied"),
    Key("step_back", ("D", "Left"), "Go", "One frame back"),
    Key("step_forward", ("F", "Right"), "Go", "One frame forward"),
    Key("ten_back", ("Shift+D", "Shift+Left"), "Go", "Ten frames back"),
    Key("ten_forward", ("Shift+F", "Shift+Right"), "Go", "Ten frames forward"),
    Key("shot_back", ("Ctrl+D", "Up"), "Go", "To the previous cut"),
    Key("shot_forward", ("Ctrl+F", "Down"), "Go", "To the next cut"),
    Key("to_start", ("Home",), "Go", "To the first frame"),
    Key("to_end", ("End",), "Go", "To the last frame"),
    Key("play", ("Space",), "Go", "Play or stop", on_release=True),
    Key("shuttle_back", ("A",), "Go", "Shuttle backwards, again for faster"),
    Key("shuttle_forward", ("G",), "Go", "Shuttle forwards, again for faster"),
    Key("made_back", ("Shift+W",), "Go", "To the previous rebuilt frame"),
    Key("made_on", ("Shift+R",), "Go", "To the next rebuilt frame"),
    Key("play_seam", ("Shift+E",), "Go", "Play over the seam in a loop"),
    Key("loop_start", ("Q",), "Go", "The loop begins here"),
    Key("loop_end", ("E",), "Go", "The loop ends here"),
    Key("loop_shot", ("Ctrl+E",), "Go", "Loop over this shot"),
    Key("loop_all", ("Shift+Q",), "Go", "Loop over the whole reel"),
    Key("count", ("H",), "Go", "Count in frames, timecode or feet"),
    Key("before", ("X",), "Look", "Before: the source, while held", held=True),
    Key("one_picture", ("Esc",), "Look", "One picture, nothing over it"),
    Key("wipe", ("C",), "Look", "Wipe between source and view point"),
    Key("turn_wipe", ("Shift+C",), "Look", "Turn the wipe's line"),
    Key("side", ("S",), "Look", "Source and view point side by side"),
    Key("splice", ("Shift+S",), "Look", "Seam view: last good, this and first good frame side by side"),
    Key("difference", ("Shift+T",), "Look", "Difference between source and view point"),
    Key("taken", ("T",), "Look", "Taken away: source minus result"),
    Key("gain_up", ("Shift+G",), "Look", "More gain for difference and taken away"),
    Key("gain_down", ("Shift+A",), "Look", "Less gain"),
    Key("evidence", ("V",), "Look", "Evidence of the selected step"),
    Key("mask", ("Shift+V",), "Look", "Evidence as the mask alone"),
    Key("colour", ("0",), "Look", "All channels"),
    Key("red", ("5",), "Look", "Red alone"),
    Key("green", ("6",), "Look", "Green alone"),
    Key("blue", ("7",), "Look", "Blue alone"),
    Key("luma", ("8",), "Look", "Luma alone"),
    Key("chroma", ("9",), "Look", "Chroma alone"),
    Key("one_field", ("I",), "Look", "One field alone: frame keys then go field by field; again for both"),
    Key("pixels", ("O",), "Look", "Pixels in their true shape or square"),
    Key("view_back", ("W",), "Look", "View point one step towards the source"),
    Key("view_on", ("R",), "Look", "View point one step on"),
    Key("zoom_fit", ("Z",), "Look", "Fit the picture to the light table"),
    Key("zoom_100", ("1",), "Look", "100 %"),
    Key("zoom_200", ("2",), "Look", "200 %"),
    Key("zoom_300", ("3",), "Look", "300 %"),
    Key("zoom_400", ("4",), "Look", "400 %"),
    Key("zoom_in", ("+", "="), "Look", "Zoom in"),
    Key("zoom_out", ("-",), "Look", "Zoom out"),
    Key("pan_left", ("Alt+Left",), "Look", "Move the picture: left"),
    Key("pan_right", ("Alt+Right",), "Look", "right"),
    Key("pan_up", ("Alt+Up",), "Look", "up"),
    Key("pan_down", ("Alt+Down",), "Look", "down"),
    Key("surround", (), "Look", "Light surround, for a bright room"),
    Key("wider_strip", ("Ctrl+N",), "Look", "Neighbour strip of three, five or seven frames"),
    Key("full_screen", ("F11",), "Look", "The picture on the full screen"),
    Key("doubt_on", (".", "Alt+V"), "Verdict", "To the next doubtful place, or finding of the survey"),
    Key("doubt_back", (",",), "Verdict", "To the previous doubtful place, or finding"),
    Key("leave", ("Backspace", "Alt+X"), "Verdict", "Leave the place alone"),
    Key("mend", ("Y", "Alt+Z"), "Verdict", "Mend the place"),
    Key("undecided", ("U", "Alt+C"), "Verdict", "Undecided again: the step decides"),
    Key("another_source", ("Shift+U",), "Verdict", "Mend the place from another source, where a step has several"),
    Key("play_around", ("Shift+Y",), "Verdict", "Play with the frames around the finding"),
    Key("survey", ("Alt+S",), "Survey", "Survey the reel; again to pause and go on"),
    Key("quick_survey", ("Alt+Shift+S",), "Survey", "Quick survey: every fifth frame"),
    Key("survey_loop", ("Ctrl+Alt+L",), "Survey", "Survey the loop alone"),
    Key("split_shot", ("Ctrl+I",), "Survey", "Split the shot before this frame"),
    Key("join_shot", ("Ctrl+Shift+I",), "Survey", "Join the shot with the one before"),
    Key("mark", ("Ctrl+M",), "Survey", "Mark this frame"),
    Key("mark_back", ("Ctrl+,",), "Survey", "To the previous mark"),
    Key("mark_on", ("Ctrl+.",), "Survey", "To the next mark"),
    Key("measure", ("M",), "Measure", "Measure: drag a box"),
    Key("measure_whole", ("Shift+M",), "Measure", "Measure what the light table shows"),
    Key("colour_range", ("Shift+B",), "Measure", "Colour range: only the colours of the box, and how steady they are"),
    Key("scopes", ("B",), "Measure", "Scopes"),
    Key("go_intake", ("F2",), "Place", "Intake"),
    Key("go_survey", ("F3",), "Place", "Survey"),
    Key("go_bench", ("F4",), "Place", "Bench"),
    Key("go_output", ("F5",), "Place", "Output"),
    Key("show_keys", ("F1",), "Help", "Keys"),
    Key("first_minutes", (), "Help", "First ten minutes"),
    Key("about", (), "Help", "About Grevin"),
)


POINTER = (
    ("wheel", "zoom at the pointer"),
    ("drag", "move the picture; take hold of the wipe's line or its turning knob"),
    ("space and drag, middle button", "move the picture while measuring"),
    ("Shift and drag", "measure a box"),
    ("double click", "fit or 100 %"),
    ("click, while evidence is shown", "leave a mended place, or mend one that was missed"),
)
_chosen: dict[str, tuple[str, ...]] = {}  # a person's own keys by act; one person sits before the application


def use_keys(chosen: Mapping[str, tuple[str, ...]]) -> None:
    """Show the keys that a person chose wherever keys are told."""
    _chosen.clear()
    _chosen.update(chosen)


def keys_of(key: Key) -> tuple[str, ...]:
    """The keys of an act as they are now."""
    return _chosen.get(key.act, key.keys)


def key_of(act: str) -> Key:
    """The entry of an act."""
    return next(key for key in KEYS if key.act == act)


def hint_of(key: Key, words: str = "") -> str:
    """Label, or other words, with the key, for tooltips."""
    keys = keys_of(key)
    return f"{tr(words or key.label)} ({keys[0]})" if keys else tr(words or key.label)


def hint(act: str) -> str:
    """Label of an act with its key, for tooltips."""
    return hint_of(key_of(act))
