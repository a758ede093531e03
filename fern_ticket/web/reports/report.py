"""The check report of a ticket's delivery: one template, as HTML that holds its pictures, and as PDF."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from PIL import ImageFile

from fern_ticket.core.slips.lines import Verdict
from fern_ticket.store.records import Ticket
from fern_ticket.web.reports.delivered import Delivered

_STANDS = {"holds": "holds", "short": "short", "open": "open", "later": "not measured", "measuring": "not measured"}

_PAGE = Path(__file__).parents[3] / "frontend"
_FACES = _PAGE / "node_modules" / "@fontsource-variable"
_TEXT = _FACES / "atkinson-hyperlegible-next" / "files" / "atkinson-hyperlegible-next-latin-wght-normal.woff2"
_MONO = _FACES / "atkinson-hyperlegible-mono" / "files" / "atkinson-hyperlegible-mono-latin-wght-normal.woff2"
#: The page's own faces: family, weight, file. The last stands in for signs that the others lack.
_FONTS = (
    ("Fern Text", "normal", _TEXT),
    ("Fern Text", "bold", _TEXT),
    ("Fern Mono", "normal", _MONO),
    ("Fern Mono", "bold", _MONO),
    ("Fern Signs", "normal", _PAGE / "public" / "fonts" / "fern-signs.woff2"),
)


def report_html(ticket: Ticket, all_of_it: Sequence[Delivered]) -> str:
    """One file with its pictures in it. It brings no fonts: whoever reads it has some."""
    return _rendered(ticket, all_of_it, faces=[])


def report_pdf(ticket: Ticket, all_of_it: Sequence[Delivered]) -> bytes:
    """The same on A4, in the page's own faces."""
    from weasyprint import HTML  # takes a second to load

    # its import has the whole process open half a picture as if it were all there
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    faces = [
        {"family": family, "weight": weight, "source": path.as_uri()}
        for family, weight, path in _FONTS
        if path.is_file()
    ]
    data: bytes = HTML(string=_rendered(ticket, all_of_it, faces)).write_pdf()
    return data


def _rendered(ticket: Ticket, all_of_it: Sequence[Delivered], faces: list[dict[str, str]]) -> str:
    return (
        _templates()
        .get_template("report.html")
        .render(
            ticket=ticket,
            holding=sum(one.holds for one in all_of_it),
            made_at=f"{datetime.now().astimezone():%d %B %Y, %H:%M}",
            photos=[_photo(one) for one in all_of_it],
            faces=faces,
        )
    )


def _photo(one: Delivered) -> dict[str, Any]:
    pictures = (("as it came", one.before), ("as delivered", one.after))
    return {
        "title": one.photo.title,
        "file_name": one.order.file_name,
        "size": f"{(one.order.bytes or 0) / 1e6:.2f} MB",
        "pictures": [{"words": words, "source": _inline(path)} for words, path in pictures if path is not None],
        "lines": [{**line.model_dump(), "stands": _stands(line)} for line in one.order.verdicts],
        "altered": "; ".join(one.alterations) if one.alterations else "nothing but what the size asks for",
    }


def _stands(line: Verdict) -> str:
    return f"{_STANDS[line.state]}, {line.judged}"


def _inline(path: Path) -> str:
    return f"data:image/jpeg;base64,{base64.b64encode(path.read_bytes()).decode()}"


@lru_cache(maxsize=1)
def _templates() -> Environment:
    return Environment(
        loader=PackageLoader("fern_ticket.web.reports"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
