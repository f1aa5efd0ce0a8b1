"""Numbered pictures as one reel."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from grevin.core.errors import MediaError, UnreadableFrameError, UsageError
from grevin.core.keys import content_key
from grevin.core.media.picture_size import picture_size
from grevin.core.media.still_image import IMAGE_SUFFIXES, read_image
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress

DEFAULT_RATE = Fraction(24)  # pictures carry no rate; 24 is the rate of sound film
LONGEST_GAP = 100_000  # a numbering with larger holes is two sequences, not one with frames missing
_PLACEHOLDER = re.compile(r"%0?(\d*)d")
_NUMBERED = re.compile(r"^(.*?)(\d+)$")


@dataclass(frozen=True)
class SequencePattern:
    """Names of a numbered sequence: `prefix` + number (padded to `digits`) + `suffix` in `folder`."""

    folder: Path
    prefix: str
    digits: int
    suffix: str

    @property
    def name(self) -> str:
        """The pattern as people write it."""
        return f"{self.prefix}%0{self.digits}d{self.suffix}"

    def path(self, number: int) -> Path:
        """File of a picture number."""
        return self.folder / f"{self.prefix}{number:0{self.digits}}{self.suffix}"

    def numbers(self) -> list[int]:
        """Picture numbers on disk, ascending."""
        wanted = re.compile(re.escape(self.prefix) + r"(\d+)" + re.escape(self.suffix))
        found = (wanted.fullmatch(entry.name) for entry in self.folder.iterdir())
        return sorted(int(m[1]) for m in found if m and len(m[1]) == max(self.digits, len(str(int(m[1])))))


def is_pattern(path: Path) -> bool:
    """Whether a path holds a %06d-like placeholder in its name."""
    return _PLACEHOLDER.search(path.name) is not None


def parse_pattern(path: Path) -> SequencePattern:
    """A pattern such as `folder/name.%06d.png`.

    Raises:
        UsageError: without exactly one placeholder or with an ending that is not a picture's.
    """
    found = list(_PLACEHOLDER.finditer(path.name))
    if len(found) != 1 or path.suffix.lower() not in IMAGE_SUFFIXES:
        raise UsageError(f"“{path.name}” is not a sequence pattern.", "Write it like name.%06d.png or name.%06d.dpx.")
    place = found[0]
    digits = int(place[1] or 1)
    return SequencePattern(path.parent, path.name[: place.start()], digits, path.name[place.end() :])


def sequences_in(folder: Path, shortest: int = 1) -> list[SequencePattern]:
    """The numbered sequences of at least `shortest` pictures that lie directly in a folder, by name."""
    groups: dict[tuple[str, str], list[int]] = {}
    for entry in folder.iterdir():
        match = _NUMBERED.match(entry.stem)
        if match and entry.suffix.lower() in IMAGE_SUFFIXES and not entry.name.startswith("."):
            groups.setdefault((match[1], entry.suffix), []).append(len(match[2]))
    return [
        SequencePattern(folder, prefix, min(digits), suffix)
        for (prefix, suffix), digits in sorted(groups.items())
        if len(digits) >= shortest
    ]


def find_pattern(folder: Path) -> SequencePattern:
    """The one numbered sequence in a folder.

    Raises:
        MediaError: if there is none, or more than one.
    """
    found = sequences_in(folder)
    if not found:
        raise MediaError(
            f"The folder {folder.name} holds no numbered pictures.", "Name a folder or a pattern that does."
        )
    if len(found) > 1:
        names = ", ".join(f"{pattern.prefix}…{pattern.suffix}" for pattern in found[:4])
        raise MediaError(
            f"The folder {folder.name} holds several sequences ({names}).",
            "Name one by its pattern, like name.%06d.png.",
        )
    return found[0]


class ImageSequence:
    """A FrameSource over numbered pictures; missing numbers are frames that cannot be read."""

    def __init__(self, pattern: SequencePattern, rate: Fraction | None = None) -> None:
        """List the pictures and read the first.

        Raises:
            MediaError: if there is no picture of that pattern, or the first cannot be read.
        """
        self.pattern = pattern
        numbers = pattern.numbers() if pattern.folder.is_dir() else []
        if not numbers:
            raise MediaError(
                f"There is no picture {pattern.name} in {pattern.folder}.", "Check the folder, name and padding."
            )
        self.first_number = numbers[0]
        self._length = numbers[-1] - numbers[0] + 1
        if self._length - len(numbers) > LONGEST_GAP:
            raise MediaError(
                f"{pattern.name} jumps over {self._length - len(numbers)} numbers.", "Put the pictures in two folders."
            )
        self.missing = tuple(sorted(set(range(numbers[0], numbers[-1] + 1)) - set(numbers)))
        self._format = read_image(pattern.path(numbers[0])).format(rate or DEFAULT_RATE)
        facts = [(p.name, p.stat().st_size, p.stat().st_mtime_ns) for p in map(pattern.path, numbers)]
        self._identity = content_key("sequence", *facts)
        self.notes = self._gap_notes()

    def _gap_notes(self) -> tuple[str, ...]:
        if not self.missing:
            return ()
        shown = ", ".join(str(number) for number in self.missing[:8]) + (" …" if len(self.missing) > 8 else "")
        return (f"{len(self.missing)} picture(s) are missing from {self.pattern.name}: {shown}.",)

    @property
    def format(self) -> PictureFormat:
        """Format of every frame, that of the first picture."""
        return self._format

    @property
    def identity(self) -> str:
        """Key over names, sizes and times of change of all pictures."""
        return self._identity

    def __len__(self) -> int:
        return self._length

    def close(self) -> None:
        """Nothing is held open."""

    def frame(self, number: int) -> Frame:
        """Frame `number`, counted from the first picture on disk.

        Raises:
            UnreadableFrameError: if the picture is missing, damaged or of another size or kind.
        """
        if not 0 <= number < self._length:
            raise IndexError(f"frame {number} of {self._length}")
        path = self.pattern.path(self.first_number + number)
        if not path.exists():
            raise UnreadableFrameError(self.pattern.name, number, f"{path.name} is missing")
        try:
            picture = read_image(path)
        except MediaError as fault:
            raise UnreadableFrameError(self.pattern.name, number, f"{path.name} is damaged") from fault
        found = picture.format(self._format.rate)
        if found != self._format:
            reason = f"{path.name} is {found.describe()}, the first picture is {self._format.describe()}"
            raise UnreadableFrameError(self.pattern.name, number, reason)
        return Frame(number, self._format, picture.planes)

    def odd_pictures(self, progress: Progress) -> tuple[str, ...]:
        """Sentences about pictures whose headers announce another size than the first one's."""
        odd: dict[tuple[int, int], list[str]] = {}
        progress.begin(len(self), "Looking at the sizes of the pictures")
        for number in range(self._length):
            path = self.pattern.path(self.first_number + number)
            size = picture_size(path)
            if size is not None and size != (self._format.width, self._format.height):
                odd.setdefault(size, []).append(path.name)
            progress.advance()
        first = f"{self._format.width}x{self._format.height}"
        return tuple(
            f"{len(names)} picture(s) are {width}x{height} instead of {first}, the first is {names[0]}."
            for (width, height), names in sorted(odd.items())
        )
