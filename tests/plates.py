"""Made plates of vehicles, of several kinds and colours."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

_FONTS = sorted((Path(__file__).parents[1] / "fern_ticket/core/pieces/faces").glob("*Sans*.ttf"))
_COLOURS = (
    ((238, 238, 232), (18, 18, 22)),
    ((240, 205, 60), (20, 20, 20)),
    ((30, 60, 130), (240, 240, 240)),
    ((240, 240, 240), (20, 40, 120)),
)
_PATTERNS = ("AA00 AAA", "A 000 AA", "0AAA000", "AA 000 AA", "AAA 0000")
_LETTERS, _DIGITS = "ABCDEFGHJKLMNPRSTVXYZ", "0123456789"
#: Width and height of a plate as it is made.
WIDE, HIGH = 520, 114


def plate(random: Generator) -> NDArray[np.uint8]:
    """Letters and digits by lot, in a frame, shape (HIGH, WIDE, 3)."""
    pattern = _PATTERNS[random.integers(len(_PATTERNS))]
    pick = {"A": _LETTERS, "0": _DIGITS, " ": " "}
    said = "".join(pick[one][random.integers(len(pick[one]))] for one in pattern)
    ground, ink = _COLOURS[random.integers(len(_COLOURS))]
    made = Image.new("RGB", (WIDE, HIGH), ground)
    draw = ImageDraw.Draw(made)
    draw.rectangle((3, 3, WIDE - 4, HIGH - 4), outline=ink, width=3)
    font = _FONTS[random.integers(len(_FONTS))]
    left, _, right, _ = draw.textbbox((0, 0), said, font=ImageFont.truetype(font, 86))
    fitted = ImageFont.truetype(font, int(86 * min(1.0, 480 / (right - left))))
    draw.text((WIDE / 2, HIGH / 2), said, font=fitted, fill=ink, anchor="mm")
    return np.asarray(made)
