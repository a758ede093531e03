"""The bench over its doors: ledgers by HTTP, frames and the slip by the socket, hand-over by a job."""

from __future__ import annotations

import io
import json
import math
import struct
import time
from types import SimpleNamespace
from typing import Any
from uuid import uuid4

import numpy as np
import psycopg
import pytest
from PIL import Image
from websockets.sync.client import connect

from fern_ticket.core.errors import FernError
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.web.bench import table
from fern_ticket.web.bench.messages import Look
from fern_ticket.web.bench.table import Bench, HandMoves, Overtaken
from tests import pictures
from tests.application import until


@pytest.fixture
def photo(client):
    """The breakfast table, with nothing done to it."""
    photos = client.get("/api/tickets/FT-0201").json()["photos"]
    photo = photos[1]["id"]
    ledger = client.get(f"/api/photos/{photo}/ledger").json()
    if ledger["steps"]:
        changes = [{"kind": "remove", "id": s["step"]["id"]} for s in ledger["steps"]]
        change(client, photo, changes)
    return photo


def head(client, photo):
    return client.get(f"/api/photos/{photo}/ledger").json()


def change(client, photo, changes, expected=None):
    body = {"expected": expected or head(client, photo)["revision"], "summary": "test", "changes": changes}
    return client.post(f"/api/photos/{photo}/changes", json=body)


def followed(ledger, change):
    """The ledger with the answer to a change laid into it, as the page does it."""
    assert change["before"] == ledger["revision"]
    steps = list(ledger["steps"])
    for splice in change["splices"]:
        steps[splice["at"] : splice["at"] + splice["gone"]] = splice["new"]
    return {name: change[name] for name in ("revision", "can_undo", "can_redo", "summary")} | {"steps": steps}


def put(op, params=None, **more):
    return {"kind": "put", "step": {"id": op, "op": op, "params": params or {}, **more}}


class Socket:
    def __init__(self, application, client, photo):
        cookie = f"fern_session={client.cookies['fern_session']}"
        where = f"ws://127.0.0.1:{application.port}/api/photos/{photo}/socket"
        self.socket = connect(where, additional_headers={"Cookie": cookie}, origin=application.url, max_size=None)
        self.serial = 0

    def look(self, revision, **more):
        self.serial += 1
        view = {"left": 0, "top": 0, "scale": 0.1, "width": 432, "height": 288, "whole": False}
        view.update(more.pop("view", {}))
        self.socket.send(
            json.dumps({"type": "look", "serial": self.serial, "revision": revision, "view": view, **more})
        )
        return self.serial

    def frame(self):
        """The next frame: its head and its pixels."""
        while True:
            said = self.socket.recv(timeout=20)
            if isinstance(said, bytes):
                (length,) = struct.unpack(">I", said[:4])
                pixels = np.asarray(Image.open(io.BytesIO(said[4 + length :])))
                return json.loads(said[4 : 4 + length]), pixels

    def text(self, kind, fits=lambda _: True):
        """The next message of a kind that fits."""
        while True:
            said = self.socket.recv(timeout=20)
            if isinstance(said, str) and json.loads(said)["type"] == kind and fits(json.loads(said)):
                return json.loads(said)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.socket.close()


def test_steps_are_saved_settled_and_listed(client, photo):
    stroke = {"points": [[2500, 2500, 1]], "size": 60}
    before = head(client, photo)
    answer = change(
        client,
        photo,
        [
            put("dab", mask={"kind": "strokes", "strokes": [stroke]}),
            put("white_balance", {"neutrals": [{"x": 740, "y": 1000}]}),
            put("straighten", {"line": [[100, 500], [2100, 540]]}),
        ],
    )
    assert answer.status_code == 200, answer.text
    steps = {s["step"]["op"]: s for s in followed(before, answer.json())["steps"]}
    assert steps["dab"]["step"]["params"]["source"].keys() == {"dx", "dy"}
    assert steps["white_balance"]["step"]["params"]["temperature"] < 6000
    assert steps["straighten"]["step"]["params"]["angle"] == pytest.approx(-1.146, abs=1e-3)
    assert [steps[s]["station"] for s in ("dab", "white_balance", "straighten")] == [
        "clean",
        "balance",
        "frame",
    ]
    assert head(client, photo) == followed(before, answer.json())


