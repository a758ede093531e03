"""The check report of a ticket's delivery, as HTML and as PDF, and the delivery as one archive with its manifest."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import tempfile
import zipfile
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape as escape_markup

import reportlab
from reportlab.lib import colors
from reportlab.lib.enums import TA_LEFT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Image, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.slips.lines import Verdict, all_hold
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.records import HandOver, Photo, Ticket

_STATES = {"holds": "holds", "short": "SHORT", "open": "open", "later": "not measured", "measuring": "not measured"}


_LINES = TableStyle(
    [
        ("LINEBELOW", (0, 0), (-1, -1), 0.3, colors.lightgrey),
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.5),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
    ]
)


@dataclass(frozen=True)
class Delivered:
    """A photo that was made for its desk, its pictures before and after, and what was done to it."""

    photo: Photo
    order: HandOver
    before: Path
    after: Path | None
    alterations: tuple[str, ...]

    @property
    def holds(self) -> bool:
        return all_hold(self.order.verdicts)


def delivered(blobs: Blobs, photo: Photo, order: HandOver, thumbnail: Path) -> Delivered:
    preview = next((one for one in order.renditions if one.name == "preview"), None)
    said = read_metadata(blobs.read(order.blob)) if order.blob else read_metadata(b"")
    return Delivered(photo, order, thumbnail, blobs.path(preview.blob) if preview else None, said.alterations)


def manifest(ticket: Ticket, all_of_it: list[Delivered], blobs: Blobs) -> dict[str, Any]:
    """What is in a delivery: names, sizes, SHA-256, how the slip's lines stand, what was done."""
    files = []
    for one in all_of_it:
        assert one.order.blob is not None
        files.append(
            {
                "photo": one.photo.title,
                "file": one.order.file_name,
                "bytes": one.order.bytes,
                "sha256": one.order.blob,
                "original_sha256": one.photo.blob,
                "holds": one.holds,
                "measures": [line.model_dump(exclude={"where"}) for line in one.order.verdicts],
                "alterations": list(one.alterations),
                "renditions": [
                    {"name": r.name, "file": r.file_name, "bytes": r.bytes, "sha256": _sha256(blobs.path(r.blob))}
                    for r in one.order.renditions
                    if r.name != "preview"
                ],
            }
        )
    return {"ticket": ticket.number, "title": ticket.title, "client": ticket.client, "slip": ticket.slip["name"],
            "slip_version": ticket.slip_version, "files": files}  # fmt: skip


