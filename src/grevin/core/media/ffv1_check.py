"""Checksums inside FFV1 pictures (RFC 9043, section 4.9).

The decoder hides slices that fail theirs behind older picture content; whoever restores has to know instead.
"""

from __future__ import annotations

import zlib

FOOTER_BYTES = 8  # slice_size (24 bits), error_status (8), slice_crc_parity (32), as written with error correction
_REVERSED_BITS = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))


def slices_are_whole(packet: bytes) -> bool:
    """Whether a packet of FFV1 with slice checksums is undamaged.

    Every slice together with its parity has the remainder 0 under the CRC-32 polynomial, most significant bit
    first, starting from 0. zlib's is the same mirrored, so the bytes are mirrored for it.
    """
    mirrored = memoryview(packet.translate(_REVERSED_BITS))
    end = len(packet)
    while end > 0:
        if end < FOOTER_BYTES:
            return False
        start = end - FOOTER_BYTES - int.from_bytes(packet[end - FOOTER_BYTES : end - FOOTER_BYTES + 3], "big")
        if start < 0 or zlib.crc32(mirrored[start:end], 0xFFFFFFFF) != 0xFFFFFFFF:
            return False
        end = start
    return True
