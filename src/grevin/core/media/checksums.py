"""Checksums of pictures: over the code values, so that they tell the same whatever the container."""

from __future__ import annotations

import hashlib

from grevin.core.picture.frame import Frame


def frame_checksum(frame: Frame) -> str:
    """MD5 over the planes in their stored order (as FFmpeg's framemd5 of the same planar layout does)."""
    digest = hashlib.md5(usedforsecurity=False)
    for plane in frame.planes:
        digest.update(plane.tobytes())
    return digest.hexdigest()