def archive(ticket: Ticket, all_of_it: list[Delivered], blobs: Blobs, folder: Path) -> Path:
    """The delivery as a ZIP file, stored: pictures do not shrink. The caller removes it."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, suffix=".zip", delete=False) as out:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as zipped:
            for one in all_of_it:
                assert one.order.blob is not None
                zipped.write(blobs.path(one.order.blob), one.order.file_name)
                for r in one.order.renditions:
                    if r.name != "preview":
                        zipped.write(blobs.path(r.blob), f"{r.name}/{r.file_name}")
            text = json.dumps(manifest(ticket, all_of_it, blobs), indent=1, ensure_ascii=False)
            zipped.writestr("manifest.json", text)
            zipped.writestr("report.html", report_html(ticket, all_of_it))
            zipped.writestr("report.pdf", report_pdf(ticket, all_of_it))
        return Path(out.name)


def report_html(ticket: Ticket, all_of_it: list[Delivered]) -> str:
    parts = [
        "<!doctype html><html lang=en><meta charset=utf-8>",
        f"<title>{escape(ticket.number)} check report</title>",
        "<style>body{font:15px/1.45 sans-serif;color:#222;max-width:900px;margin:32px auto}h2{margin:36px 0 8px}"
        "table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:3px 10px 3px 0}"
        "td{border-bottom:1px solid #ddd}"
        ".short{color:#a3271b;font-weight:600}.pair{display:flex;gap:12px}figure{margin:0}img{max-width:430px}"
        "figcaption{color:#666}</style>",
        f"<h1>{escape(ticket.number)} · {escape(ticket.title)}</h1><p>{escape(_summary(ticket, all_of_it))}</p>",
    ]
    for one in all_of_it:
        parts.append(f"<h2>{escape(one.photo.title)}</h2><p>{escape(one.order.file_name)}, {_mb(one.order.bytes)}</p>")
        figures = "".join(
            f'<figure><img alt="" src="data:image/jpeg;base64,{base64.b64encode(path.read_bytes()).decode()}">'
            f"<figcaption>{words}</figcaption></figure>"
            for words, path in (("as it came", one.before), ("as delivered", one.after))
            if path is not None
        )
        rows = "".join(
            f'<tr class="{escape(line.state)}"><td>{escape(line.what)}</td><td>{escape(line.asks)}</td>'
            f"<td>{escape(line.value)}</td><td>{escape(_stands(line))}</td></tr>"
            for line in one.order.verdicts
        )
        parts.append(f'<div class="pair">{figures}</div>')
        parts.append(f"<table><tr><th>line<th>asked<th>measured<th>stands</tr>{rows}</table>")
        parts.append(f"<p>Altered: {escape(_altered(one))}</p>")
    return "\n".join([*parts, "</html>"])


def report_pdf(ticket: Ticket, all_of_it: list[Delivered]) -> bytes:
    plain, bold = _fonts()
    text = ParagraphStyle("text", fontName=plain, fontSize=8.5, leading=12, alignment=TA_LEFT)
    short = ParagraphStyle("short", parent=text, fontName=bold, textColor=colors.HexColor("#a3271b"))
    heading = ParagraphStyle("heading", parent=text, fontName=bold, fontSize=12, leading=16, spaceBefore=14)
    title = ParagraphStyle("title", parent=heading, fontSize=16, leading=22)

    def words(said: str, style: ParagraphStyle = text) -> Paragraph:
        return Paragraph(escape_markup(said), style)

    story: list[Flowable] = [words(f"{ticket.number} · {ticket.title}", title), words(_summary(ticket, all_of_it))]
    for one in all_of_it:
        pictures = [[_picture(path) for path in (one.before, one.after) if path is not None]]
        rows = [[words(head) for head in ("line", "asked", "measured", "stands")]] + [
            [
                words(line.what),
                words(line.asks),
                words(line.value),
                words(f"{_STATES[line.state]}, {line.judged}", short if line.state == "short" else text),
            ]
            for line in one.order.verdicts
        ]
        table = Table(rows, colWidths=[40 * mm, 52 * mm, 42 * mm, 40 * mm], repeatRows=1)
        table.setStyle(_LINES)
        file = f"{one.order.file_name}, {_mb(one.order.bytes)}"
        head = [words(one.photo.title, heading), words(file), Spacer(1, 6)]
        story.append(KeepTogether([*head, Table(pictures, hAlign="LEFT"), words("as it came · as delivered")]))
        story += [Spacer(1, 4), table, Spacer(1, 3), words(f"Altered: {_altered(one)}")]
    out = io.BytesIO()
    side, name = 16 * mm, f"{ticket.number} check report"
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=side, rightMargin=side, topMargin=side, bottomMargin=side, title=name
    )
    document.build(story)
    return out.getvalue()


@lru_cache(maxsize=1)
def _fonts() -> tuple[str, str]:
    """The typeface that reportlab ships, plain and bold: it has more letters than a PDF reader's own."""
    folder = Path(reportlab.__file__).parent / "fonts"
    pdfmetrics.registerFont(TTFont("Vera", str(folder / "Vera.ttf")))
    pdfmetrics.registerFont(TTFont("Vera bold", str(folder / "VeraBd.ttf")))
    return "Vera", "Vera bold"


def _picture(path: Path) -> Image:
    width, height = ImageReader(str(path)).getSize()
    scale = min(82 * mm / width, 70 * mm / height)
    return Image(str(path), width * scale, height * scale)


def _summary(ticket: Ticket, all_of_it: list[Delivered]) -> str:
    holding = sum(one.holds for one in all_of_it)
    when = datetime.now().astimezone()
    return (
        f"For {ticket.client}, by the slip {ticket.slip['name']}, version {ticket.slip_version}. "
        f"{holding} of {len(all_of_it)} photos hold every line. {when:%d %B %Y, %H:%M}."
    )


def _stands(line: Verdict) -> str:
    return f"{_STATES[line.state]}, {line.judged}"


def _altered(one: Delivered) -> str:
    return "; ".join(one.alterations) if one.alterations else "nothing but what the size asks for"


def _mb(size: int | None) -> str:
    return f"{(size or 0) / 1e6:.2f} MB"


def _sha256(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
