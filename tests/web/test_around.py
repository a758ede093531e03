"""What is asked about a panorama: views over the socket, the stand, what is upright, faces, the file for a viewer."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.pictures.sphere import turned_by
from tests import pictures, spheres
from tests.application import ready_photos, until
from tests.web.test_bench import Socket, change, head, put

WIDTH = 1024


@pytest.fixture(scope="module")
def room(application):
    """A made room, brought as a panorama that leans, with something dark at its bottom."""
    pixels = spheres.room(WIDTH, turned_by(0, 3, -4))
    pixels[-34:] = (40, 42, 60)
    file = pictures.file(pixels, "JPEG", quality=95)
    with application.client() as client:
        brought = client.post("/api/tickets/FT-0201/photos", files=[("files", ("room.jpg", file))]).json()[0]
        photos = until("the panorama to be prepared", lambda: ready_photos(client))
        assert next(p for p in photos if p["id"] == brought["photo"])["state"] == "ready"
        yield brought["photo"]
        client.delete(f"/api/photos/{brought['photo']}").raise_for_status()


def asked(client, photo, what, **query):
    return client.get(f"/api/photos/{photo}/around/{what}", params=query)


def test_the_bench_knows_what_of_a_sphere_a_photo_shows(client, room):
    assert client.get(f"/api/photos/{room}/bench").json()["sphere"] == [WIDTH, WIDTH // 2, 0, 0]
    flat = client.get("/api/tickets/FT-0201").json()["photos"][0]["id"]
    assert client.get(f"/api/photos/{flat}/bench").json()["sphere"] is None


def test_a_look_around_is_answered_with_what_lies_there(application, client, room):
    revision = head(client, room)["revision"]
    with Socket(application, client, room) as bench:
        seen = []
        for pitch in (-90, 0):
            around = {"heading": 0, "pitch": pitch, "field": 40}
            bench.look(revision, view={"width": 200, "height": 120, "around": around})
            seen.append(bench.frame())
    down, ahead = seen
    assert down[0]["view"]["around"]["pitch"] == -90
    assert down[1][60, 100].mean() < 70
    assert ahead[1][60, 100].mean() > 90


def test_what_stands_at_the_bottom_is_outlined_in_a_downward_view(client, room):
    found = asked(client, room, "stand").json()
    assert found["view"]["pitch"] == -90
    assert found["view"]["sphere"] == [WIDTH, WIDTH // 2, 0, 0]
    points = np.array(found["loops"][0])
    middle = np.array(found["view"]["size"]) / 2
    away = np.hypot(*(points - middle).T)
    # the dark disc is 12° across its radius, with a margin for its shadow
    focal = middle[0] / np.tan(np.radians(found["view"]["field"]) / 2)
    assert 10 < np.degrees(np.arctan(np.median(away) / focal)) < 20


def test_upright_edges_tell_the_lean_and_a_plain_photo_is_refused(client, room):
    found = asked(client, room, "uprights").json()
    assert (found["pitch"], found["roll"]) == (pytest.approx(3, abs=0.4), pytest.approx(-4, abs=0.4))
    flat = client.get("/api/tickets/FT-0201").json()["photos"][0]["id"]
    refused = asked(client, flat, "uprights")
    assert refused.status_code == 422
    assert "panorama" in refused.json()["title"]


def test_lines_tell_a_plane_where_one_looks(client, room):
    found = asked(client, room, "plane", x=WIDTH / 2, y=WIDTH * 0.36).json()
    assert found["view"]["field"] == 80
    assert found["corners"] is None or len(found["corners"]) == 4
    assert asked(client, room, "plane", x="far", y=1).status_code == 422


def test_no_face_is_found_in_an_empty_room(client, room):
    assert asked(client, room, "faces").json() == {"places": []}


def test_the_delivery_for_a_viewer_is_flat_and_says_its_sphere(client, room):
    """The Valley Homes slip asks for no projection, so nothing is said; a proof's file always says it."""
    answer = asked(client, room, "delivered")
    assert answer.headers["content-type"] == "image/jpeg"
    assert read_metadata(answer.content).panorama is None
    link = client.post("/api/tickets/FT-0201/links/proofs", json={}).json()["path"].removeprefix("/proofs/")
    shown = next(p for p in client.get(f"/api/proofs/{link}").json()["photos"] if p["id"] == room)
    assert shown["around"] is True
    told = read_metadata(client.get(f"/api/proofs/{link}/{room}/around").content).panorama
    assert told is not None
    assert told.complete
    assert told.whole == (WIDTH, WIDTH // 2)


def test_a_mirror_is_told_how_it_hangs_and_what_it_should_show(client, room):
    found = asked(client, room, "mirror", x=512, y=240).json()
    assert len(found["line"]) > 5
    assert found["line"][0][1] < found["line"][-1][1]
    answer = asked(client, room, "mirrored", x=512, y=240, heading=found["heading"], pitch=found["pitch"])
    assert answer.headers["content-type"] == "image/jpeg"
    assert Image.open(io.BytesIO(answer.content)).size == (600, 400)
    assert asked(client, room, "mirrored", x=1, y=1, heading=9999, pitch=0).status_code == 422


def test_faces_and_mirrors_are_saved_as_steps_and_a_view_keeps_its_plane(client, room):
    view = {
        "kind": "view", "pitch": -90, "field": 100, "size": [400, 400], "sphere": [WIDTH, WIDTH // 2, 0, 0],
    }  # fmt: skip
    stroke = {"points": [[200, 200, 1]], "size": 80}
    repair = put("heal", {})
    repair["step"] |= {"mask": {"kind": "strokes", "strokes": [stroke], "view": view}, "chart": view}
    places = {"places": [{"x": 10, "y": 200, "size": 30, "hidden": True}], "sphere": view["sphere"]}
    saved = change(client, room, [repair, put("faces", places), put("mirrors", {"places": [{"x": 1, "y": 2}]})])
    assert saved.status_code == 200, saved.text
    steps = {s["step"]["op"]: s["step"] for s in client.get(f"/api/photos/{room}/ledger").json()["steps"]}
    assert steps["heal"]["chart"]["pitch"] == -90
    assert "source" in steps["heal"]["params"]
    wrong = put("calm", {})
    wrong["step"]["mask"] = {"kind": "strokes", "strokes": [stroke], "view": {"kind": "view", "pitch": -90}}
    assert change(client, room, [wrong]).status_code == 422
