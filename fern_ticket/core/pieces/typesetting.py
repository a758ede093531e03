"""Text set in shipped faces: wrapped, aligned, shaped by HarfBuzz through Pillow's raqm layout."""

from __future__ import annotations

import math
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal

import numpy as np
from fontTools.ttLib import TTFont
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from fern_ticket.core.errors import LedgerError

Face = Literal["sans", "serif", "mono", "hand"]
Weight = Literal["regular", "bold"]
Align = Literal["left", "middle", "right"]

_FOLDER = Path(__file__).parent / "faces"
_FILES: dict[Face, tuple[str, str]] = {
    "sans": ("NotoSans-Regular.ttf", "NotoSans-Bold.ttf"),
    "serif": ("NotoSerif-Regular.ttf", "NotoSerif-Bold.ttf"),
    "mono": ("DejaVuSansMono.ttf", "DejaVuSansMono-Bold.ttf"),
    "hand": ("DancingScript-Regular.otf", "DancingScript-Bold.otf"),
}
#: Set in where a paragraph has letters that its face lacks: it has Hebrew, Arabic and many signs.
_WIDE = ("DejaVuSans.ttf", "DejaVuSans-Bold.ttf")
#: Pixels that text may be set on at most.
_MOST = 120_000_000


@dataclass(frozen=True)
class Setting:
    """How a text is set.

    Attributes
    ----------
    size
        Of the face, pixels to the em.
    width
        That lines are wrapped to, pixels; None leaves them as they are written.
    tracking
        Added between letters, thousandths of an em. Scripts whose letters join are left as they are.
    leading
        From line to line, as a share of the size.
    """

    text: str
    face: Face = "sans"
    weight: Weight = "regular"
    size: float = 120.0
    width: float | None = None
    tracking: float = 0.0
    align: Align = "left"
    leading: float = 1.25


@dataclass(frozen=True)
class _Line:
    text: str
    font: ImageFont.FreeTypeFont
    right_to_left: bool
    length: float


def set_text(setting: Setting) -> NDArray[np.uint8]:
    """Coverage of the text's ink, 8 bits, shape (rows, columns); with a margin that swashes and accents fit in.

    Raises
    ------
    LedgerError
        A letter that no shipped face has, or a text too large to be set.
    """
    lines = _lines(setting)
    width, height, margin = _extent(setting, lines)
    picture = Image.new("L", (width, height))
    pen = ImageDraw.Draw(picture)
    room = setting.width or max(line.length for line in lines)
    for number, line in enumerate(lines):
        align = setting.align
        if align == "left" and line.right_to_left and setting.width is not None:
            align = "right"  # where a line of that script begins
        spare = {"left": 0.0, "middle": 0.5, "right": 1.0}[align] * (room - line.length)
        _draw(pen, line, margin + spare, margin + setting.size * (0.95 + number * setting.leading), setting)
    return np.asarray(picture, np.uint8)


@lru_cache(maxsize=64)
def size_of(setting: Setting) -> tuple[int, int]:
    """Width and height that `set_text` gives. Asked for in every frame under a moving hand."""
    width, height, _ = _extent(setting, _lines(setting))
    return width, height


def _extent(setting: Setting, lines: list[_Line]) -> tuple[int, int, int]:
    margin = math.ceil(0.3 * setting.size)
    room = setting.width or max(line.length for line in lines)
    width = math.ceil(room) + 2 * margin
    height = math.ceil(setting.size * (1.25 + (len(lines) - 1) * setting.leading)) + 2 * margin
    if width * height > _MOST:
        raise LedgerError(f"The text would be {width} × {height} pixels.", "Set it smaller, or write less.")
    return width, height, margin


def _lines(setting: Setting) -> list[_Line]:
    found: list[_Line] = []
    for paragraph in unicodedata.normalize("NFC", setting.text).split("\n"):
        font = _font_for(paragraph, setting)
        backward = _right_to_left(paragraph)
        for text in _wrapped(paragraph, font, setting, backward):
            found.append(_Line(text, font, backward, _length(text, font, setting, backward)))
    return found


def _wrapped(text: str, font: ImageFont.FreeTypeFont, setting: Setting, backward: bool) -> list[str]:
    """Lines no longer than the width, broken between words; a word that is longer stands alone."""
    if setting.width is None:
        return [text]
    lines: list[str] = []
    line = ""
    for word in text.split(" "):
        longer = f"{line} {word}" if line else word
        if line and _length(longer, font, setting, backward) > setting.width:
            lines.append(line)
            line = word
        else:
            line = longer
    return [*lines, line]


def _length(text: str, font: ImageFont.FreeTypeFont, setting: Setting, backward: bool) -> float:
    between = 0 if backward else max(0, len(_clusters(text)) - 1)
    return font.getlength(text) + between * setting.tracking / 1000 * setting.size


def _draw(pen: ImageDraw.ImageDraw, line: _Line, x: float, baseline: float, setting: Setting) -> None:
    if line.right_to_left or not setting.tracking:
        pen.text((x, baseline), line.text, fill=255, font=line.font, anchor="ls")
        return
    done = ""
    for number, cluster in enumerate(_clusters(line.text)):
        # the length of what stands before keeps pairs kerned
        before = line.font.getlength(done + cluster) - line.font.getlength(cluster)
        at = x + before + number * setting.tracking / 1000 * setting.size
        pen.text((at, baseline), cluster, fill=255, font=line.font, anchor="ls")
        done += cluster


def _clusters(text: str) -> list[str]:
    """Letters with the marks that stand on them."""
    found: list[str] = []
    for letter in text:
        if found and (unicodedata.combining(letter) or letter in "\u200d\ufe0f"):
            found[-1] += letter
        else:
            found.append(letter)
    return found


def _right_to_left(text: str) -> bool:
    """By its first letter that has a direction (Unicode Bidirectional Algorithm, rule P2)."""
    for letter in text:
        way = unicodedata.bidirectional(letter)
        if way in ("R", "AL"):
            return True
        if way == "L":
            return False
    return False


def _font_for(paragraph: str, setting: Setting) -> ImageFont.FreeTypeFont:
    bold = int(setting.weight == "bold")
    own, wide = _FILES[setting.face][bold], _WIDE[bold]
    for name in (own, wide):
        if not _lacking(paragraph, name):
            return _font(name, setting.size)
    letter = _lacking(paragraph, wide)
    raise LedgerError(
        f"No face here has the letter {letter} ({unicodedata.name(letter, 'without a name').lower()}).", "Leave it out."
    )


def _lacking(text: str, name: str) -> str:
    """The first letter that a face lacks; empty where it has all."""
    return next((one for one in text if ord(one) not in _letters(name) and not one.isspace()), "")


@lru_cache(maxsize=16)
def _letters(name: str) -> frozenset[int]:
    with TTFont(_FOLDER / name, lazy=True) as font:
        return frozenset(font.getBestCmap()) | {0x200C, 0x200D, 0x200E, 0x200F, 0xFE0F}


@lru_cache(maxsize=64)
def _font(name: str, size: float) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(_FOLDER / name, size, layout_engine=ImageFont.Layout.RAQM)
