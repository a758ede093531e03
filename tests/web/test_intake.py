"""Bringing photos: what is good is taken, what is bad is refused in words, and the server stays up."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from fern_ticket.jobs.intake import shown_name
from tests import pictures
from tests.application import ready_photos, until
from tests.core.test_pictures import JPEG, png_header
from tests.raw_files import dng


def bring(client, name, data):
    answer = client.post("/api/tickets/FT-0201/photos", files=[("files", (name, data))])
    assert answer.status_code == 200, answer.text
    return answer.json()[0]


def settled(client, brought):
    """The photo once it is prepared or refused."""
    photos = until("the photo to be prepared", lambda: ready_photos(client))
    return next(p for p in photos if p["id"] == brought["photo"])


@pytest.fixture
def tidy(client, application):
    """Take the brought photos off again, so that the demo stays as it is."""
    yield
    import psycopg

    with psycopg.connect(application.cluster.url) as connection:
        connection.execute("delete from photos where position > 3")


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("note.jpg", b"dear diary, " * 40, "not a picture"),
        ("empty.jpg", b"", "empty"),
        ("dot.png", pictures.file(np.zeros((1, 1, 3), np.uint8), "PNG"), "only 1 × 1"),
        ("huge.png", png_header(60000, 60000), "60000 × 60000"),
        ("moving.gif", pictures.file(pictures.ramp(40, 40), "GIF"), "GIF files are not read"),
    ],
    ids=["text", "empty", "1x1", "huge", "gif"],
)
def test_bad_files_are_refused_at_once(client, name, data, said):
    brought = bring(client, name, data)
    assert brought["photo"] is None
    assert said in brought["problem"]
    assert client.get("/api/session").status_code == 200


def test_a_truncated_file_is_refused_when_it_is_opened(client, tidy):
    photo = settled(client, bring(client, "cut.jpg", JPEG[: len(JPEG) // 2]))
    assert photo["state"] == "refused"
    assert "cut short" in photo["problem"]
    assert client.get(f"/api/photos/{photo['id']}/bench").status_code == 409
    assert client.delete(f"/api/photos/{photo['id']}").status_code == 204
    assert all(p["id"] != photo["id"] for p in ready_photos(client))


def test_cmyk_and_deep_grey_are_taken(client, tidy):
    out = io.BytesIO()
    Image.new("CMYK", (300, 200), (200, 20, 0, 0)).save(out, "JPEG")
    cmyk = settled(client, bring(client, "print.jpg", out.getvalue()))
    assert cmyk["state"] == "ready"
    assert "CMYK" in cmyk["remarks"][0]
    _, grey = cv2.imencode(".png", (np.arange(60000, dtype=np.uint16)).reshape(200, 300))
    deep = settled(client, bring(client, "grey.png", grey.tobytes()))
    assert (deep["state"], deep["width"], deep["height"]) == ("ready", 300, 200)


def test_a_raw_file_is_developed_and_says_so(client, tidy):
    scene = np.full((120, 200, 3), 0.3)
    scene[:, 100:] = (0.1, 0.2, 0.3)
    photo = settled(client, bring(client, "sensor.dng", dng(scene)))
    assert (photo["state"], photo["width"], photo["height"]) == ("ready", 200, 120)
    assert "developed from raw at 16 bits" in photo["remarks"][0]


def test_names_are_shown_but_never_used_as_paths(client, application, tidy):
    before = {p for p in application.data.parent.rglob("*") if "stolen" in p.name}
    brought = bring(client, "../../../stolen \u202ename.jpg", pictures.file(pictures.noise(90, 80, 77), "JPEG"))
    photo = settled(client, brought)
    assert photo["title"] == "stolen name"
    assert {p for p in application.data.parent.rglob("*") if "stolen" in p.name} == before


def test_control_characters_are_not_shown():
    assert shown_name("a/../b\\c\x00\x07\x1b d\u200f.jpg\n") == "c d.jpg"
    assert shown_name("/\x00") == "unnamed"


def test_the_same_picture_twice_is_noticed(client, tidy):
    data = pictures.file(pictures.noise(100, 80, 5), "JPEG")
    first, second = bring(client, "a.jpg", data), bring(client, "b.jpg", data)
    assert second["photo"] == first["photo"]
    assert second["already_there"]
    assert not first["already_there"]


def test_a_file_over_the_limit_is_refused(client):
    assert "larger than 64 MB" in bring(client, "big.jpg", bytes(65 << 20))["problem"]


def test_an_unknown_ticket_is_said(client):
    answer = client.post("/api/tickets/FT-4040/photos", files=[("files", ("x.jpg", JPEG))])
    assert answer.status_code == 404
    assert "FT-4040" in answer.json()["title"]