def test_a_stale_change_is_refused_and_says_what_to_do(client, photo):
    old = head(client, photo)["revision"]
    assert change(client, photo, [put("exposure", {"ev": 0.2})]).status_code == 200
    stale = change(client, photo, [put("exposure", {"ev": 0.9})], expected=old)
    assert stale.status_code == 409
    assert "changed somewhere else" in stale.json()["title"]
    assert head(client, photo)["steps"][0]["step"]["params"] == {"ev": 0.2}


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ([put("sparkle")], "no operation called sparkle"),
        ([put("exposure", {"ev": 50})], "Exposure: ev"),
        ([put("dab")], "needs a place"),
        ([put("dab", mask={"kind": "bitmap", "file": "/etc/passwd"})], "cannot come from the page"),
        ([{"kind": "remove", "id": "gone"}], "not in the ledger"),
        ([put("white_balance", {"neutrals": [{"x": -900, "y": 5}]})], "outside the picture"),
    ],
)
def test_changes_that_make_no_sense_are_refused_whole(client, photo, changes, said):
    before = head(client, photo)
    answer = change(client, photo, [put("exposure", {"ev": 0.1}), *changes])
    assert answer.status_code == 422
    assert said in answer.json()["title"] + answer.json()["detail"]
    assert head(client, photo) == before


def test_undo_goes_back_and_redo_forth(client, photo):
    start = head(client, photo)
    done = followed(start, change(client, photo, [put("exposure", {"ev": 0.7})]).json())
    back = client.post(f"/api/photos/{photo}/undo", json={"expected": done["revision"]}).json()
    undone = followed(done, back)
    assert undone["steps"] == start["steps"] == head(client, photo)["steps"]
    assert undone["can_redo"]
    forth = client.post(f"/api/photos/{photo}/redo", json={"expected": undone["revision"]}).json()
    assert followed(undone, forth)["steps"] == done["steps"] == head(client, photo)["steps"]
    assert client.post(f"/api/photos/{photo}/undo", json={"expected": start["revision"]}).status_code == 409


