"""Content keys: the same ingredients give the same key, anything else another.

Every result is cached under the key of what it was made from, so nothing stale can be shown.
"""

from __future__ import annotations

import hashlib

KEY_BYTES = 16  # 128 bits: collisions are out of the question for the number of results a job makes


def content_key(*parts: object) -> str:
    """Key of a sequence of parts, each taken by its `str` (lengths are hashed too, so parts cannot run together)."""
    digest = hashlib.blake2b(digest_size=KEY_BYTES)
    for part in parts:
        text = str(part).encode()
        digest.update(len(text).to_bytes(8, "little"))
        digest.update(text)
    return digest.hexdigest()
