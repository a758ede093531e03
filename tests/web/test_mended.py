"""Faults that were found once over the doors, each as a statement of what holds instead."""

from __future__ import annotations

import asyncio
import json
import socket
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO
from types import SimpleNamespace
from uuid import uuid4

import psycopg
import pytest
from fastapi import UploadFile
from PIL import Image

from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.web.routes import tickets
from tests import pictures
from tests.web.test_bench import Socket, change, head, put

NUMBER = "FT-0201"


@pytest.fixture
def photos(client):
    """The demo's photos, with nothing done to them."""
    rows = [row for row in client.get(f"/api/tickets/{NUMBER}").json()["photos"] if row["position"] <= 3]
    for row in rows:
        steps = head(client, row["id"])["steps"]
        if steps:
            change(client, row["id"], [{"kind": "remove", "id": s["step"]["id"]} for s in steps])
    return [row["id"] for row in rows]


@pytest.fixture
def leased(client, editor, photos):
    """The second photo lies on the other person's bench."""
    page = {"page": str(uuid4())}
    editor.put(f"/api/photos/{photos[1]}/lease", json=page).raise_for_status()
    yield photos[1]
    editor.post(f"/api/photos/{photos[1]}/lease/end", json=page).raise_for_status()


def test_nothing_changes_a_photo_that_lies_on_somebody_elses_bench(client, photos, leased):
    change(client, photos[0], [put("exposure", {"ev": 0.5})])
    before = head(client, leased)
    copied = client.post(f"/api/photos/{photos[0]}/copies", json={"steps": ["exposure"], "to": [leased]}).json()
    assert copied["copied"] == 0
    assert "has this photo on the bench" in copied["refused"][0]
    recipe = client.post("/api/recipes", json={"name": "Leased", "photo": photos[0], "steps": ["exposure"]}).json()
    used = client.post(f"/api/photos/{leased}/recipes/{recipe['id']}", json={"expected": before["revision"]})
    assert used.status_code == 422
    assert "on the bench" in used.json()["title"]
    for way in ("undo", "redo"):
        refused = client.post(f"/api/photos/{leased}/{way}", json={"expected": before["revision"]})
        assert refused.status_code == 422
    facts = {"title": "t", "facts": {}}
    assert client.put(f"/api/photos/{leased}/facts", json=facts).status_code == 422
    assert head(client, leased) == before
    client.delete(f"/api/recipes/{recipe['id']}")


def test_who_has_a_photo_and_what_notes_are_open_is_said_on_its_own_page_too(client, photos, leased):
    client.post(f"/api/photos/{leased}/notes", json={"text": "Look at the rim."}).raise_for_status()
    photo = client.get(f"/api/photos/{leased}/bench").json()["photo"]
    listed = next(p for p in client.get(f"/api/tickets/{NUMBER}").json()["photos"] if p["id"] == leased)
    assert photo["holder"] == listed["holder"] == "Jonas Reed"
    assert photo["open_notes"] == listed["open_notes"] > 0
    for note in client.get(f"/api/photos/{leased}/notes").json():
        if note["side"] == "editor":
            client.delete(f"/api/photos/{leased}/notes/{note['id']}")


def test_a_recipe_keeps_nothing_of_the_pictures_of_its_ticket(client, photos):
    other = client.get(f"/api/photos/{photos[1]}/bench").json()["photo"]["blob"]
    dark = {"frame": {"picture": other, "rows": [[1, 0, 0], [0, 1, 0], [0, 0, 1]]}, "lift": 0}
    made = change(client, photos[0], [put("darker", dark), put("exposure", {"ev": 0.4})])
    assert made.status_code == 200, made.text
    kept = client.post("/api/recipes", json={"name": "Own", "photo": photos[0], "steps": ["darker", "exposure"]})
    assert kept.json()["titles"] == ["Exposure"]
    client.delete(f"/api/recipes/{kept.json()['id']}")
    alone = client.post("/api/recipes", json={"name": "Own", "photo": photos[0], "steps": ["darker"]})
    assert alone.status_code == 422
    assert "this photo alone" in alone.json()["title"]


def test_a_step_opens_no_picture_of_another_ticket(client, photos):
    answer = change(client, photos[0], [put("darker", {"frame": {"picture": "0" * 64}})])
    assert answer.status_code == 422
    assert "which is not here" in answer.json()["title"]


def test_one_bad_file_never_costs_another(client, application):
    exif = Image.Exif()
    exif[0x0110], exif[0x0112] = "Model of a camera", 6
    block = exif.tobytes()
    whole = pictures.file(pictures.noise(61, 80, 5), "JPEG", exif=block)
    cut = whole.replace(block, block[:20] + b"\xff" * (len(block) - 20), 1)
    good = pictures.file(pictures.noise(62, 80, 6), "JPEG")
    files = [("files", ("letter.jpg", b"dear diary" * 9)), ("files", ("cut.jpg", cut)), ("files", ("good.jpg", good))]
    answer = client.post(f"/api/tickets/{NUMBER}/photos", files=files)
    assert answer.status_code == 200, answer.text
    assert [bool(one["photo"]) for one in answer.json()] == [False, True, True]


