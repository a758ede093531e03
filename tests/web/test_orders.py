"""Tickets from their making to the bin, by those who lead."""

from __future__ import annotations

import json

import pytest

from tests import pictures
from tests.application import ready_photos, until

SLIP = {"name": "Plain", "name_pattern": "{ticket}_{number}", "lines": [{"requirement": "long_side", "pixels": 300}]}
ORDER = {
    "title": "Two rooms",
    "client": "Order House",
    "kind": "property",
    "due": "2027-03-01T12:00:00Z",
    "slip": "Plain",
}


@pytest.fixture(autouse=True)
def slip(client, tidy_board):
    client.put("/api/slips", json=SLIP).raise_for_status()


def make(client, /, **more):
    answer = client.post("/api/tickets", json={**ORDER, **more})
    assert answer.status_code == 201, answer.text
    return answer.json()["number"]


def page(client, number):
    return client.get(f"/api/tickets/{number}").json()


def test_a_ticket_is_made_with_the_next_number_and_a_client_that_is_new(client):
    one, two = make(client), make(client)
    assert int(two[-4:]) == int(one[-4:]) + 1
    made = page(client, one)
    assert (made["ticket"]["client"], made["slip_name"], made["photos"]) == ("Order House", "Plain", [])
    assert made["events"][0]["what"] == "ticket made"
    assert "Order House" in [row["name"] for row in client.get("/api/clients").json()["clients"]]


def test_a_number_is_never_given_twice_whatever_became_of_its_ticket(client, application):
    number = make(client, number="OWN-7")
    assert number == "OWN-7"
    assert client.post("/api/tickets", json={**ORDER, "number": "OWN-7"}).status_code == 422
    client.delete(f"/api/tickets/{number}").raise_for_status()
    (found,) = [one for one in client.get("/api/bin").json()["tickets"] if one["number"] == number]
    client.delete(f"/api/bin/tickets/{found['id']}").raise_for_status()
    assert client.get(f"/api/tickets/{number}").status_code == 404
    assert client.post("/api/tickets", json={**ORDER, "number": "OWN-7"}).status_code == 422


def test_the_client_s_usual_things_hold_where_the_order_says_nothing(client, tmp_path):
    settings = {"kind": "folder", "address": str(tmp_path)}
    ways = client.post("/api/ways", json={"name": "Usual share", "settings": settings, "answers": "arrival"}).json()
    way = next(one["id"] for one in ways if one["name"] == "Usual share")
    usual = {"name": "Usual Client", "slip": "Plain", "way": way, "name_pattern": "{client}-{number:03}"}
    client.post("/api/clients", json=usual).raise_for_status()
    made = page(client, make(client, client="usual client", slip=""))
    assert made["ticket"]["client"] == "Usual Client"
    assert made["ticket"]["slip"]["name_pattern"] == "{client}-{number:03}"
    assert [one["name"] for one in made["ways"]] == ["Usual share"]


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"slip": "Nowhere"}, "no slip Nowhere"),
        ({"slip": ""}, "no slip"),
        ({"ways": ["Nowhere"]}, "no way out called Nowhere"),
        ({"editors": ["nobody"]}, "signs in as nobody"),
    ],
)
def test_an_order_that_names_what_is_not_there_makes_nothing(client, wrong, said):
    before = client.get("/api/tickets").json()["total"]
    answer = client.post("/api/tickets", json={**ORDER, "client": "Never Was", **wrong})
    assert (answer.status_code, said in answer.json()["title"]) == (422, True)
    assert client.get("/api/tickets").json()["total"] == before
    assert client.get("/api/clients", params={"words": "never was"}).json()["total"] == 0


def test_of_a_file_of_five_hundred_orders_the_wrong_ones_are_said_and_the_others_made(client, application):
    wrong = {40: {"kind": "car"}, 80: {"slip": "None"}, 120: {"due": "soon"}, 160: {"title": ""}, 200: {"ways": ["x"]},
             240: {"editors": ["nobody"]}, 280: {"number": "a b"}}  # fmt: skip
    orders = [{**ORDER, "title": f"Row {k}", **wrong.get(k, {})} for k in range(500)]
    text = json.dumps({"orders": orders}, indent=1)
    found = client.post("/api/orders", content=text.encode()).json()
    assert (len(found["made"]), len(set(found["made"])), len(found["wrong"])) == (493, 493, 7)
    lines = text.splitlines()
    assert [lines[row["line"]].strip() for row in found["wrong"]] == [
        f'"title": "{orders[k]["title"]}",' for k in wrong
    ]
    assert all(row["problem"] for row in found["wrong"])
    application.rows("delete from tickets where title like 'Row %%' returning 1")


