"""Pictures in a report: small, inside the file, with what was found outlined."""

from __future__ import annotations

import base64
from html import escape

import cv2
import numpy as np

from grevin.core.errors import UnreadableFrameError
from grevin.core.picture.display import to_screen
from grevin.core.picture.source import FrameSource

WIDTH = 420
QUALITY = 88  # JPEG; for looking at on paper
OUTLINE = (155, 40, 190)  # violet as the window's evidence, red green blue
ROOM_PX = 5  # round what is outlined, px of the small picture


def picture_html(source: FrameSource, frame: int, words: str, spots: object) -> str:
    """A frame with its caption; "" where it cannot be read."""
    try:
        shown = source.frame(frame)
    except UnreadableFrameError:
        return ""
    picture = np.ascontiguousarray(to_screen(shown)[..., :3])
    aspect = float(shown.format.pixel_aspect)
    height, width = picture.shape[:2]
    size = (WIDTH, max(1, round(WIDTH * height / (width * aspect))))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    for spot in np.asarray(spots):
        left, top = (round(float(spot[name]) * share) - ROOM_PX for name, share in (
            ("x", size[0] / width), ("y", size[1] / height),
        ))  # fmt: skip
        right = round((float(spot["x"]) + float(spot["width"])) * size[0] / width) + ROOM_PX
        bottom = round((float(spot["y"]) + float(spot["height"])) * size[1] / height) + ROOM_PX
        cv2.rectangle(small, (left, top), (right, bottom), OUTLINE[::-1], 1, cv2.LINE_AA)
    data = cv2.imencode(".jpg", small, [cv2.IMWRITE_JPEG_QUALITY, QUALITY])[1]
    address = "data:image/jpeg;base64," + base64.b64encode(bytes(data)).decode()
    return f"<figure><img src='{address}' alt=''><figcaption>{escape(words)}</figcaption></figure>"
