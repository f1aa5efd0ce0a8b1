"""Keys that a person chose instead of those that Grevin comes with."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import combinations

from PySide6.QtCore import QObject, QSettings, Signal
from PySide6.QtGui import QKeySequence

from grevin.desktop.keys import Key, use_keys
from grevin.desktop.steps.desks import every_key

KEPT = "keys"  # group of the settings; one entry an act, its keys one below the other


def written(text: str) -> str:
    """A key as it is compared: one way of writing it, whatever a person or a toolkit makes of it."""
    return QKeySequence(text).toString(QKeySequence.SequenceFormat.PortableText)


def meet(one: Key, other: Key) -> bool:
    """Whether two acts can be in force at once, so that they need different keys."""
    places = not one.in_sight or not other.in_sight or bool(one.in_sight & other.in_sight)
    on_other_cards = bool(one.on_card and other.on_card) and one.group != other.group
    return places and not on_other_cards


class OwnKeys(QObject):
    """What keys each act has."""

    changed = Signal()

    def __init__(self, settings: QSettings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._settings = settings
        self._keys = {key.act: key for key in every_key()}
        self._own: dict[str, tuple[str, ...]] = {}
        settings.beginGroup(KEPT)
        for act in settings.childKeys():
            if act in self._keys:
                self._own[act] = tuple(text for text in str(settings.value(act)).split("\n") if text)
        settings.endGroup()
        use_keys(self._own)

    def of(self, act: str) -> tuple[str, ...]:
        """The keys of an act, the first is the one that is shown."""
        return self._own.get(act, self._keys[act].keys)

    def is_own(self, act: str) -> bool:
        """Whether they are a person's choice."""
        return act in self._own

    def clashes(self, act: str, text: str) -> list[Key]:
        """Other acts that have a key and can be in force together with this one."""
        return [
            key for key in self._keys.values()
            if key.act != act and written(text) in map(written, self.of(key.act)) and meet(key, self._keys[act])
        ]  # fmt: skip

    def give(self, act: str, text: str) -> None:
        """Give an act a key of the person's choice instead of those it had; others that have it lose it.

        Args:
            act: the act.
            text: the key; empty for none.
        """
        changes: dict[str, tuple[str, ...]] = {act: (written(text),) if text else ()}
        for key in self.clashes(act, text) if text else ():
            changes[key.act] = tuple(one for one in self.of(key.act) if written(one) != written(text))
        self._change({**self._own, **changes})

    def give_back(self, act: str) -> None:
        """The keys that an act came with; where another act has one of them now, that one loses it."""
        rest = {name: keys for name, keys in self._own.items() if name != act}
        first = set(map(written, self._keys[act].keys))
        for name, keys in rest.items():
            if meet(self._keys[name], self._keys[act]):
                rest[name] = tuple(one for one in keys if written(one) not in first)
        self._change(rest)

    def give_all_back(self) -> None:
        """The keys that Grevin comes with."""
        self._change({})

    def _change(self, own: Mapping[str, tuple[str, ...]]) -> None:
        self._own = {act: keys for act, keys in own.items() if keys != self._keys[act].keys}
        self._settings.remove(KEPT)
        self._settings.beginGroup(KEPT)
        for act, keys in self._own.items():
            self._settings.setValue(act, "\n".join(keys))
        self._settings.endGroup()
        use_keys(self._own)
        self.changed.emit()


def shipped_clashes() -> list[tuple[str, str, str]]:
    """Acts that come with one key and can be in force together: there must be none."""
    return [
        (one.act, other.act, text)
        for one, other in combinations(every_key(), 2) if meet(one, other)
        for text in set(map(written, one.keys)) & set(map(written, other.keys))
    ]  # fmt: skip
