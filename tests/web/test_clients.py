"""Clients: what is usual with them, and the words that go with every photo."""

from __future__ import annotations

from uuid import uuid4

from fern_ticket.store.records import ClientWords, Facts, Photo


def test_a_client_is_written_down_changed_found_and_removed(client, editor):
    kept = client.post("/api/clients", json={"name": " Fen Kitchen ", "taste": "no steam"}).json()
    assert (kept["name"], kept["taste"]) == ("Fen Kitchen", "no steam")
    assert client.post("/api/clients", json={"name": "fen kitchen"}).status_code == 409
    address = f"/api/clients/{kept['id']}"
    changed = client.put(address, json={"name": "Fen Kitchens", "words": {"copyright": "Fen Ltd"}}).json()
    assert (changed["name"], changed["taste"], changed["words"]["copyright"]) == ("Fen Kitchens", "", "Fen Ltd")
    assert [row["name"] for row in editor.get("/api/clients", params={"words": "kitchens"}).json()["clients"]] == [
        "Fen Kitchens"
    ]
    happened = client.get("/api/happened", params={"words": "fen kitchens"}).json()
    assert happened[0]["what"] == "changed name, words, taste"
    assert happened[0]["address"] == "127.0.0.1"
    client.delete(address).raise_for_status()
    assert client.get(address).status_code == 404


def test_what_a_client_cannot_have_is_refused_in_words(client):
    for wrong, said in (
        ({"slip": "Nowhere"}, "no slip Nowhere"),
        ({"way": str(uuid4())}, "way out is gone"),
        ({"name_pattern": "{colour}"}, "name pattern"),
    ):
        answer = client.post("/api/clients", json={"name": "Wrong", **wrong})
        assert (answer.status_code, said in answer.json()["title"]) == (422, True), answer.text


def test_a_client_with_tickets_stays_and_its_new_name_is_on_them(client):
    rows = client.get("/api/clients", params={"words": "race mill"}).json()["clients"]
    mill = next(row for row in rows if row["name"] == "Race Mill")
    assert mill["tickets"] >= 1
    assert client.delete(f"/api/clients/{mill['id']}").status_code == 409
    body = {key: mill[key] for key in ("contact", "slip", "name_pattern", "words", "taste", "way")}
    client.put(f"/api/clients/{mill['id']}", json={"name": "Race Mills", **body}).raise_for_status()
    assert client.get("/api/tickets/FT-0201").json()["ticket"]["client"] == "Race Mills"
    client.put(f"/api/clients/{mill['id']}", json={"name": "Race Mill", **body}).raise_for_status()
    assert client.get("/api/tickets", params={"words": "race mill"}).json()["total"] >= 1


def test_a_client_s_page_tells_figures_by_month(client):
    rows = client.get("/api/clients", params={"words": "race mill"}).json()["clients"]
    page = client.get(f"/api/clients/{rows[0]['id']}").json()
    assert sum(month["photos"] for month in page["months"]) >= 1
    assert all(month["minutes"] >= 0 and month["accepted"] <= month["photos"] for month in page["months"])


def test_a_client_s_words_stand_where_the_photo_says_nothing():
    words = ClientWords(creator="Studio", copyright="Client Ltd", contact="a@b.example", terms="Web only")
    blank = dict.fromkeys(Photo.model_fields) | {"remarks": [], "steps": 0, "open_notes": 0, "said_count": 0}
    photo = Photo.model_construct(**blank | {"title": "T", "facts": Facts(creator="Ada"), "client_words": words})
    said = photo.said
    assert (said.creator, said.copyright, said.contact, said.terms) == ("Ada", "Client Ltd", "a@b.example", "Web only")
