"""The check report of a delivery: one template, as a page and as PDF."""

from __future__ import annotations

import io
from pathlib import Path
from uuid import uuid4

import pypdfium2
import pytest
from PIL import Image

from fern_ticket.core.slips.lines import Verdict
from fern_ticket.store.records import HandOver, Photo, Ticket
from fern_ticket.web.reports.delivered import Delivered
from fern_ticket.web.reports.report import report_html, report_pdf
from tests import pictures

LINES = [
    Verdict(requirement="cast", what="cast at neutrals", value="ΔE 3.4", state="short", asks="ΔE ≤ 2"),
    *(
        Verdict(requirement="level", what=f"line {k}", value="0.1°", state="holds", asks="≤ 0.4°", judged="measured")
        for k in range(12)
    ),
    Verdict(requirement="by_eye", what="<b>bin & hose</b>", value="", state="open", asks="gone", judged="by eye"),
]


@pytest.fixture(scope="module")
def delivery(tmp_path_factory):
    picture: Path = tmp_path_factory.mktemp("report") / "picture.jpg"
    picture.write_bytes(pictures.file(pictures.texture(200, 300, 7), "JPEG"))
    ticket = Ticket.model_construct(
        id=uuid4(),
        number="FT-0901",
        title="Mill <script>",
        client="O'Neil & Daughters",
        slip={"name": "Homes"},
        slip_version=2,
    )

    def one(name: str) -> Delivered:
        photo = Photo.model_construct(id=uuid4(), title=name, blob="b")
        order = HandOver.model_construct(file_name=f"{name}.jpg", bytes=2_500_000, verdicts=LINES)
        return Delivered(photo, order, picture, picture, ("Exposure", "Dab × 3"))

    return ticket, [one("Long room"), one("Kitchen"), one("Weir")]


def test_the_page_says_every_line_and_runs_nothing_that_was_typed(delivery):
    html = report_html(*delivery)
    assert "<script>" not in html
    assert "Mill &lt;script&gt;" in html
    assert "&lt;b&gt;bin &amp; hose&lt;/b&gt;" in html
    assert "0 of 3 photos hold every line" in html
    assert html.count("ΔE 3.4") == 3
    assert html.count("data:image/jpeg;base64,") == 6
    assert "Altered: Exposure; Dab × 3" in html
    assert html.count('<tr class="short">') == 3


def test_the_printed_one_has_every_sign_in_the_page_s_own_faces(delivery):
    document = pypdfium2.PdfDocument(report_pdf(*delivery))
    text = "".join(page.get_textpage().get_text_range() for page in document)
    for said in ("FT-0901", "ΔE 3.4", "ΔE ≤ 2", "0.4°", "bin & hose", "2.50 MB", "Dab × 3"):
        assert said in text, said
    fonts = {font.get_base_name() for page in document for font in fonts_of(page)}
    assert {name.split("+")[1].removesuffix("-Bold") for name in fonts} == {"Fern-Text", "Fern-Mono", "Fern-Signs"}


def test_a_picture_that_ends_too_soon_is_still_none_once_a_page_was_printed(delivery):
    report_pdf(*delivery)
    half = pictures.file(pictures.texture(200, 300, 7), "JPEG")[:5000]
    with pytest.raises(OSError, match="truncated"):
        Image.open(io.BytesIO(half)).load()


def test_a_table_stands_on_the_page_of_its_photo(delivery):
    document = pypdfium2.PdfDocument(report_pdf(*delivery))
    pages = [page.get_textpage().get_text_range() for page in document]
    for name in ("Long room", "Kitchen", "Weir"):
        page = next(text for text in pages if f"{name}.jpg" in text)
        after = page[page.index(f"{name}.jpg") :]
        assert all(f"line {k}" in after for k in range(12)), name
        assert "Altered: Exposure" in after


def fonts_of(page):
    return [text.get_font() for text in page.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_TEXT])]
