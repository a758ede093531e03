"""Links for people outside reach one ticket and nothing else."""

from __future__ import annotations

import hashlib

import pytest

from tests import pictures
from tests.application import until
from tests.web.test_orders import SLIP, bring, make


@pytest.fixture(autouse=True)
def slip(client, tidy_board):
    client.put("/api/slips", json=SLIP).raise_for_status()


def link(client, number, kind, **body):
    made = client.post(f"/api/tickets/{number}/links/{kind}", json=body)
    assert made.status_code == 201, made.text
    return made.json()["path"].rsplit("/", 1)[1], made.json()["link"]["id"]


def test_what_was_made_is_taken_by_a_link_that_counts(client, visitor, tmp_path):
    settings = {"kind": "folder", "address": str(tmp_path)}
    client.post("/api/ways", json={"name": "Link share", "settings": settings, "answers": "arrival"})
    number = make(client, ways=["Link share"])
    token, own = link(client, number, "take", days=3)
    assert visitor.get(f"/api/take/{token}").json()["files"] == []
    (photo,) = bring(client, number, 921)
    client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": photo["head"]}).raise_for_status()
    (file,) = until("the file to be made", lambda: visitor.get(f"/api/take/{token}").json()["files"], 90)
    data = visitor.get(f"/api/take/{token}/files/{file['hand_over']}").content
    assert len(data) == file["bytes"]
    blob = client.get(f"/api/hand-overs/{file['hand_over']}").json()["blob"]
    assert hashlib.sha256(data).hexdigest() == blob
    assert visitor.get(f"/api/take/{token}/all.zip").content[:2] == b"PK"
    (row,) = client.get(f"/api/tickets/{number}/links").json()
    assert (row["used"], row["ended"]) == (2, False)
    client.delete(f"/api/links/{own}").raise_for_status()
    assert visitor.get(f"/api/take/{token}").status_code == 404


def test_photos_come_by_a_link_until_its_room_is_full(client, visitor):
    number = make(client)
    token, _ = link(client, number, "bring", days=3, megabytes=1)
    data = pictures.file(pictures.texture(200, 300, 931), "JPEG")
    begun = visitor.post(
        f"/api/bring/{token}/uploads", json={"name": "a.jpg", "size": len(data), "fingerprint": "1"}
    ).json()
    where = f"/api/bring/{token}/uploads/{begun['id']}"
    done = visitor.put(where, params={"offset": 0, "name": "a.jpg"}, content=data).json()
    assert done["brought"]["problem"] is None
    assert [one["title"] for one in client.get(f"/api/tickets/{number}").json()["photos"]] == ["a"]
    assert visitor.get(f"/api/bring/{token}").json()["room"] == 1_000_000 - len(data)
    large = {"name": "b.jpg", "size": 1_000_000, "fingerprint": "1"}
    assert visitor.post(f"/api/bring/{token}/uploads", json=large).status_code == 413


def test_a_link_reaches_nothing_else(client, visitor, application):
    number, other = make(client), make(client)
    bring(client, other, 941)
    take, _ = link(client, number, "take")
    carry, _ = link(client, number, "bring")
    proofs = client.post(f"/api/tickets/{number}/links/proofs", json={}).json()["path"].rsplit("/", 1)[1]
    # each is good for its own purpose only
    for token, wrong in ((take, ("bring", "proofs")), (carry, ("take", "proofs")), (proofs, ("take", "bring"))):
        for kind in wrong:
            assert visitor.get(f"/api/{kind}/{token}").status_code == 404
    # and opens no other ticket, no page of those who work here, and no file of another ticket
    for path in ("/api/tickets", f"/api/tickets/{number}", "/api/clients", "/api/happened", "/docs"):
        assert visitor.get(path).status_code == 401
    assert visitor.get(f"/api/take/{take}x").status_code == 404
    assert visitor.get(f"/api/take/{take}/files/00000000-0000-0000-0000-000000000000").status_code == 404


def test_a_link_ends_with_its_days_and_with_its_ticket(client, visitor, application):
    number = make(client)
    token, own = link(client, number, "take", days=1)
    assert visitor.get(f"/api/take/{token}").status_code == 200
    application.rows("update links set ends_at = now() - interval '1 second' where id = %s returning 1", own)
    assert visitor.get(f"/api/take/{token}").status_code == 404
    token, _ = link(client, number, "take", days=1)
    client.delete(f"/api/tickets/{number}").raise_for_status()
    assert visitor.get(f"/api/take/{token}").status_code == 404


def test_proofs_are_seen_by_a_link_that_is_dated_counted_and_ended(client, visitor):
    number = make(client)
    token, own = link(client, number, "proofs", days=7)
    assert visitor.get(f"/api/proofs/{token}").json()["number"] == number
    (row,) = client.get(f"/api/tickets/{number}/links").json()
    assert (row["kind"], row["used"], row["ended"]) == ("proofs", 1, False)
    client.delete(f"/api/links/{own}").raise_for_status()
    assert visitor.get(f"/api/proofs/{token}").status_code == 404
    assert client.post(f"/api/tickets/{number}/links/proofs", json={"days": 0}).status_code == 422


def test_a_client_pins_so_many_notes_an_hour_in_their_own_name_only(client, visitor, application):
    number = make(client)
    (photo,) = bring(client, number, 951)
    token, _ = link(client, number, "proofs")
    where = f"/api/proofs/{token}/{photo['id']}/notes"
    made = visitor.post(where, json={"text": "warmer", "author": "Mara Holt"}).json()
    assert made[0]["author"] == client.get(f"/api/tickets/{number}").json()["ticket"]["client"]
    application.rows(
        "insert into notes (photo, text, author, side) "
        "select %s, 'x', 'c', 'client' from generate_series(1, 119) returning 1",
        photo["id"],
    )
    refused = visitor.post(where, json={"text": "one more"})
    assert refused.status_code == 429
    assert "Go on a little later" in refused.text
    application.rows("update notes set made_at = now() - interval '2 hours' where photo = %s returning 1", photo["id"])
    assert visitor.post(where, json={"text": "one more"}).status_code == 201
