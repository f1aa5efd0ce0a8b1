"""Help: the first ten minutes."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from grevin.desktop.keys import Key, key_of, keys_of
from grevin.desktop.texts import tr

PAGE = """
<h3>First ten minutes</h3>
<p><b>1. Look.</b> Open the demo, or material of your own ({open_material}): the file is never written to.
{step_forward} and {step_back} step, {play} plays, the wheel zooms. Go to <b>Survey</b> ({go_survey}) and press
{survey}: every frame is measured once, while you go on working. What stands out is listed; {doubt_on} goes from one
to the next.</p>
<p><b>2. Repair one thing.</b> On the <b>Bench</b> ({go_bench}) press {add_step} and say what is wrong with the
picture. The card of the step has its settings; every tooltip says what one does, and empty settings do the job. Hold
{before} to see the source, {wipe} for a wipe, {evidence} for what the step is going to change. {test_strip} shows one
setting at several values.</p>
<p><b>3. Say where it is wrong.</b> With the evidence on, click a speck to leave it alone, or a place that was missed
to have it mended. Keep the step away from a place, or inside it, by a region ({draw_rectangle}, {draw_polygon}).
{undo} takes everything back, also tomorrow.</p>
<p><b>4. Write, and prove.</b> <b>Output</b> ({go_output}) writes aside, reads back, compares every frame, and only
then gives the file its name. Nothing but what the evidence shows has changed: the proof says so, frame by frame.</p>
<p>{show_keys} shows all keys.</p>
"""


def _told(key: Key) -> str:
    keys = keys_of(key)
    return f"<b>{keys[0] if keys else key.label}</b>"


def page() -> str:
    """The page as HTML, with the keys as they are."""
    names = {part.split("}")[0] for part in PAGE.split("{")[1:]}
    return tr(PAGE).format(**{name: _told(key_of(name)) for name in names})


class FirstMinutes(QDialog):
    """A window that may stay open beside the work."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("First ten minutes"))
        self.resize(520, 440)
        text = QTextBrowser()
        text.setHtml(page())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(text)
