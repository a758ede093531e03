"""A delivery as it is given away: its manifest, its check report, and all of it as one archive."""

from __future__ import annotations

import hashlib
import json
import zipfile
from pathlib import Path
from typing import Any

from fern_ticket.core.threads import goes_on
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.packing import packed
from fern_ticket.store.records import Ticket
from fern_ticket.web.reports.delivered import Delivered
from fern_ticket.web.reports.report import report_html, report_pdf


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
    """The delivery as a ZIP file. The caller removes it."""

    def fill(zipped: zipfile.ZipFile) -> None:
        for one in all_of_it:
            goes_on()
            assert one.order.blob is not None
            zipped.write(blobs.path(one.order.blob), one.order.file_name)
            for r in one.order.renditions:
                if r.name != "preview":
                    zipped.write(blobs.path(r.blob), f"{r.name}/{r.file_name}")
        text = json.dumps(manifest(ticket, all_of_it, blobs), indent=1, ensure_ascii=False)
        zipped.writestr("manifest.json", text)
        zipped.writestr("report.html", report_html(ticket, all_of_it))
        zipped.writestr("report.pdf", report_pdf(ticket, all_of_it))

    return packed(folder, fill)


def _sha256(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
