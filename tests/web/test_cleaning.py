"""Clean over its doors: specks, hints, takes, and slow repairs that are made in the background."""

from __future__ import annotations

import io
import json
from uuid import uuid4

import numpy as np
import pytest
from PIL import Image

from tests import pictures
from tests.application import ready_photos, until
from tests.repairs import outline, strokes
from tests.web.test_bench import Socket, change, head, photo, put  # noqa: F401


@pytest.fixture
def regrown(client, photo):  # noqa: F811
    """The breakfast table with a step that takes a moment to make: no other test has made it before."""
    seed = {"seed": uuid4().int % 2**31}
    answer = change(client, photo, [put("regrow", seed, mask=outline(1900, 500, 2160, 700))])
    assert answer.status_code == 200
    return photo


def picture(data):
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


def test_specks_are_listed_with_where_how_large_and_how_strong(client, photo):  # noqa: F811
    found = client.get(f"/api/photos/{photo}/specks").json()
    assert found
    assert found == sorted(found, key=lambda one: -one["contrast"])
    assert all(0 < one["x"] < 4320 and 2 <= one["size"] <= 60 and one["contrast"] >= 3.7 for one in found)
    fewer = client.get(f"/api/photos/{photo}/specks", params={"contrast": 30}).json()
    assert len(fewer) < len(found)


def test_specks_that_are_in_the_ledger_are_not_found_again(client, photo):  # noqa: F811
    found = client.get(f"/api/photos/{photo}/specks").json()
    spots = [
        {key: one[key] for key in ("x", "y", "size")} for one in found if not one["part_of_thing"] and one["size"] < 12
    ][:5]
    assert change(client, photo, [put("specks", {"spots": spots})]).status_code == 200
    left = client.get(f"/api/photos/{photo}/specks").json()
    assert len(left) <= len(found) - 4
    assert change(client, photo, [put("specks", {"spots": [spots[0] | {"accepted": False}]})]).status_code == 200
    places = [(one["x"], one["y"]) for one in client.get(f"/api/photos/{photo}/specks").json()]
    assert (spots[0]["x"], spots[0]["y"]) not in places


@pytest.mark.parametrize("query", [{"contrast": 1}, {"largest": 9999}, {"least": "many"}])
def test_limits_without_sense_are_refused(client, photo, query):  # noqa: F811
    assert client.get(f"/api/photos/{photo}/specks", params=query).status_code == 422


def test_edges_that_run_into_a_place_are_told_and_change_nothing(client, photo):  # noqa: F811
    # the knife on the cloth
    steps = [put("regrow", mask=outline(700, 1090, 980, 1330)), put("exposure", {"ev": 0.1})]
    change(client, photo, steps)
    before = client.get(f"/api/photos/{photo}/ledger").json()["revision"]
    found = client.get(f"/api/photos/{photo}/steps/regrow/guides")
    assert found.status_code == 200
    for line in found.json()["lines"]:
        assert len(line) == 4
        assert all(0 <= x <= 4320 and 0 <= y <= 2880 for x, y in line)
    assert client.get(f"/api/photos/{photo}/steps/exposure/guides").json() == {"lines": []}
    assert client.get(f"/api/photos/{photo}/steps/none/guides").status_code == 404
    assert client.get(f"/api/photos/{photo}/ledger").json()["revision"] == before


def test_a_method_is_proposed_for_a_step_and_none_for_a_step_that_is_not_there(client, photo):  # noqa: F811
    change(client, photo, [put("heal", mask=strokes((2200, 300), size=40))])
    hint = client.get(f"/api/photos/{photo}/steps/heal/method").json()
    assert hint["method"] in ("calm", "heal", "clone", "regrow")
    assert hint["why"]
    assert client.get(f"/api/photos/{photo}/steps/gone/method").status_code == 404


