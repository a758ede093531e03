"""A ticket's number from the studio's pattern."""

from __future__ import annotations

import re
import string
from datetime import date

from fern_ticket.core.errors import FernError

_FIELDS = ("count", "day", "month", "year")
#: What a number may be made of: it stands in addresses, in file names and as the name of a folder.
_SIGNS = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,38}")


def number_stem(pattern: str, on: date) -> tuple[str, str, int]:
    """What stands before and after the count, and the digits of the count.

    Parameters
    ----------
    pattern
        Text with {count} or {count:4} once, and {year}, {month}, {day} where wanted. The count begins at 1 for every
        text that stands around it: {year}-{count:4} counts anew each year.
    on
        The day on which the ticket is made.

    Raises
    ------
    FernError
        Says what is wrong with the pattern.

    >>> number_stem("{year}-{count:4}", date(2027, 3, 1))
    ('2027-', '', 4)
    """
    around, digits = [""], 1
    try:
        for text, field, form, conversion in string.Formatter().parse(pattern):
            around[-1] += text
            if field is None:
                continue
            if field not in _FIELDS or conversion:
                raise _wrong(pattern)
            if field != "count":
                if form:
                    raise _wrong(pattern)
                around[-1] += f"{on.year}" if field == "year" else f"{getattr(on, field):02}"
                continue
            if len(around) > 1 or not re.fullmatch(r"0?[1-9]?", form or ""):
                raise _wrong(pattern)
            digits = int((form or "").lstrip("0") or 1)
            around.append("")
    except ValueError as error:
        raise _wrong(pattern) from error
    if len(around) != 2 or not _SIGNS.fullmatch(f"{around[0]}1{around[1]}"):
        raise _wrong(pattern)
    return around[0], around[1], digits


def number_of(stem: tuple[str, str, int], count: int) -> str:
    """
    >>> number_of(("2027-", "", 4), 12)
    '2027-0012'
    """
    before, after, digits = stem
    return f"{before}{count:0{digits}}{after}"


def is_number(text: str) -> bool:
    """Whether a ticket may be called so.

    >>> is_number("FT-0201"), is_number("../x"), is_number("a b")
    (True, False, False)
    """
    return _SIGNS.fullmatch(text) is not None


def _wrong(pattern: str) -> FernError:
    return FernError(
        f"The pattern {pattern!r} gives no numbers.",
        "It has {count} or {count:4} once, {year}, {month} and {day} where wanted, and letters, figures, "
        "dot, hyphen and underscore between them.",
    )
