"""Making the frames of an output, each with all that was done to it; or taking those that are ready."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from grevin.core.errors import ProofError, UnreadableFrameError
from grevin.core.keys import content_key
from grevin.core.picture.depth import in_bits, in_depth
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import chroma_under
from grevin.core.render.packed import PACKED_VERSION, is_source, packed, unpacked
from grevin.core.render.proof import Written
from grevin.core.render.ready import ReadyFrames
from grevin.core.timebase.timeline import Timeline
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import TreatedReel


class Making:
    """Makes any frame of an output, from any thread: the same one however often and in whatever order."""

    def __init__(
        self, treated: TreatedReel, outputs: range, bits: int | None = None, dither: bool = False,
        ready: ReadyFrames | None = None,
    ) -> None:  # fmt: skip
        """Prepare.

        Args:
            treated: the reel, prepared.
            outputs: the output frames that are written.
            bits: depth of the samples; None for the material's own.
            dither: whether what is rounded is dithered.
            ready: frames that were made before, and where those that are made now are kept.
        """
        self._treated = treated
        self._first = outputs.start
        self._bits = bits
        self._dither = dither
        self._ready = ready
        self._known: set[int] = set()

    @cached_property
    def _timeline(self) -> Timeline | None:
        """None where no step changes time: the reel may be growing still."""
        chain = self._treated.at(0)
        return self._treated.timeline if chain.changes_time(len(chain.view_points) - 1) else None

    def _source_of(self, number: int) -> int:
        """The reel's frame that an output frame comes from."""
        return number if self._timeline is None else int(self._timeline.sources[number])

    @property
    def keeps(self) -> bool:
        """Whether what is made is kept."""
        return self._ready is not None and not self._ready.full

    def has(self, number: int) -> bool:
        """Whether output frame `number` is kept; nothing is made to find out."""
        if number not in self._known and self._ready is not None:
            chain = self._treated.at(self._source_of(number))
            if chain.steps and self._name(chain, number) in self._ready:
                self._known.add(number)
        return number in self._known

    def lacks(self, number: int) -> bool:
        """Whether output frame `number` would be kept, but is not yet."""
        steps = self._treated.at(self._source_of(number)).steps
        return bool(steps) and self._ready is not None and not self.has(number)

    def shown(self, number: int) -> Frame | None:
        """Output frame `number` as it would be written, if it is kept."""
        source = self._source_of(number)
        chain = self._treated.at(source)
        content = self._ready.get(self._name(chain, number)) if self._ready is not None and chain.steps else None
        if content is None:
            self._known.discard(number)
            return None
        return self._taken(content, chain, number, source).frame

    def written(self, number: int) -> Written:
        """Output frame `number`.

        Raises:
            UnreadableFrameError: if the source's cannot be read.
            ProofError: if it changed outside its evidence.
        """
        source = self._source_of(number)
        chain = self._treated.at(source)
        name = self._name(chain, number)
        content = self._ready.get(name) if self._ready is not None and chain.steps else None
        if content is not None:
            return self._taken(content, chain, number, source)
        written = self._made(chain, number, source)
        if self._ready is not None and chain.steps:
            self._ready.put(name, packed(written, self._is_source(chain, written)))
        return written

    def _name(self, chain: Chain, number: int) -> str:
        """All that a frame depends on, and its record."""
        steps = [(step.place, step.step.id) for step in chain.steps]
        shots = (chain.shots.key(), self._goes_on(chain, number)) if chain.changes_whole else ""
        fmt = chain.result.format
        bits = None if self._bits == fmt.bit_depth else self._bits  # the same pictures, however they are asked for
        return content_key("ready", PACKED_VERSION, chain.result.key(number), fmt, bits, self._dither, steps, shots)

    def _goes_on(self, chain: Chain, number: int) -> bool:
        """Whether the output frame before it is written too, and treated alike."""
        return number > self._first and self._treated.at(self._source_of(number - 1)) is chain

    def _taken(self, content: bytes, chain: Chain, number: int, source: int) -> Written:
        own = chain.source.frame(source) if is_source(content) else None
        fmt = in_bits(chain.result.format, self._bits)
        return unpacked(content, fmt, own, {step.place: step for step in chain.steps})

    def _is_source(self, chain: Chain, written: Written) -> bool:
        return not written.made and written.frame is chain.source.frame(written.source)

    def _made(self, chain: Chain, number: int, source: int) -> Written:
        frame = in_depth(chain.result.frame(number), self._bits, self._dither)
        made = self._timeline is not None and bool(self._timeline.made[number])
        differing = changed_samples(chain, source, frame, made, self._bits)
        begins = chain.changes_whole and not (
            self._goes_on(chain, number) and chain.shots.same_shot(self._source_of(number - 1), source)
        )
        return Written(number, source, frame, made, differing, tuple(chain.account(number)), begins)


def changed_samples(chain: Chain, number: int, frame: Frame, made: bool, bits: int | None) -> int:
    """Samples that differ from the source; a difference outside what is marked as touched is our own fault.

    A made frame may stand for one that cannot be read: all of it differs then.
    """
    try:
        source = in_depth(chain.source.frame(number), bits)
    except UnreadableFrameError:
        if made:
            return sum(plane.size for plane in frame.planes)
        raise
    if frame is source:
        return 0
    if (frame.format.width, frame.format.height) != (source.format.width, source.format.height):
        return sum(plane.size for plane in frame.planes)
    differing = 0
    for index, (a, b) in enumerate(zip(source.planes, frame.planes, strict=True)):
        unequal = a != b
        differing += int(np.count_nonzero(unequal))
        if isinstance(frame.touched, np.ndarray):
            chroma = frame.format.model == "yuv" and index in {1, 2}
            allowed = chroma_under(frame.touched, frame.format) if chroma else frame.touched
            if np.any(unequal & ~allowed):
                raise ProofError(f"Frame {number} changed outside its evidence.", "Report this; nothing was written.")
    return differing