def test_a_ticket_is_changed_copied_and_assigned(client, editor):
    number = make(client, brief="Calm.", requests=[{"photo": "front", "request": "level it"}])
    change = {"title": "Three rooms", "brief": "Loud.", "due": "2027-04-01T12:00:00Z"}
    client.patch(f"/api/tickets/{number}", json=change).raise_for_status()
    people = {one["sign_in"]: one["id"] for one in client.get("/api/people-at-work").json()}
    client.put(f"/api/tickets/{number}/editors", json={"editors": [people["jonas"]]}).raise_for_status()
    told = page(client, number)
    assert (told["ticket"]["title"], told["ticket"]["brief"], told["ticket"]["kind"]) == (
        "Three rooms",
        "Loud.",
        "property",
    )
    assert [one["name"] for one in told["editors"]] == ["Jonas Reed"]
    assert [event["what"] for event in told["events"][:2]] == ["assigned to Jonas Reed", "changed brief, due, title"]
    mine = editor.get("/api/tickets", params={"mine": True}).json()["tickets"]
    assert number in [one["number"] for one in mine]
    assert number not in [one["number"] for one in client.get("/api/tickets", params={"mine": True}).json()["tickets"]]
    body = {"title": "Another", "due": "2027-05-01T12:00:00Z"}
    other = page(client, client.post(f"/api/tickets/{number}/copy", json=body).json()["number"])
    assert (other["ticket"]["title"], other["ticket"]["brief"]) == ("Another", "Loud.")
    assert [one["name"] for one in other["editors"]] == ["Jonas Reed"]
    assert client.patch(f"/api/tickets/{number}", json={"client": "Never Was"}).status_code == 422


def test_on_hold_and_closed_have_a_reason_and_the_board_shows_them_apart(client):
    number = make(client, client="Patient Client")

    def on(stage):
        rows = client.get("/api/tickets", params={"stage": stage, "words": number}).json()["tickets"]
        return number in [one["number"] for one in rows]

    state = f"/api/tickets/{number}/state"
    assert client.put(state, json={"state": "on_hold"}).status_code == 422
    client.put(state, json={"state": "on_hold", "reason": "no answer"}).raise_for_status()
    assert (on("on_hold"), on("open"), on("closed")) == (True, True, False)
    client.put(state, json={"state": "closed", "reason": "paid"}).raise_for_status()
    assert (on("on_hold"), on("open"), on("closed")) == (False, False, True)
    assert page(client, number)["ticket"]["reason"] == "paid"
    client.put(state, json={"state": "open"}).raise_for_status()
    assert (on("open"), on("closed"), page(client, number)["ticket"]["reason"]) == (True, False, "")
    assert page(client, number)["events"][0]["what"] == "reopened"


def bring(client, number, *seeds):
    for seed in seeds:
        data = pictures.file(pictures.texture(200, 300, seed), "JPEG")
        client.post(f"/api/tickets/{number}/photos", files=[("files", (f"s{seed}.jpg", data))]).raise_for_status()
    return until("the photos to be ready", lambda: ready_photos(client, number))


def test_a_ticket_goes_to_the_bin_and_comes_back_with_all_that_was_on_it(client):
    number = make(client)
    before = bring(client, number, 901)
    client.delete(f"/api/tickets/{number}").raise_for_status()
    assert client.get(f"/api/tickets/{number}").status_code == 404
    assert client.get(f"/api/photos/{before[0]['id']}/ledger").status_code in (200, 404)
    assert number not in [one["number"] for one in client.get("/api/tickets", params={"limit": 100}).json()["tickets"]]
    (found,) = [one for one in client.get("/api/bin").json()["tickets"] if one["number"] == number]
    client.post(f"/api/bin/tickets/{found['id']}/restore").raise_for_status()
    assert page(client, number)["photos"] == before


def test_what_was_delivered_is_not_deleted_by_one_click_and_what_others_need_stays(client, application, tmp_path):
    settings = {"kind": "folder", "address": str(tmp_path)}
    client.post("/api/ways", json={"name": "Bin share", "settings": settings, "answers": "arrival"})
    number, other = make(client, ways=["Bin share"]), make(client)
    (photo,), (same,) = bring(client, number, 902), bring(client, other, 902)
    assert photo["blob"] == same["blob"]
    asked = client.post(f"/api/photos/{photo['id']}/hand-overs", json={"expected": photo["head"]}).json()["id"]
    state = lambda: client.get(f"/api/hand-overs/{asked}").json()  # noqa: E731
    made = until("it to be accepted", lambda: state() if state()["state"] == "accepted" else None, 90)
    client.delete(f"/api/tickets/{number}").raise_for_status()
    (found,) = [one for one in client.get("/api/bin").json()["tickets"] if one["number"] == number]
    assert found["delivered"]
    refused = client.delete(f"/api/bin/tickets/{found['id']}")
    assert (refused.status_code, number in refused.json()["title"]) == (409, True)
    client.delete(f"/api/bin/tickets/{found['id']}", params={"sure": number}).raise_for_status()
    blobs = application.data / "blobs"
    assert not (blobs / made["blob"][:2] / made["blob"]).exists()
    assert (blobs / same["blob"][:2] / same["blob"]).exists()
    assert client.get(f"/api/photos/{same['id']}/thumbnail").status_code == 200
    assert (tmp_path / number / made["file_name"]).exists()
