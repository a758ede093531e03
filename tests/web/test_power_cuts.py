"""Killed at the worst moment: what the page was told is saved is there, and nothing is half done."""

from __future__ import annotations

import hashlib
import io
import time
from collections.abc import Iterator

import httpx
import numpy as np
import pytest
from PIL import Image

from tests import pictures
from tests.application import Application, until
from tests.conftest import running_on_its_own


@pytest.fixture(scope="module")
def app() -> Iterator[Application]:
    """An application that tests may kill; each leaves it running."""
    with running_on_its_own() as running:
        running.start_server()
        running.start_worker()
        yield running


def put(ev):
    return [{"kind": "put", "step": {"id": "exposure", "op": "exposure", "params": {"ev": ev}}}]


def test_kills_of_server_database_and_worker(app):
    photo = app.small_ticket("FT-0901")[0]["id"]
    client = app.signed_in()
    revision = client.get(f"/api/photos/{photo}/ledger").json()["revision"]

    for number in range(2):
        body = {"expected": revision, "summary": "e", "changes": put(number / 10)}
        revision = client.post(f"/api/photos/{photo}/changes", json=body).json()["revision"]
        app.restart("server", *(["database"] if number else []))
        client = app.signed_in()
        ledger = client.get(f"/api/photos/{photo}/ledger").json()
        assert (ledger["revision"], ledger["steps"][0]["step"]["params"]) == (revision, {"ev": number / 10})

    app.restart("worker")
    asked = client.post(f"/api/photos/{photo}/hand-overs", json={"expected": revision}).json()["id"]

    def state(*wanted):
        row = client.get(f"/api/hand-overs/{asked}").json()
        return row if row["state"] in wanted else None

    until("the hand-over to begin", lambda: state("rendering", "delivering", "accepted", "returned"))
    app.restart("worker")
    row = until("another worker to finish it", lambda: state("accepted", "returned", "failed"), 90)
    assert row["state"] == "returned"
    assert len(app.kept_by_the_desk()) == 1
    assert not list(app.data.rglob("*.part"))


def test_nothing_is_lost_or_delivered_twice_whatever_is_killed_in_intake_and_hand_over(app):
    """Server, worker and database in turn, at a moment drawn by lot, while files come in parts and go to the desk."""
    app.small_ticket()
    before = len(app.kept_by_the_desk())
    random = np.random.default_rng(11)
    brought, orders = [], []

    for turn, victim in enumerate(("server", "worker", "database")):
        data = pictures.file(pictures.noise(500, 600, 70 + turn), "PNG")
        brought.append(
            (send_in_parts(app, f"n{turn}.png", data, lambda victim=victim: app.restart(victim), random), data)
        )
        client = app.signed_in()
        photo = until("the photo to be ready", lambda client=client, photo=brought[-1][0]: ready(client, photo), 90)
        body = {"expected": photo["head"], "summary": "e", "changes": put(0.1)}
        revision = client.post(f"/api/photos/{photo['id']}/changes", json=body).json()["revision"]
        asked = client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": revision})
        orders.append(asked.json()["id"])
        time.sleep(float(random.uniform(0, 1.2)))
        app.restart(victim)

    client = app.signed_in()
    for photo, data in brought:
        row = ready(client, photo)
        assert row["blob"] == hashlib.sha256(data).hexdigest()
        assert (app.data / "blobs" / row["blob"][:2] / row["blob"]).read_bytes() == data

    def ended(order):
        row = client.get(f"/api/hand-overs/{order}").json()
        return row if row["ended_at"] else None

    for order in orders:
        row = until("the hand-over to end", lambda order=order: ended(order), 120)
        assert row["state"] == "returned", row["reasons"]
        made = client.get(f"/api/hand-overs/{order}/file").content
        assert hashlib.sha256(made).hexdigest() == row["blob"]
        Image.open(io.BytesIO(made)).load()
    assert len(app.kept_by_the_desk()) - before == len(orders)
    assert not list(app.data.rglob("*.part"))
    assert not list((app.data / "uploads").iterdir())


def send_in_parts(app, name, data, kill, random):
    """Bring a file in parts; something is killed after one of them, and it goes on where it was."""
    part = 150_000
    at = int(random.integers(1, max(2, len(data) // part)))
    asked = {"name": name, "size": len(data), "fingerprint": "1"}
    sent, brought = 0, None
    while brought is None:
        try:
            with app.client() as client:
                upload = client.post("/api/tickets/FT-0900/uploads", json=asked).raise_for_status().json()
                way = f"/api/tickets/FT-0900/uploads/{upload['id']}"
                while brought is None:
                    offset = upload["have"]
                    sent += 1
                    if sent == at:
                        kill()
                    content = data[offset : offset + part]
                    answer = client.put(way, params={"offset": offset, "name": name}, content=content)
                    upload = answer.raise_for_status().json()
                    brought = upload["brought"]
        except httpx.HTTPError:
            time.sleep(0.3)
    assert brought["problem"] is None
    return brought["photo"]


def ready(client, photo):
    photos = client.get("/api/tickets/FT-0900").json()["photos"]
    return next((one for one in photos if one["id"] == photo and one["state"] == "ready"), None)
