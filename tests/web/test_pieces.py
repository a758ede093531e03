"""Pieces over their doors: where they lie, what would fit them, corners, and the picture lent and taken back."""

from __future__ import annotations

import io
from uuid import uuid4

import cv2
import numpy as np
import pytest
from PIL import Image

from fern_ticket.core.pictures.decode import decode
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.render.lending import mark_of
from tests import pictures
from tests.application import until
from tests.web.test_bench import change, head, photo, put  # noqa: F401


def asked(client, photo, what, **query):  # noqa: F811
    return client.get(f"/api/photos/{photo}/{what}", params=query)


def test_a_piece_is_settled_told_and_taken_off(client, photo):  # noqa: F811
    answer = change(client, photo, [put("piece", {"picture": "sky:fair-day", "title": "sky"})])
    assert answer.status_code == 200
    (step,) = [one["step"] for one in head(client, photo)["steps"] if one["step"]["op"] == "piece"]
    assert step["params"]["at"] == [2160, 1440]
    assert 0 < step["params"]["scale"] < 2
    lying = asked(client, photo, "steps/piece/lying").json()
    assert lying["size"] == [4096, 2048]
    (left, top), _, (right, bottom), _ = lying["corners"]
    assert ((left + right) / 2, (top + bottom) / 2) == (pytest.approx(2160), pytest.approx(1440))
    assert len(asked(client, photo, "steps/piece/outline").json()["loops"][0]) == 4
    found = asked(client, photo, "steps/piece/match").json()["params"]
    assert set(found) == {"exposure", "warmth", "tint", "contrast", "grain", "blur"}
    assert asked(client, photo, "steps/gone/lying").status_code == 404
    assert asked(client, photo, "steps/gone/match").status_code == 404


def test_a_text_says_how_it_reads_and_what_it_cannot_write(client, photo):  # noqa: F811
    assert change(client, photo, [put("text", {"text": "Orchard", "percent": 10})]).status_code == 200
    lying = asked(client, photo, "steps/text/lying").json()
    assert 1 <= lying["contrast"] <= 21
    refused = change(client, photo, [put("text", {"text": "漢"})])
    assert refused.status_code == 422
    assert "letter" in refused.json()["title"]


@pytest.mark.parametrize(
    "params",
    [
        {"picture": "0" * 64},
        {"picture": "sky:none"},
        {"corners": [[0, 0], [10, 10], [10, 0], [0, 10]]},
        {"picture": "../../etc/passwd"},
        {"part": [5, 5, 5, 5]},
    ],
    ids=["of another ticket", "no such sky", "crossed", "a path", "no part"],
)
def test_pieces_that_cannot_be_laid_are_refused_in_words(client, photo, params):  # noqa: F811
    before = head(client, photo)["revision"]
    answer = change(client, photo, [put("piece", params)])
    assert answer.status_code == 422, answer.text
    assert answer.json()["title"]
    assert head(client, photo)["revision"] == before


def test_corners_are_four_or_none(client, photo):  # noqa: F811
    found = asked(client, photo, "corners", x=2100, y=1500).json()["corners"]
    assert found is None or len(found) == 4
    assert asked(client, photo, "corners", x="far", y=1).status_code == 422


def test_a_piece_is_told_where_it_belongs_by_what_it_shows(client, photo):  # noqa: F811
    part = {"picture": "", "part": [200, 200, 4100, 2700], "at": [3000, 900], "scale": 0.5}
    sky = {"kind": "put", "step": {"id": "sky", "op": "piece", "params": {"picture": "sky:fair-day"}}}
    assert change(client, photo, [put("piece", part), sky]).status_code == 200
    found = asked(client, photo, "steps/piece/likeness").json()
    assert np.abs(np.array(found["corners"]) - [[200, 200], [4100, 200], [4100, 2700], [200, 2700]]).max() < 2
    assert found["places"] > 40
    assert all(abs(stops) < 3 for stops in found["light"].values())
    assert asked(client, photo, "steps/sky/likeness").json()["corners"] is None
    assert asked(client, photo, "steps/gone/likeness").status_code == 404


