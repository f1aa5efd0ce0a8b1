"""Proof: whether an output is its source outside the evidence, sample for sample."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np

from grevin.core.errors import MediaError
from grevin.core.media.checksums import frame_checksum
from grevin.core.media.opening import Reader
from grevin.core.media.still_writer import as_picture, picture_format
from grevin.core.picture.depth import DEPTHS, in_bits, in_depth
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import chroma_under
from grevin.core.progress import Progress
from grevin.core.render.evidence_files import read_evidence, read_map

VERIFY_FORMAT, VERIFY_VERSION = "grevin-verify", 1


@dataclass
class VerifyResult:
    """What the comparison found.

    Attributes:
        frames_expected, frames_found: counts.
        identical: frames equal throughout.
        changed: frames that differ inside the evidence only.
        offending: (frame, samples that differ outside the evidence), empty when all is well.
        checksums: per frame (number, MD5 of the source's planes, MD5 of the output's planes).
        compared_as: what was compared.
        evidence_given: whether there was evidence to allow differences.
    """

    frames_expected: int
    frames_found: int
    compared_as: str
    evidence_given: bool
    identical: int = 0
    changed: int = 0
    samples_changed: int = 0
    samples_total: int = 0
    offending: list[tuple[int, int]] = field(default_factory=list)
    checksums: list[tuple[int, str, str]] = field(default_factory=list)

    @property
    def passed(self) -> bool:
        """Whether the counts agree and nothing differs outside the evidence."""
        return self.frames_expected == self.frames_found and not self.offending

    def sentence(self) -> str:
        """The result in words."""
        if self.frames_expected != self.frames_found:
            return f"Not proved: {self.frames_expected} frames expected, {self.frames_found} found in the output."
        where = "outside the evidence" if self.evidence_given else "anywhere (no evidence was given)"
        if self.offending:
            number, samples = self.offending[0]
            return (
                f"Not proved: {len(self.offending)} frame(s) differ from the source {where}, "
                f"first frame {number} in {samples} samples."
            )
        share = 100.0 * self.samples_changed / max(1, self.samples_total)
        return (
            f"Proved: {self.frames_found} frames; {self.identical} are the source bit for bit, {self.changed} differ "
            f"inside the evidence only ({share:.3f} % of all samples). Compared as {self.compared_as}."
        )

    def data(self) -> dict[str, Any]:
        """Plain data for `--json`."""
        return {
            "format": VERIFY_FORMAT,
            "version": VERIFY_VERSION,
            "passed": self.passed,
            "summary": self.sentence(),
            "frames": {"source": self.frames_expected, "output": self.frames_found},
            "identical_frames": self.identical,
            "changed_frames": self.changed,
            "samples_changed": self.samples_changed,
            "samples_total": self.samples_total,
            "outside_evidence": {
                "bit_identical": not self.offending,
                "offending": [{"frame": number, "samples": samples} for number, samples in self.offending],
            },
            "checksums": [{"frame": n, "source": a, "output": b} for n, a, b in self.checksums],
        }


def verify(
    source: Reader, output: Reader, frames: range, evidence: Path | None, progress: Progress
) -> VerifyResult:  # fmt: skip
    """Compare `output` with `frames` of `source`.

    Raises:
        MediaError: if the two cannot be compared sample by sample.
    """
    convert, description = _common_ground(source.format, output.format)
    moved = read_map(evidence) if evidence is not None else None
    pairs = [(n, n) for n in frames] if moved is None else list(zip(moved[1], count(moved[0]), strict=False))
    result = VerifyResult(len(pairs), len(output), description, evidence is not None)
    shape = (source.format.height, source.format.width)
    progress.begin(min(len(pairs), len(output)), "Comparing")
    for place, (number, named) in enumerate(pairs):
        if place >= len(output):
            break
        ours, theirs = convert(source.frame(number)), output.frame(place)
        mask = read_evidence(evidence, named, shape) if evidence is not None else None
        result.checksums.append((number, frame_checksum(ours), frame_checksum(theirs)))
        _compare(result, number, ours, theirs, mask)
        progress.advance()
    return result


def _common_ground(source: PictureFormat, output: PictureFormat) -> tuple[Callable[[Frame], Frame], str]:
    """How source frames have to be brought over to be compared with the output's."""

    def kind(fmt: PictureFormat) -> tuple[Any, ...]:
        return fmt.width, fmt.height, fmt.model, fmt.bit_depth, fmt.chroma, fmt.alpha, fmt.sample

    if kind(source) == kind(output):
        return (lambda frame: frame), f"{output.describe()} code values"
    for bits in (source.bit_depth, *DEPTHS) if source.sample == "integer" else (source.bit_depth,):
        deeper = in_bits(source, bits)
        if kind(deeper) == kind(output):
            return partial(in_depth, bits=bits), f"{output.describe()} code values of {source.describe()}"
        for suffix in (".png", ".dpx", ".exr"):  # TIFF holds what PNG does
            if kind(picture_format(deeper, suffix)) == kind(output):
                words = f"{output.describe()} pictures made from {source.describe()}"
                return partial(_picture_in_depth, bits, suffix), words
    raise MediaError(
        f"The output is {output.describe()}, the source {source.describe()}: they cannot be compared sample by sample.",
        "Name the source from which this output was made.",
    )


def _picture_in_depth(bits: int, suffix: str, frame: Frame) -> Frame:
    return as_picture(in_depth(frame, bits), suffix)


def _compare(result: VerifyResult, number: int, ours: Frame, theirs: Frame, mask: Mask | None) -> None:
    fmt = ours.format
    differing = outside = 0
    for index, (a, b) in enumerate(zip(ours.planes, theirs.planes, strict=True)):
        result.samples_total += a.size
        unequal = a != b
        count = int(np.count_nonzero(unequal))
        if count == 0:
            continue
        differing += count
        if mask is None:
            outside += count
            continue
        is_chroma = fmt.model == "yuv" and index in {1, 2}
        allowed = chroma_under(mask, fmt) if is_chroma else mask
        outside += int(np.count_nonzero(unequal & ~allowed))
    result.samples_changed += differing
    if outside:
        result.offending.append((number, outside))
    elif differing:
        result.changed += 1
    else:
        result.identical += 1
