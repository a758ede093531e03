"""Delivered names from a client's pattern."""

from __future__ import annotations

import re
import string
import unicodedata
from dataclasses import dataclass

from fern_ticket.core.errors import SlipError
from fern_ticket.core.pictures.encode import Format

_ENDINGS: dict[Format, str] = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif"}
_FIELDS = ("client", "number", "photo", "ticket")


@dataclass(frozen=True)
class NameParts:
    """What a name pattern may use."""

    ticket: str
    number: int
    client: str
    photo: str


def delivered_name(pattern: str, parts: NameParts, file_format: Format) -> str:
    """The file name that a pattern gives.

    Parameters
    ----------
    pattern
        Text with {ticket}, {number} (also {number:03}), {client} and {photo}.
    parts
        What stands for them. Anything that has no place in a file name becomes a hyphen.
    file_format
        Decides the ending.

    Raises
    ------
    SlipError
        The pattern has an unknown field or does not parse.

    >>> delivered_name("{client}_{number:03}", NameParts("FT-0201", 2, "Wren Mill", "x"), "JPEG")
    'Wren-Mill_002.jpg'
    """
    try:
        for _, name, form, conversion in string.Formatter().parse(pattern):
            if name is not None and not _fits(name, form, conversion):
                raise KeyError(name)
        text = pattern.format(
            ticket=safe(parts.ticket), number=parts.number, client=safe(parts.client), photo=safe(parts.photo)
        )
    except (KeyError, ValueError, IndexError) as error:
        raise SlipError(
            f"The name pattern {pattern!r} cannot be used.",
            f"It may use {', '.join('{' + f + '}' for f in _FIELDS)}, and {{number:03}} for three digits.",
        ) from error
    return (safe(text) or "photo") + _ENDINGS[file_format]


def _fits(name: str, form: str | None, conversion: str | None) -> bool:
    """Whether a field may be written so: a number with leading zeros to a few digits, all else as it is."""
    digits = name == "number" and re.fullmatch(r"0?[1-9]", form or "") is not None
    return name in _FIELDS and conversion is None and (not form or digits)


def follows(pattern: str, name: str) -> bool:
    """Whether a file's name could come from a pattern, whatever its ticket, number, client and photo.

    >>> follows("{client}_{number:03}", "Wren-Mill_002.jpg"), follows("{client}_{number:03}", "IMG_2.jpg")
    (True, False)
    """
    stem = name.rsplit(".", 1)[0] if "." in name else name
    wanted = ""
    try:
        for text, field, form, conversion in string.Formatter().parse(pattern):
            wanted += re.escape(safe_inside(text))
            if field is None:
                continue
            if not _fits(field, form, conversion):
                return False
            wanted += rf"\d{{{int((form or '1').lstrip('0'))},}}" if field == "number" else r"[A-Za-z0-9_.-]+"
    except ValueError:
        return False
    # a second delivery of the same photo gets its number behind the name
    return re.fullmatch(wanted + r"(_v\d+)?", stem) is not None


def safe_inside(text: str) -> str:
    """As `safe`, but for a part from the middle of a name: its ends stay.

    >>> safe_inside("_north wing_")
    '_north-wing_'
    """
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return re.sub(r"[^A-Za-z0-9_.-]+", "-", plain)


def safe(text: str) -> str:
    """Letters, digits, hyphen, underscore and inner dots; everything else becomes one hyphen.

    >>> safe("../../Küche, Süd\\x00")
    'Kuche-Sud'
    """
    return safe_inside(text).strip("-._")[:100]