def test_edges_and_horizon_are_told_in_photo_pixels(client, photo):  # noqa: F811
    found = asked(client, photo, "edges").json()
    assert found["edges"]
    assert all(
        -1 <= x <= 4321 and -1 <= y <= 2881 for x0, y0, x1, y1 in found["edges"] for x, y in ((x0, y0), (x1, y1))
    )
    assert found["horizon"] is None or 0 < found["horizon"] < 2880


def test_a_piece_throws_a_shadow_of_the_photos_own_softness(client, photo):  # noqa: F811
    assert (
        change(client, photo, [put("piece", {"picture": "sky:fair-day", "shade": {"contact": 50}})]).status_code == 200
    )
    (step,) = [one["step"] for one in head(client, photo)["steps"] if one["step"]["op"] == "piece"]
    shade = step["params"]["shade"]
    assert (shade["contact"], shade["soft_blur"], shade["hard_blur"]) == (50, 36, 7.2)


def test_the_picture_is_lent_changed_elsewhere_and_taken_back_where_it_was_changed(client, photo):  # noqa: F811
    change(client, photo, [put("exposure", {"ev": 0.4})])
    answer = asked(client, photo, "lent")
    assert answer.headers["content-type"] == "image/tiff"
    lent = decode(answer.content)
    mark = mark_of(Image.open(io.BytesIO(answer.content)).info["xmp"])
    assert mark.photo == photo
    assert lent.pixels.dtype == np.uint16
    edited = lent.pixels.copy()
    cv2.circle(edited, (2000, 1200), 120, (60000, 2000, 2000), -1)
    with Image.open(io.BytesIO(answer.content)) as image:
        how = Encoding("TIFF", icc=image.info["icc_profile"], xmp=image.info["xmp"])
    photos = len(client.get("/api/tickets/FT-0201").json()["photos"])
    back = [("files", ("worked on.tif", encode(edited, how)))]
    brought = client.post("/api/tickets/FT-0201/photos", files=back).json()[0]
    assert brought["photo"] == photo

    def pieces():
        return [one["step"] for one in head(client, photo)["steps"] if one["step"]["op"] == "piece"]

    (step,) = until("what was lent to be laid over its photo", pieces)
    assert step["params"]["title"] == "taken back"
    # no photo of its own, and said on the ticket
    ticket = client.get("/api/tickets/FT-0201").json()
    assert len(ticket["photos"]) == photos
    assert any(one["what"] == "taken back" for one in ticket["events"])
    again = decode(asked(client, photo, "lent").content).pixels
    assert np.array_equal(again[1200 - 60 : 1200 + 60, 2000 - 60 : 2000 + 60], edited[1140:1260, 1940:2060])
    assert np.array_equal(again[:900], lent.pixels[:900])


def test_what_came_back_unchanged_lays_nothing(client, photo):  # noqa: F811
    data = asked(client, photo, "lent").content
    client.post("/api/tickets/FT-0201/photos", files=[("files", ("same.tif", data))])
    until(
        "it to be compared",
        lambda: any(
            one["what"] == "taken back unchanged" for one in client.get("/api/tickets/FT-0201").json()["events"]
        ),
    )
    assert not [one for one in head(client, photo)["steps"] if one["step"]["op"] == "piece"]


def test_a_file_for_pieces_is_kept_with_the_photo_and_is_none_of_the_tickets(client, photo):  # noqa: F811
    photos = len(client.get("/api/tickets/FT-0201").json()["photos"])
    data = pictures.file(pictures.texture(60, 90, 4), "PNG")

    def brought(data, pieces_of):
        new = {"name": "logo.png", "size": len(data), "fingerprint": f"{len(data)}"}
        upload = client.post("/api/tickets/FT-0201/uploads", json=new).json()
        query = {"offset": 0, "name": "logo.png", "pieces_of": pieces_of}
        part = client.put(f"/api/tickets/FT-0201/uploads/{upload['id']}", params=query, content=data)
        return part.json()["brought"]

    kept = brought(data, photo)
    assert kept["picture"]
    assert len(client.get("/api/tickets/FT-0201").json()["photos"]) == photos
    assert change(client, photo, [put("piece", {"picture": kept["picture"]})]).status_code == 200
    assert asked(client, photo, "steps/piece/lying").json()["size"] == [90, 60]
    assert "not a picture" in brought(b"dear diary, " * 40, photo)["problem"]
    assert "not on this ticket" in brought(data + b" ", str(uuid4()))["problem"]