def test_heal_gives_way_where_an_edge_runs_through_and_clone_does_not(application, client, photo):  # noqa: F811
    pixels = np.full((300, 400, 3), 200, np.uint8)
    pixels[:, 200:] = (70, 60, 50)
    grained = np.clip(pixels + np.random.default_rng(4).normal(0, 2, pixels.shape), 0, 255).astype(np.uint8)
    files = [("files", ("Two walls.png", pictures.file(grained, "PNG")))]
    brought = client.post("/api/tickets/FT-0201/photos", files=files).json()[0]["photo"]
    until("the photo to be ready", lambda: ready_photos(client))
    for op, gives_way in (("heal", True), ("clone", False)):
        change(client, brought, [put(op, {"source": {"dx": 0, "dy": 60}}, mask=strokes((200, 150), size=40))])
        hint = client.get(f"/api/photos/{brought}/steps/{op}/method").json()
        assert (hint["method"], hint["by_default"]) == ("regrow", gives_way)
    # it is at hand when it is told: the bench has nothing to wait for
    steps = [{"kind": "put", "step": {"id": "heal", "op": "regrow", "mask": strokes((200, 150), size=40)}}]
    revision = change(client, brought, [*steps, {"kind": "remove", "id": "clone"}]).json()["revision"]
    with Socket(application, client, brought) as socket:
        socket.look(revision, fine=True, view={"scale": 1, "width": 400, "height": 300})
        _, shown = socket.frame()
        assert np.abs(shown[140:160, 190:199].astype(int) - 200).mean() < 12
        assert np.abs(shown[140:160, 202:210].astype(int) - (70, 60, 50)).mean() < 12
    client.delete(f"/api/photos/{brought}").raise_for_status()


def test_a_cover_becomes_outlines_for_a_repair_or_a_reason_why_not(client, photo):  # noqa: F811
    disc = {"kind": "round", "middle": [2000, 1000], "radii": [300, 200], "soft": 0}
    loops = client.post(f"/api/photos/{photo}/cover/outlines", json={"parts": [{"shape": disc}]}).json()["loops"]
    xs, ys = zip(*loops[0], strict=True)
    assert (min(xs), max(xs)) == (pytest.approx(1700, abs=3), pytest.approx(2300, abs=3))
    assert (min(ys), max(ys)) == (pytest.approx(800, abs=3), pytest.approx(1200, abs=3))
    avoid = put("avoid", mask={"kind": "outline", "points": loops[0], "others": loops[1:]})
    assert change(client, photo, [avoid]).status_code == 200
    nothing = client.post(f"/api/photos/{photo}/cover/outlines", json={"parts": []})
    assert nothing.status_code == 422
    assert "edge" in nothing.json()["title"]


def test_takes_are_small_pictures_that_differ(client, regrown):
    first, second = (client.get(f"/api/photos/{regrown}/steps/regrow/takes/{k}") for k in (0, 1))
    assert first.headers["content-type"] == "image/jpeg"
    one, other = picture(first.content), picture(second.content)
    assert one.shape == other.shape
    assert max(one.shape) <= 220
    assert np.abs(one - other).max() > 8


def test_only_a_regrown_place_has_takes(client, photo):  # noqa: F811
    change(client, photo, [put("calm", mask=strokes((2200, 300), size=40))])
    answer = client.get(f"/api/photos/{photo}/steps/calm/takes/0")
    assert answer.status_code == 422
    assert "takes" in answer.json()["title"]
    assert client.get(f"/api/photos/{photo}/steps/gone/takes/0").status_code == 404


def test_frames_do_not_wait_for_a_slow_repair_and_it_shows_when_it_is_done(application, client, regrown):
    socket = Socket(application, client, regrown)
    revision = head(client, regrown)["revision"]
    view = {"left": 1900, "top": 500, "scale": 1.0, "width": 260, "height": 200}
    socket.look(revision, view=view)
    frames, busy = [], []

    def done():
        message = socket.socket.recv(timeout=30)
        if isinstance(message, bytes):
            length = int.from_bytes(message[:4], "big")
            frames.append(picture(message[4 + length :]))
        elif json.loads(message)["type"] == "busy":
            busy.append(json.loads(message)["steps"])
        return len(frames) >= 2

    while not done():
        pass
    # the first frame came before the repair, the second was sent by itself when it was done
    assert np.abs(frames[0] - frames[-1]).mean() > 1
    assert all(set(steps) <= {"regrow"} for steps in busy)


def test_the_slip_counts_what_only_a_close_look_finds(application, client, photo):  # noqa: F811
    socket = Socket(application, client, photo)
    socket.look(head(client, photo)["revision"])
    lines = {}

    def counted():
        message = socket.socket.recv(timeout=30)
        if not isinstance(message, bytes) and json.loads(message)["type"] == "slip":
            lines.update({one["requirement"]: one for one in json.loads(message)["verdicts"]})
        return all(
            lines.get(name, {}).get("state", "measuring") != "measuring" for name in ("repeats", "joins", "grain")
        )

    while not counted():
        pass
    for name in ("repeats", "joins", "grain"):
        assert lines[name]["state"] == "holds"
        assert lines[name]["value"] == "none"
