"""Texts of the window in the person's language: one call that everything shown passes through.

A language is a file `grevin_xx.qm` (Qt's own format), beside this module's folder `languages` or in the folder of the
same name in the person's data folder; `tools/write_texts.py` writes the list of texts to translate. Sentences that the
core makes, such as faults and what a step found, are English.
"""

from __future__ import annotations

from pathlib import Path

import platformdirs
from PySide6.QtCore import QCoreApplication, QLocale, QTranslator

CONTEXT = "grevin"


def tr(text: str, *values: object) -> str:
    """A text in the person's language.

    Args:
        text: the English text; {0}, {1} ... stand for values, which another language may put in another order.
        values: what is put in; without any the text is taken as it is.
    """
    said = QCoreApplication.translate(CONTEXT, text)
    return said.format(*values) if values else said


def tr_count(one: str, many: str, count: int, *values: object) -> str:
    """A text about a number of things, in the form that the language has for that number.

    Args:
        one: the English text for one; {0} is the number.
        many: the English text for none or several, under which translations are found.
        count: the number.
        values: further ones: {1}, {2} ...
    """
    said = QCoreApplication.translate(CONTEXT, many, "", count)
    return (one if said == many and count == 1 else said).format(count, *values)


def folders() -> tuple[Path, ...]:
    """Where languages are looked for, the person's own first."""
    return Path(platformdirs.user_data_dir("grevin")) / "languages", Path(__file__).parent / "languages"


def put_on(app: QCoreApplication, locale: QLocale) -> bool:
    """Speak the language of a locale where there is a file for it; else English. Returns whether there was one."""
    translator = QTranslator(app)
    found = any(translator.load(locale, "grevin", "_", str(folder)) for folder in folders())
    if found:
        app.installTranslator(translator)
    return found