def test_a_file_that_breaks_a_reader_is_refused_alone(monkeypatch):
    """Whatever a decoder of others may throw."""

    async def broken(*_):
        raise ZeroDivisionError

    monkeypatch.setattr(tickets, "bring_bytes", broken)
    monkeypatch.setattr(tickets, "_all_of", broken)
    shared = SimpleNamespace(settings=SimpleNamespace(upload_limit=9))
    bringing = tickets.bring_one(shared, None, UploadFile(BytesIO()), "me")
    # in a thread: the browser's driver keeps a loop in this one
    with ThreadPoolExecutor(1) as thread:
        brought = thread.submit(asyncio.run, bringing).result()
    assert brought.photo is None
    assert "could not be read" in brought.problem


def test_a_body_without_end_is_refused_as_it_comes(application, visitor):
    """No length is told, and nobody is signed in: it is not read to its end."""
    with socket.create_connection(("127.0.0.1", application.port), timeout=20) as line:
        line.sendall(
            b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
            b"Transfer-Encoding: chunked\r\n\r\n"
        )
        sent = 0
        answer = b""
        line.settimeout(0.02)
        while sent < 40 << 20 and not answer:
            try:
                line.sendall(b"4000\r\n" + b" " * 0x4000 + b"\r\n")
                sent += 0x4000
            except (ConnectionError, TimeoutError):
                break
            try:
                answer = line.recv(4096)
            except TimeoutError:
                continue
        line.settimeout(10)
        answer = answer or line.recv(4096)
    assert b" 413 " in answer.split(b"\r\n")[0]
    assert b"connection: close" in answer.lower()
    assert sent < 4 << 20
    assert visitor.get("/api/welcome").is_success


def test_a_body_that_says_it_is_too_long_is_refused_before_it_comes(visitor):
    answer = visitor.post("/api/session", content=b"x" * (1 << 20), headers={"Content-Type": "application/json"})
    assert answer.status_code == 413
    assert answer.headers["connection"] == "close"


@pytest.mark.parametrize("pattern", ["{number:300000000}", "{photo:99999999}"])
def test_a_slips_name_pattern_cannot_fill_the_memory(client, pattern):
    slip = {"name": "s", "name_pattern": pattern, "lines": [{"requirement": "ratio", "across": 3, "down": 2}]}
    answer = client.post("/api/slips/example", json=slip)
    assert answer.status_code == 422
    assert "name pattern" in answer.json()["title"]


def test_a_draft_of_huge_extent_is_refused_in_words(application, client, photos):
    points = [[(-1) ** n * 90_000, n, 1] for n in range(200)]
    stroke = {"points": points, "size": 4, "flow": 0.5, "spacing": 0.02}
    draft = {"id": "d", "op": "clone", "mask": {"kind": "strokes", "strokes": [stroke]}}
    with Socket(application, client, photos[0]) as bench:
        bench.look(head(client, photos[0])["revision"], draft=draft)
        assert "touches of the tip" in bench.text("problem")["sentence"]


def test_a_problem_says_which_look_it_answers(application, client, photos):
    with Socket(application, client, photos[0]) as bench:
        serial = bench.look(10**9)
        assert bench.text("problem")["serial"] == serial
        bench.socket.send("not a look")
        assert bench.text("problem")["serial"] is None


def test_words_and_ticks_that_change_after_a_check_ask_for_another(client, application, photos):
    photo, revision = photos[2], head(client, photos[2])["revision"]

    def checked():
        with psycopg.connect(application.cluster.url) as connection:
            connection.execute(
                "insert into checks (photo, revision, holds, verdicts) values (%s, %s, true, '[]')"
                " on conflict (photo, revision) do update set holds = true",
                (photo, revision),
            )

    def stage():
        return next(p for p in client.get(f"/api/tickets/{NUMBER}").json()["photos"] if p["id"] == photo)["stage"]

    checked()
    assert stage() == "checked"
    client.put(f"/api/photos/{photo}/facts", json={"title": "Another", "facts": {}}).raise_for_status()
    assert stage() != "checked"
    checked()
    assert stage() == "checked"
    lines = client.get(f"/api/tickets/{NUMBER}").json()["ticket"]["slip"]["lines"]
    words = next(line["words"] for line in lines if line["requirement"] == "by_eye")
    tick = {"words": words, "ticked": True, "expected": revision}
    answer = client.put(f"/api/photos/{photo}/ticks", json=tick)
    assert answer.status_code == 204, answer.text
    assert stage() != "checked"
    client.put(f"/api/photos/{photo}/ticks", json={**tick, "ticked": False}).raise_for_status()


def test_an_area_made_over_the_door_shows_in_the_frame_and_is_kept(application, client, photos):
    cover = {"parts": [{"shape": {"kind": "round", "middle": [1000, 1000], "radii": [400, 400], "soft": 0.3}}]}
    area = put("area", {"cover": cover, "steps": [{"op": "exposure", "params": {"ev": 2}}]})
    before = head(client, photos[1])
    answer = change(client, photos[1], [area])
    assert answer.status_code == 200, answer.text
    view = {"left": 800, "top": 800, "scale": 1, "width": 400, "height": 400, "whole": False}
    with Socket(application, client, photos[1]) as bench:
        bench.look(before["revision"], view=view)
        plain = bench.frame()[1].astype(int)
        bench.look(answer.json()["revision"], view=view)
        lit = bench.frame()[1].astype(int)
    assert (lit - plain)[180:220, 180:220].mean() > 20
    (step,) = read_steps([view["step"] for view in head(client, photos[1])["steps"]])
    assert step.params["cover"]["parts"][0]["shape"]["radii"] == [400, 400]
    assert json.dumps(step.params)
