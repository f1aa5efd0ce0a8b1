"""What is wanted of an output beyond its pictures: a control for each of them, shown where it says something."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, get_args

from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QFormLayout, QHBoxLayout, QWidget

from grevin.core.media.codings import QUALITIES
from grevin.core.picture.depth import DEPTHS
from grevin.core.render.playing import LONGEST_BLACK_S
from grevin.core.render.request import Sound
from grevin.core.render.versions import Version
from grevin.core.render.wanted import Wanted
from grevin.desktop.texts import tr

# The control of each thing that `Wanted` has
CONTROLS = {
    "quality": "quality", "enlarged_lines": "enlarge", "first_field": "first_field", "whole_frames": "whole_frames",
    "most_lines": "lines", "square_pixels": "square", "colours": "colours", "chroma": "chroma", "levels": "levels",
    "plays_at": "rate", "black_before_s": "before", "black_after_s": "after", "sound": "sound", "bits": "bits",
    "dither": "dither",
}  # fmt: skip
ENLARGED_LINES = (720, 1080, 1440, 2160)  # of deliveries
MOST_LINES = (2160, 1080, 720, 576, 480, 360)  # usual heights of pictures that are looked at
RATES = ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")  # of deliveries
WORDS: dict[str, dict[str, str]] = {
    "quality": {
        "finest": "finest: no loss to be seen, large", "fine": "fine: hardly any loss",
        "small": "small: for a quick look",
    },
    "first_field": {
        "own": "fields as treated", "top": "top field first", "bottom": "bottom field first",
    },
    "colours": {"own": "as the material", "bt709": "of HD (BT.709)"},
    "levels": {"own": "levels as the material", "limited": "limited range", "full": "full range"},
}  # fmt: skip
HELP = {
    "sound": "Sound is carried over untouched where the picture plays as long as before. Where it does not: padded "
    "keeps its speed, with silence or a cut at its end; re-timed plays it at another speed, its pitch with it.",
    "enlarge": "A version may be larger than the others of the same treatment: its pictures go through “Enlarge” at "
    "the end, whose settings are those of the treatment where it stands there.",
    "first_field": "Of interlaced pictures, for players and lines that expect the other field first: the picture lies "
    "one line higher or lower, and every line keeps its moment.",
    "whole_frames": "Interlaced pictures, and film that lies over fields, become whole frames: by the step “Fields”, "
    "before everything else, where the treatment has none. Progressive material stays as it is.",
    "lines": "Larger pictures are made smaller, evenly across and down; smaller ones stay.",
    "square": "For players that take no notice of the shape of pixels: the width follows from the lines.",
    "colours": "High definition has other colours than tape of standard definition: other weights of red, green and "
    "blue in luma, and other primaries. Of an enlarged picture that is delivered as HD, choose BT.709.",
    "chroma": "How fine colour is coded. Few players show anything but 4:2:0; what is worked on further keeps more "
    "with 4:2:2.",
    "levels": "Limited: black at 16 and white at 235 of 8 bits, as video has them and every player expects. Full: 0 "
    "to 255.",
    "rate": "The same pictures, none left out or added, shown so many a second: film of 24 as video of 25, say. "
    "Sound that no longer fits is left out unless you have it padded or re-timed.",
    "before": "Black with silence. A timecode begins as much earlier, so that the pictures keep theirs.",
    "bits": "More bits keep what a step that changes whole pictures made between two code values; samples that "
    "nothing changed keep their values.",
    "dither": "Round what a step changed with fine noise, so that soft gradients show no steps.",
}
HELP["after"] = HELP["before"]


class Wishes(QWidget):
    """Quality, size, fields, shape, colours, rate, black, sound, depth."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.quality, self.enlarge, self.first_field, self.lines = (QComboBox() for _ in range(4))
        self.colours, self.chroma, self.levels, self.rate = (QComboBox() for _ in range(4))
        self.sound, self.bits = QComboBox(), QComboBox()
        self.whole_frames, self.square = QCheckBox(tr("Whole frames")), QCheckBox(tr("Square pixels"))
        self.dither = QCheckBox(tr("Dither"))
        self.before, self.after = QDoubleSpinBox(), QDoubleSpinBox()
        for name in CONTROLS.values():
            control = getattr(self, name)
            control.setObjectName(f"output_{name}")
            control.setToolTip(tr(HELP[name]) if name in HELP else "")
        self.whole_frames.toggled.connect(self.first_field.setDisabled)
        self._fill()
        self._make_rows()

    def _fill(self) -> None:
        for name, words in WORDS.items():
            for value, label in words.items():
                getattr(self, name).addItem(tr(label), value)
        self.quality.setCurrentIndex(QUALITIES.index("fine"))
        for sound in get_args(Sound):
            self.sound.addItem(tr(sound), sound)
        for name, offered in (
            ("enlarge", (None, *ENLARGED_LINES)), ("lines", (None, *MOST_LINES)), ("rate", ("", *RATES)),
        ):  # fmt: skip
            for one in offered:
                self._show(name, one)
        for number, suffix in ((self.before, tr(" s before")), (self.after, tr(" s after"))):
            number.setRange(0.0, LONGEST_BLACK_S)
            number.setDecimals(1)
            number.setSuffix(suffix)
        for box in (self.quality, self.sound):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)

    def _make_rows(self) -> None:
        """What belongs together is one row."""
        self._fields_row = row(self.first_field, self.whole_frames, None)
        self._shape_row = row(self.lines, self.square, None)
        self._chroma_row = row(self.chroma, self.levels, None)
        self._black_row = row(self.before, self.after, None)
        self._depth_row = row(self.bits, self.dither, None)

    def add_rows(self, form: QFormLayout) -> None:
        """Those of the picture."""
        for label, part in (
            (tr("Quality"), self.quality), (tr("Enlarged"), self.enlarge), (tr("Fields"), self._fields_row),
            (tr("Shape"), self._shape_row), (tr("Colours"), self.colours), (tr("Chroma"), self._chroma_row),
            (tr("Rate"), self.rate), (tr("Black"), self._black_row),
        ):  # fmt: skip
            form.addRow(label, part)

    def add_last_rows(self, form: QFormLayout) -> None:
        """Sound and depth."""
        form.addRow(tr("Sound"), self.sound)
        form.addRow(tr("Depth"), self._depth_row)

    def applies(self, name: str, version: Version) -> bool:
        """Whether what `Wanted` calls so says anything of a version."""
        coding = version.coding
        if name == "sound":
            return version.sound_alone or coding is not None
        if version.sound_alone:
            return False
        if name in {"enlarged_lines", "whole_frames"}:
            return True
        if name in {"bits", "dither"}:
            return coding is None or coding.lossless or len(coding.bits) > 1
        if coding is None or coding.lossless:
            return False
        special = {
            "quality": bool(coding.qualities), "chroma": len(coding.chroma) > 1, "levels": coding.full_range,
            "first_field": coding.fields,
        }  # fmt: skip
        return special.get(name, True)

    def show_what_applies(self, form: QFormLayout, version: Version) -> None:
        """Rows and controls that say something of a version."""
        coding = version.coding
        lossy = coding is not None and not coding.lossless
        depths = coding.bits if coding is not None and lossy else DEPTHS
        self._offer("bits", {None: "as the material", **{bits: f"{bits} bit" for bits in depths}})
        offered = {one: one for one in coding.chroma[1:]} if coding is not None else {}
        self._offer("chroma", {"usual": coding.chroma[0] if coding is not None and lossy else "", **offered})
        for name, control in CONTROLS.items():
            getattr(self, control).setVisible(self.applies(name, version))
        for part, names in (
            (self.quality, ("quality",)), (self.enlarge, ("enlarged_lines",)), (self.colours, ("colours",)),
            (self._fields_row, ("first_field", "whole_frames")), (self._shape_row, ("most_lines",)),
            (self._chroma_row, ("chroma", "levels")), (self.rate, ("plays_at",)),
            (self._black_row, ("black_before_s",)), (self._depth_row, ("bits",)), (self.sound, ("sound",)),
        ):  # fmt: skip
            form.setRowVisible(part, any(self.applies(name, version) for name in names))

    def _offer(self, name: str, values: dict[Any, str]) -> None:
        """Let a box have these values alone, and keep what is chosen where that is one of them."""
        box = getattr(self, name)
        if [box.itemData(place) for place in range(box.count())] == list(values):
            return
        chosen = box.currentData()
        box.blockSignals(True)
        box.clear()
        for value, words in values.items():
            box.addItem(tr(words), value)
        box.setCurrentIndex(max(0, box.findData(chosen)))
        box.blockSignals(False)

    def _show(self, name: str, value: Any) -> None:
        """A value that can be chosen, beside those that are offered."""
        box: QComboBox = getattr(self, name)
        if box.findData(value) >= 0:
            return
        if not value:
            words = tr("all lines") if name == "lines" else tr("as treated")
        elif name == "rate":
            words = tr("{0} frames/s", f"{float(Fraction(value)):.5g}")
        else:
            words = tr("to {0} lines", value) if name == "enlarge" else tr("at most {0} lines", value)
        box.addItem(words, value)

    def take(self, wanted: Wanted) -> None:
        """Show what somebody wanted."""
        for name, control_name in CONTROLS.items():
            value, control = getattr(wanted, name), getattr(self, control_name)
            if isinstance(control, QCheckBox):
                control.setChecked(value)
            elif isinstance(control, QDoubleSpinBox):
                control.setValue(value)
            else:
                if control_name in {"enlarge", "lines", "rate"}:
                    self._show(control_name, value)
                control.setCurrentIndex(max(0, control.findData(value)))

    def wanted(self, version: Version) -> Wanted:
        """What the controls say of a version."""
        said = {name: self._said(name) for name in CONTROLS if self.applies(name, version)}
        if said.get("whole_frames"):
            said.pop("first_field", None)
        return Wanted(**said)

    def _said(self, name: str) -> Any:
        control = getattr(self, CONTROLS[name])
        if isinstance(control, QCheckBox):
            return control.isChecked()
        return control.value() if isinstance(control, QDoubleSpinBox) else control.currentData()


def row(*parts: QWidget | None) -> QWidget:
    """Widgets side by side; None for what gives way. The first alone grows where nothing gives way."""
    beside = QWidget()
    layout = QHBoxLayout(beside)
    layout.setContentsMargins(0, 0, 0, 0)
    for place, part in enumerate(parts):
        if part is None:
            layout.addStretch(1)
        else:
            layout.addWidget(part, 1 if place == 0 and None not in parts else 0)
    return beside
