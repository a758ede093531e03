"""Ways out: tried before they are used, given whole or not at all, asked again, nothing twice, secrets kept."""

from __future__ import annotations

import asyncio
import hashlib
import json
import stat
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import fsspec
import httpx
import pytest

from fern_ticket.core.errors import FernError
from fern_ticket.jobs.ways.folders import FolderWay
from fern_ticket.jobs.ways.giving import File, NotNow, Parcel, Refused
from fern_ticket.jobs.ways.inboxes import InboxWay
from fern_ticket.store.safe import Safe
from fern_ticket.store.ways import ToFolder
from tests.application import until
from tests.web.test_orders import SLIP, bring, make

PARCEL = Parcel(
    "key", "2027-0001", File("a.jpg", b"pixels"), [File("a_web.jpg", b"few")], File("a.jpg.manifest.json", b"{}")
)


def folder(address, keep_out="/nowhere"):
    return FolderWay(ToFolder(address=str(address)), "", Path(keep_out))


def do(work):
    """In a thread: the browser's driver keeps a loop in this one."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, work).result()


def give(way, parcel=PARCEL):
    return do(way.give(parcel))


def names(root):
    return sorted(str(path.relative_to(root)) for path in root.rglob("*") if path.is_file())


def test_a_parcel_lies_in_the_folder_whole_and_once_however_often_it_is_given(tmp_path):
    for _ in range(2):
        assert give(folder(tmp_path)).endswith("2027-0001/a.jpg")
    assert names(tmp_path) == ["2027-0001/a.jpg", "2027-0001/a.jpg.manifest.json", "2027-0001/a_web.jpg"]
    assert (tmp_path / "2027-0001" / "a.jpg").read_bytes() == b"pixels"


def test_another_file_of_that_name_is_never_written_over(tmp_path):
    (tmp_path / "2027-0001").mkdir()
    other = tmp_path / "2027-0001" / "a.jpg"
    other.write_bytes(b"somebody else's")
    with pytest.raises(Refused, match="Another file"):
        give(folder(tmp_path))
    assert other.read_bytes() == b"somebody else's"
    assert names(tmp_path) == ["2027-0001/a.jpg"]


def test_a_parcel_that_was_cut_off_goes_on(tmp_path):
    """Killed after the file, before its manifest, with a part left over."""
    (tmp_path / "2027-0001").mkdir()
    (tmp_path / "2027-0001" / "a.jpg").write_bytes(b"pixels")
    give(folder(tmp_path))
    assert names(tmp_path) == ["2027-0001/a.jpg", "2027-0001/a.jpg.manifest.json", "2027-0001/a_web.jpg"]


def test_a_folder_that_is_gone_or_no_folder_says_so(tmp_path):
    (tmp_path / "file").write_text("x")
    with pytest.raises(NotNow, match="cannot be written"):
        give(folder(tmp_path / "file"))
    with pytest.raises(Refused, match="no folder"):
        do(folder(tmp_path / "gone").tried())


def test_trying_a_folder_leaves_nothing_there(tmp_path):
    assert "could be written" in do(folder(tmp_path).tried())
    assert names(tmp_path) == []


@pytest.mark.parametrize("address", ["simplecache::s3://x/y", "nothing://x", "zip://*::/tmp/x.zip"])
def test_addresses_that_lead_elsewhere_are_refused(address):
    with pytest.raises(Refused):
        do(folder(address).tried())


def test_the_application_s_own_folder_is_not_a_way_out(tmp_path):
    with pytest.raises(Refused, match="belongs to the application"):
        give(folder(tmp_path / "data" / "blobs", keep_out=str(tmp_path / "data")))


def test_a_store_that_fsspec_knows_takes_it_too(tmp_path):
    address = f"memory://{tmp_path.name}"
    give(folder(address))
    give(folder(address))
    store = fsspec.filesystem("memory")
    assert sorted(path.rsplit("/", 1)[1] for path in store.find(f"/{tmp_path.name}")) == [
        "a.jpg", "a.jpg.manifest.json", "a_web.jpg",
    ]  # fmt: skip


# ---- inboxes


def inbox(answer):
    client = httpx.AsyncClient(transport=httpx.MockTransport(answer))
    return InboxWay(client, "https://receiver.example/inbox/", "secret-token")


def test_an_inbox_gets_the_file_its_sizes_and_its_manifest_under_one_key():
    seen = []

    def answer(request):
        seen.append(request)
        return httpx.Response(202, json={"receipt": "R-1"})

    assert give(inbox(answer)) == "R-1"
    (request,) = seen
    assert str(request.url) == "https://receiver.example/inbox"
    assert (request.headers["Idempotency-Key"], request.headers["Authorization"]) == ("key", "Bearer secret-token")
    body = request.content
    assert all(
        part in body for part in (b'name="file"; filename="a.jpg"', b'name="further"', b'name="manifest"', b"2027-0001")
    )


@pytest.mark.parametrize("status", [500, 503, 429, 408])
def test_an_inbox_that_cannot_at_the_moment_is_asked_again(status):
    with pytest.raises(NotNow):
        give(inbox(lambda _: httpx.Response(status)))


def test_an_inbox_that_refuses_is_not_asked_again_and_its_words_are_kept():
    with pytest.raises(Refused, match="too large"):
        give(inbox(lambda _: httpx.Response(413, json={"detail": "It is too large."})))


def test_something_that_is_no_inbox_is_found_out_by_trying():
    with pytest.raises(Refused, match="no inbox"):
        do(inbox(lambda _: httpx.Response(200, text="<html>")).tried())
    assert "answers" in do(inbox(lambda _: httpx.Response(404)).tried())

    def gone(_):
        raise httpx.ConnectError("refused")

    with pytest.raises(NotNow, match="cannot be reached"):
        do(inbox(gone).tried())


# ---- secrets


def test_a_secret_can_be_read_with_its_key_only(tmp_path):
    safe = Safe(tmp_path / "secrets" / "safe")
    locked = safe.locked("open sesame")
    assert b"sesame" not in locked
    assert Safe(tmp_path / "secrets" / "safe").opened(locked) == "open sesame"
    assert stat.S_IMODE((tmp_path / "secrets" / "safe").stat().st_mode) == 0o600
    with pytest.raises(FernError, match="this installation's key"):
        Safe(tmp_path / "other").opened(locked)
    assert safe.opened(None) == ""


def test_a_secret_goes_in_and_never_comes_out(client, application):
    settings = {"kind": "folder", "address": "s3://bucket/x", "user": "key"}
    body = {"name": "Far store", "settings": settings, "answers": "arrival", "secret": "open-sesame-1"}
    answer = client.post("/api/ways", json=body)
    (made,) = [one for one in answer.json() if one["name"] == "Far store"]
    assert made["has_secret"]
    assert "sesame" not in answer.text + client.get("/api/ways").text + client.get("/api/happened").text
    client.put(f"/api/ways/{made['id']}", json={**body, "secret": None, "name": "Farther store"}).raise_for_status()
    ((kept,),) = application.rows("select secret from ways where id = %s", made["id"])
    assert b"sesame" not in kept
    assert Safe(application.data / "secrets" / "safe").opened(bytes(kept)) == "open-sesame-1"
    client.delete(f"/api/ways/{made['id']}").raise_for_status()
    assert application.rows("select secret from ways where id = %s", made["id"]) == [(None,)]


# ---- and all of it together


@pytest.fixture(autouse=True)
def tidy(request):
    if "client" in request.fixturenames:
        request.getfixturevalue("tidy_board")


def test_a_photo_goes_out_two_ways_and_is_accepted_when_both_have(client, tmp_path):
    client.put("/api/slips", json=SLIP).raise_for_status()
    for name, answers in (("One", "arrival"), ("Two", "person")):
        (tmp_path / name).mkdir()
        settings = {"kind": "folder", "address": str(tmp_path / name)}
        client.post("/api/ways", json={"name": f"Share {name}", "settings": settings, "answers": answers})
    number = make(client, ways=["Share One", "Share Two"])
    (photo,) = bring(client, number, 911)
    asked = client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": photo["head"]}).json()["id"]

    def state():
        return client.get(f"/api/hand-overs/{asked}").json()

    row = until("both to have it", lambda: state() if state()["state"] == "delivered" else None, 90)
    assert [(one["name"], one["state"]) for one in row["deliveries"]] == [
        ("Share One", "accepted"),
        ("Share Two", "delivered"),
    ]
    way = row["deliveries"][1]["way"]
    answers = f"/api/hand-overs/{asked}/answers/{way}"
    assert client.put(answers, json={"accepted": False}).status_code == 422
    back = client.put(answers, json={"accepted": False, "reasons": ["too dark"]}).json()
    assert (back["state"], back["reasons"]) == ("returned", ["too dark"])
    assert client.put(answers, json={"accepted": True}).status_code == 409
    page = client.get(f"/api/tickets/{number}").json()
    assert page["photos"][0]["stage"] == "returned"
    assert client.get(f"/api/photos/{photo['id']}/notes").json()[0]["author"] == "Share Two"
    told = json.loads((tmp_path / "One" / number / f"{row['file_name']}.manifest.json").read_text())
    data = (tmp_path / "Two" / number / row["file_name"]).read_bytes()
    assert told["files"][0]["sha256"] == hashlib.sha256(data).hexdigest()


def test_a_folder_that_goes_away_keeps_the_delivery_until_it_is_back(client, tmp_path):
    client.put("/api/slips", json=SLIP).raise_for_status()
    share = tmp_path / "share"
    share.write_text("not mounted")
    settings = {"kind": "folder", "address": str(share)}
    client.post("/api/ways", json={"name": "Away share", "settings": settings, "answers": "arrival"})
    number = make(client, ways=["Away share"])
    (photo,) = bring(client, number, 912)
    asked = client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": photo["head"]}).json()["id"]

    def delivery():
        return client.get(f"/api/hand-overs/{asked}").json()["deliveries"][0]

    waiting = until("it to be tried", lambda: delivery() if delivery()["attempts"] else None, 90)
    assert "cannot be written" in waiting["trouble"]
    assert client.get(f"/api/hand-overs/{asked}").json()["state"] == "delivering"
    share.unlink()
    share.mkdir()
    until("it to arrive", lambda: delivery()["state"] == "accepted" or None, 60)
    assert len(names(share)) == 2


def test_without_a_way_out_nothing_is_handed_over(client):
    client.put("/api/slips", json=SLIP).raise_for_status()
    number = make(client)
    (photo,) = bring(client, number, 913)
    answer = client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": photo["head"]})
    assert (answer.status_code, "no way out" in answer.json()["title"]) == (409, True)