def test_a_frame_shows_the_draft_that_is_not_saved(application, client, photo):
    revision = head(client, photo)["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision)
        about, plain = bench.frame()
        assert plain.shape == (288, 432, 3)
        assert about["size"] == [4320, 2880]
        bench.look(revision, draft=put("exposure", {"ev": 1})["step"], fine=False)
        _, lighter = bench.frame()
        assert lighter.mean() > plain.mean() + 25
        bench.look(revision, draft=put("exposure", {"ev": 1})["step"], original=True)
        _, original = bench.frame()
        assert abs(original.mean() - plain.mean()) < 0.5
    assert head(client, photo)["revision"] == revision


def test_the_newest_look_wins(application, client, photo):
    revision = head(client, photo)["revision"]
    with Socket(application, client, photo) as bench:
        for step in range(30):
            last = bench.look(revision, draft=put("exposure", {"ev": step / 20})["step"], fine=False)
        frames = []
        while not frames or frames[-1] != last:
            frames.append(bench.frame()[0]["serial"])
        assert frames == sorted(frames)
        assert len(frames) < 30


def test_long_looks_are_answered_and_never_after_a_short_one_that_came_later(application, client, photo):
    revision = head(client, photo)["revision"]
    stroke = {"points": [[100 + k % 50, 100 + k // 200, 0.5] for k in range(9000)], "size": 20}
    long = put("heal", mask={"kind": "strokes", "strokes": [stroke]})["step"]
    short = put("exposure", {"ev": 1})["step"]
    with Socket(application, client, photo) as bench:

        def answers(serial):
            while bench.frame()[0]["serial"] != serial:
                pass

        # each is read in a turn, with a pause after it; the newest is read
        answers([bench.look(revision, draft=long) for _ in range(6)][-1])
        for _ in range(4):
            bench.look(revision, draft=long)
            last = bench.look(revision, draft=short)
        answers(last)
        bench.look(revision, draft={**long, "params": {"sparkle": 1}})
        assert "sparkle" in bench.text("problem")["sentence"]
        bench.look(revision, draft={**long, "strength": 7})
        assert "does not fit" in bench.text("problem")["sentence"]
        # had a long look come after the short one, its frame would stand before this
        answers(bench.look(revision))


def by_line(slip):
    return {verdict["requirement"]: verdict for verdict in slip["verdicts"]}


def test_measuring_stops_where_the_hand_moves_or_has_left():
    nothing: Any = None
    bench = Bench(nothing, nothing, uuid4(), uuid4(), "", nothing, nothing, nothing)
    bench.carry_on()
    bench.moved = time.monotonic()
    with pytest.raises(HandMoves):
        bench.carry_on()
    bench.moved = -math.inf
    bench.left = True
    with pytest.raises(HandMoves):
        bench.carry_on()


def test_a_frame_stops_that_nobody_wants_any_more_or_that_takes_too_long(monkeypatch):
    nothing: Any = None
    source = pictures.source(pictures.texture(300, 400))
    opening = SimpleNamespace(picture=lambda *_, **__: LedgerPicture(source, "b", [], ByteCache(1 << 24)))
    shared: Any = SimpleNamespace(opening=opening)
    bench = Bench(shared, nothing, uuid4(), uuid4(), "", nothing, nothing, nothing)

    def look(serial, *, fine):
        view = {"left": 0, "top": 0, "scale": 1, "width": 400, "height": 300}
        return Look.model_validate({"type": "look", "serial": serial, "revision": 1, "view": view, "fine": fine})

    fine, moving = look(1, fine=True), look(2, fine=False)
    bench.last = fine
    assert bench.frame([], fine, original=False)
    bench.last = moving
    with pytest.raises(Overtaken):
        bench.frame([], fine, original=False)
    # while the hand moves, each frame that was begun is shown
    bench.last = look(3, fine=False)
    assert bench.frame([], moving, original=False)
    monkeypatch.setattr(table, "FRAME_LIMIT", -1)
    with pytest.raises(FernError, match="took too long"):
        bench.frame([], moving, original=False)
    bench.left = True
    with pytest.raises(Overtaken):
        bench.frame([], moving, original=False)


def test_the_slip_changes_with_the_picture(application, client, photo):
    revision = head(client, photo)["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision)
        lines = by_line(bench.text("slip"))
        assert lines["ratio"]["state"] == "short"
        assert lines["cast"]["state"] == "open"
        crop = put("crop", {"left": 400, "top": 200, "width": 2000, "height": 2500, "ratio": "4:5"})
        white = put("white_balance", {"neutrals": [{"x": 740, "y": 1000}]})
        after = change(client, photo, [crop, white, put("exposure", {"ev": 3})]).json()
        bench.look(after["revision"])
        said = bench.text("slip", lambda said: by_line(said)["ratio"]["value"] == "4:5")  # not one of the look before
        lines = by_line(said)
        assert lines["ratio"]["state"] == "holds"
        assert lines["clipped_whites"]["state"] == "short"
        assert lines["clipped_whites"]["where"]
        assert said["neutrals"][0]["cast"] < 0.5


def test_nonsense_on_the_socket_is_answered_and_the_bench_goes_on(application, client, photo):
    revision = head(client, photo)["revision"]
    with Socket(application, client, photo) as bench:
        bench.socket.send("not json")
        assert "does not fit" in bench.text("problem")["sentence"]
        bench.look(987654321)
        assert "revision" in bench.text("problem")["sentence"]
        bench.look(revision, draft=put("sparkle")["step"])
        assert "sparkle" in bench.text("problem")["sentence"]
        bench.look(revision)
        assert bench.frame()[1].shape == (288, 432, 3)


def hand_over(client, photo):
    answer = client.post(f"/api/photos/{photo}/hand-overs", json={"expected": head(client, photo)["revision"]})
    assert answer.status_code == 202, answer.text
    return ended(client, answer.json()["id"])


def ended(client, hand_over_id):
    def look():
        row = client.get(f"/api/hand-overs/{hand_over_id}").json()
        return row if row["ended_at"] else None

    return until("the hand-over to end", look, 90)


def test_a_photo_short_of_the_measure_is_returned_with_reasons_then_accepted(client, photo):
    returned = hand_over(client, photo)
    assert returned["state"] == "returned"
    assert any("ratio" in reason for reason in returned["reasons"])
    crop = put("crop", {"left": 400, "top": 0, "width": 3600, "height": 2880, "ratio": "5:4"})
    assert change(client, photo, [crop]).status_code == 200
    accepted = hand_over(client, photo)
    assert (accepted["state"], accepted["reasons"]) == ("accepted", [])
    assert accepted["receipt"].startswith("VH-")
    assert accepted["file_name"] != returned["file_name"]
    file = client.get(f"/api/hand-overs/{accepted['id']}/file")
    image = Image.open(io.BytesIO(file.content))
    assert image.size == (2400, 1920)
    assert accepted["file_name"] in file.headers["content-disposition"]


def test_a_hand_over_that_waits_can_be_cancelled_and_is_not_made(application, client, photo):
    """One that no worker has taken up: it is put into the table, not onto the queue."""
    revision = head(client, photo)["revision"]
    with psycopg.connect(application.cluster.url) as connection:
        (made,) = connection.execute(
            "insert into hand_overs (photo, revision, file_name) values (%s, %s, 'x.jpg') returning id",
            (photo, revision),
        ).fetchone()
    second = client.post(f"/api/photos/{photo}/hand-overs", json={"expected": revision})
    assert second.status_code == 409
    cancelled = client.post(f"/api/photos/{photo}/hand-overs/{made}/cancel").json()
    assert cancelled["state"] == "cancelled"
    assert ended(client, made)["blob"] is None
    again = client.post(f"/api/photos/{photo}/hand-overs/{made}/cancel").json()
    assert again["ended_at"] == cancelled["ended_at"]


def test_the_committed_interface_description_is_current(application):
    from pathlib import Path

    from fern_ticket.settings import Settings
    from fern_ticket.web.app import create_app

    committed = json.loads((Path(__file__).parents[2] / "frontend" / "openapi.json").read_text())
    assert committed == create_app(Settings()).openapi(), "run: npm run api, after ./fern's openapi"


def test_the_original_comes_first_when_it_is_asked_for_beside(application, client, photo):
    revision = change(client, photo, [put("saturation", {"amount": -100})]).json()["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision, beside=True)
        first, colour = bench.frame()
        second, grey = bench.frame()
    assert (first["original"], second["original"]) == (True, False)
    assert first["size"] == second["size"]
    assert np.ptp(colour.astype(int), axis=2).mean() > 4 * np.ptp(grey.astype(int), axis=2).mean()


def test_a_lamp_lights_the_frame_and_never_the_original(application, client, photo):
    revision = head(client, photo)["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision)
        plain = bench.frame()[1].astype(int)
        bench.look(revision, lamp="cast")
        cast = bench.frame()[1].astype(int)
        bench.look(revision, lamp="cast", original=True)
        original = bench.frame()[1].astype(int)
        bench.look(revision, lamp="torch")
        assert "does not fit" in bench.text("problem")["sentence"]
    assert np.ptp(cast, axis=2).mean() > 3 * np.ptp(plain, axis=2).mean()
    assert np.abs(original - plain).mean() < 2


def test_a_cover_is_shown_over_the_frame_and_never_over_the_original(application, client, photo):
    cover = {"parts": [{"shape": {"kind": "round", "middle": [2160, 1440], "radii": [900, 700], "soft": 0}}]}
    area = put("area", {"cover": cover, "steps": []})
    revision = change(client, photo, [area]).json()["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision)
        _, plain = bench.frame()
        bench.look(revision, cover={"step": area["step"]["id"]})
        about, hatched = bench.frame()
        bench.look(revision, cover={"step": area["step"]["id"], "way": "mask"})
        _, alone = bench.frame()
        bench.look(revision, cover={"step": area["step"]["id"]}, original=True)
        _, original = bench.frame()
        bench.look(revision, cover={"step": "none of the ledger"})
        _, unknown = bench.frame()
    assert about["cover"] == area["step"]["id"]
    middle, corner = np.s_[130:160, 200:230], np.s_[10:60, 10:60]
    assert np.abs(hatched[middle].astype(int) - plain[middle]).mean() < 2
    assert np.abs(hatched[corner].astype(int) - plain[corner]).mean() > 4
    assert alone[middle].min() > 250
    assert alone[corner].max() < 5
    for untouched in (original, unknown):
        assert np.abs(untouched.astype(int) - plain).mean() < 1


def test_the_colour_of_a_place_is_that_before_light(client, photo):
    place = {"x": 2000, "y": 1500, "size": 21}
    before = client.get(f"/api/photos/{photo}/colour", params=place).json()["colour"]
    change(client, photo, [put("exposure", {"ev": 2})])
    assert client.get(f"/api/photos/{photo}/colour", params=place).json()["colour"] == before
    assert client.get(f"/api/photos/{photo}/colour", params={"x": 9e4, "y": -5}).status_code == 200
    assert client.get(f"/api/photos/{photo}/colour", params={"x": "left", "y": 1}).status_code == 422


def test_prints_and_the_histogram_come_along(application, client, photo):
    crop = put("crop", {"left": 0, "top": 0, "width": 3600, "height": 2400, "ratio": "3:2"})
    revision = change(client, photo, [crop]).json()["revision"]
    with Socket(application, client, photo) as bench:
        bench.look(revision)
        assert {"across": 12, "down": 8, "ppi": 300} in bench.frame()[0]["prints"]
        tones = bench.text("slip")["histogram"]
    assert [len(counts) for counts in tones] == [256] * 3
    assert len({sum(counts) for counts in tones}) == 1


def test_proposals_are_made_before_any_light_step(client, photo):
    before = client.get(f"/api/photos/{photo}/proposals").json()
    assert before["white_balance"]["temperature"] < 6507
    change(client, photo, [put("exposure", {"ev": 2})])
    assert client.get(f"/api/photos/{photo}/proposals").json() == before


def test_a_step_is_moved(client, photo):
    change(client, photo, [put("exposure", {"ev": 1}), put("contrast", {"amount": 10})])
    before = head(client, photo)
    answer = change(client, photo, [{"kind": "move", "id": "contrast", "before": "exposure"}])
    moved = followed(before, answer.json())
    assert moved == head(client, photo)
    assert [s["step"]["op"] for s in moved["steps"]] == ["contrast", "exposure"]


def test_a_recipe_is_kept_used_and_forgotten(client, photo):
    change(client, photo, [put("exposure", {"ev": 1}), put("contrast", {"amount": 10})])
    kept = client.post("/api/recipes", json={"name": "Paler", "photo": photo, "steps": ["exposure", "contrast"]})
    assert kept.status_code == 201
    assert kept.json()["titles"] == ["Exposure", "Contrast"]
    again = client.post("/api/recipes", json={"name": "paler", "photo": photo, "steps": ["exposure"]}).json()
    assert again["id"] == kept.json()["id"]

    change(client, photo, [{"kind": "remove", "id": "exposure"}])
    use = f"/api/photos/{photo}/recipes/{again['id']}"
    before = head(client, photo)
    ledger = followed(before, client.post(use, json={"expected": before["revision"]}).json())
    assert sorted(s["step"]["op"] for s in ledger["steps"]) == ["contrast", "exposure"]
    assert client.post(use, json={"expected": 1}).status_code == 409
    assert client.delete(f"/api/recipes/{again['id']}").status_code == 204
    assert client.post(use, json={"expected": ledger["revision"]}).status_code == 404
    wrong = client.post("/api/recipes", json={"name": "None", "photo": photo, "steps": ["not there"]})
    assert wrong.status_code == 422


def test_steps_are_copied_to_other_photos_of_the_ticket(client, photo):
    change(client, photo, [put("exposure", {"ev": 1})])
    other = client.get("/api/tickets/FT-0201").json()["photos"][2]["id"]
    before = head(client, other)
    body = {"steps": ["exposure"], "to": [other, photo]}
    done = client.post(f"/api/photos/{photo}/copies", json=body).json()
    assert done["copied"] == 1
    assert "another photo" in done["refused"][0]
    after = head(client, other)
    assert after["steps"][-1]["step"]["params"]["ev"] == 1
    client.post(f"/api/photos/{other}/undo", json={"expected": after["revision"]}).raise_for_status()
    assert head(client, other)["steps"] == before["steps"]


def test_the_walkover_keeps_account_of_cells(client, photo):
    where = f"/api/photos/{photo}/walkover"
    client.delete(where).raise_for_status()
    assert client.post(where, json={"cells": [3, 4]}).status_code == 204
    client.post(where, json={"cells": [4, 90]}).raise_for_status()
    account = client.get(f"/api/photos/{photo}/bench").json()["walkover"]
    assert account == {"columns": 48, "rows": 32, "cells": [3, 4, 90]}
    assert client.post(where, json={"cells": [48 * 32]}).status_code == 422
    client.delete(where).raise_for_status()
    assert client.get(f"/api/photos/{photo}/bench").json()["walkover"]["cells"] == []


def test_the_account_of_a_photo_on_anothers_bench_is_theirs(client, application, photo):
    where = f"/api/photos/{photo}/walkover"
    client.delete(where).raise_for_status()
    page = {"page": str(uuid4())}
    client.put(f"/api/photos/{photo}/lease", json=page).raise_for_status()
    client.post(where, json={"cells": [7]}).raise_for_status()
    with application.client("jonas") as other:
        assert other.post(where, json={"cells": [8]}).status_code == 204
        assert "has this photo on the bench" in other.delete(where).json()["title"]
    assert client.get(f"/api/photos/{photo}/bench").json()["walkover"]["cells"] == [7]
    client.post(f"/api/photos/{photo}/lease/end", json=page).raise_for_status()
    client.delete(where).raise_for_status()
