"""The photos of a ticket as things: renamed, ordered, moved, given another original, put away and brought back."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from tests import pictures
from tests.application import ready_photos, until
from tests.web.conftest import sign_in
from tests.web.test_orders import SLIP, bring, make, page


@pytest.fixture(autouse=True)
def slip(client, tidy_board):
    client.put("/api/slips", json=SLIP).raise_for_status()


def ids(client, number):
    return [photo["id"] for photo in page(client, number)["photos"]]


def put(client, photo, *steps):
    head = client.get(f"/api/photos/{photo}/ledger").json()["revision"]
    changes = [{"kind": "put", "step": step} for step in steps]
    return client.post(f"/api/photos/{photo}/changes", json={"expected": head, "summary": "e", "changes": changes})


EXPOSURE = {"id": "e", "op": "exposure", "params": {"ev": 0.4}}


def test_a_photo_is_renamed_and_something_else_wanted_of_it(client):
    number = make(client)
    (photo,) = bring(client, number, 951)
    client.patch(f"/api/photos/{photo['id']}", json={"title": "Front", "note": "level it"}).raise_for_status()
    (now,) = page(client, number)["photos"]
    assert (now["title"], now["note"]) == ("Front", "level it")
    assert client.patch(f"/api/photos/{photo['id']}", json={"title": " "}).status_code == 422


def test_a_photo_is_shown_small_as_it_stands_and_as_it_came_where_its_pyramid_has_gone(client, application):
    number = make(client)
    (photo,) = bring(client, number, 945)
    name = photo["id"]

    def small(of="small"):
        answer = client.get(f"/api/photos/{name}/{of}").raise_for_status()
        return answer, Image.open(io.BytesIO(answer.content))

    def kept():
        return [path.name for path in (application.data / "pyramids").rglob(f"{name}.*")]

    came = small("thumbnail")[0].content
    assert (small()[0].content, kept()) == (came, [])
    width, height = photo["width"], photo["height"]
    crop = {"id": "c", "op": "crop", "params": {"left": 0, "top": 0, "width": width // 4, "height": height}}
    put(client, name, crop, EXPOSURE).raise_for_status()
    answer, picture = small()
    assert picture.size == (width // 4, height)
    assert np.mean(picture) > np.mean(small("thumbnail")[1]) + 10
    before = kept()
    assert "max-age" in answer.headers["cache-control"]
    assert small()[0].content == answer.content
    put(client, name, {**EXPOSURE, "params": {"ev": -0.4}}).raise_for_status()
    assert np.mean(small()[1]) < np.mean(picture) - 10
    assert len(kept()) == 1
    assert kept() != before
    head = client.get(f"/api/photos/{name}/ledger").json()["revision"]
    client.post(f"/api/photos/{name}/undo", json={"expected": head}).raise_for_status()
    pyramid = (application.data / "pyramids") / photo["blob"] / "pyramid.json"
    pyramid.rename(pyramid.with_suffix(".away"))
    answer, _ = small()
    assert (answer.content, answer.headers["cache-control"]) == (came, "private, no-cache")


def test_photos_are_put_in_another_order_all_of_them_or_none(client):
    number = make(client)
    bring(client, number, 952, 953, 954)
    first, second, third = ids(client, number)
    order = f"/api/tickets/{number}/photos/order"
    client.put(order, json={"photos": [third, first, second]}).raise_for_status()
    assert ids(client, number) == [third, first, second]
    assert [photo["position"] for photo in page(client, number)["photos"]] == [1, 2, 3]
    for wrong in ([first, second], [first, first, second], [first, second, third, first]):
        assert client.put(order, json={"photos": wrong}).status_code == 409
    assert ids(client, number) == [third, first, second]


def test_a_photo_moves_with_its_ledger_unless_the_same_picture_is_there(client):
    here, there = make(client), make(client)
    (photo,) = bring(client, here, 955)
    put(client, photo["id"], EXPOSURE).raise_for_status()
    client.post(f"/api/photos/{photo['id']}/move", json={"number": there}).raise_for_status()
    assert ids(client, here) == []
    assert ids(client, there) == [photo["id"]]
    assert len(client.get(f"/api/photos/{photo['id']}/ledger").json()["steps"]) == 1
    bring(client, here, 955)
    assert client.post(f"/api/photos/{photo['id']}/move", json={"number": here}).status_code == 409
    assert client.post(f"/api/photos/{photo['id']}/move", json={"number": "NO-1"}).status_code == 404


def series(client, number, *worked):
    """A photo, and one of the same scene that is darker, perhaps worked on; the second is merged into the first."""
    (one,) = bring(client, number, 956)
    darker = pictures.file((pictures.texture(200, 300, 956) * 0.6).astype(np.uint8), "JPEG")
    client.post(f"/api/tickets/{number}/photos", files=[("files", ("darker.jpg", darker))]).raise_for_status()
    two = until("both to be ready", lambda: ready_photos(client, number))[1]
    if worked:
        put(client, two["id"], *worked).raise_for_status()
    merge = {"id": "m", "op": "merge", "params": {"frames": [{"picture": two["blob"], "title": "two"}]}}
    put(client, one["id"], merge).raise_for_status()
    return one["id"], two["id"]


def test_photos_that_are_laid_into_each_other_stay_together(client):
    number, there = make(client), make(client)
    one, two = series(client, number)
    for photo in (one, two):
        answer = client.post(f"/api/photos/{photo}/move", json={"number": there})
        assert (answer.status_code, "made with" in answer.json()["title"]) == (409, True)
    assert client.delete(f"/api/photos/{two}").status_code == 409


def test_frames_of_a_series_are_material_that_no_ticket_waits_for_and_no_client_sees(client, visitor):
    number = make(client)
    one, two = series(client, number)
    link = client.post(f"/api/tickets/{number}/links/proofs", json={}).json()["path"].rsplit("/", 1)[1]

    def wanted():
        """What the ticket's page, the board and the client take for its photos."""
        row = next(row for row in client.get("/api/tickets", params={"words": number}).json()["tickets"])
        shown = [photo["id"] for photo in visitor.get(f"/api/proofs/{link}").json()["photos"]]
        told = [photo["id"] for photo in page(client, number)["photos"] if not photo["material"]]
        assert told == shown == row["thumbnails"]
        assert (row["photos"], len(row["stages"])) == (len(told), len(told))
        return told

    assert wanted() == [one]
    assert visitor.get(f"/api/proofs/{link}/{two}/picture").status_code == 404
    # what is taken back of the merge is delivered again, so that none is lost
    for act, delivered in (("undo", [one, two]), ("redo", [one])):
        head = client.get(f"/api/photos/{one}/ledger").json()["revision"]
        client.post(f"/api/photos/{one}/{act}", json={"expected": head}).raise_for_status()
        assert wanted() == delivered
    put(client, two, EXPOSURE).raise_for_status()
    assert client.post(f"/api/tickets/{number}/check").json() == 1
    head = client.get(f"/api/photos/{two}/ledger").json()["revision"]
    refused = client.post(f"/api/photos/{two}/hand-overs", json={"expected": head})
    assert (refused.status_code, "material" in refused.json()["title"]) == (409, True)
    # by hand it is one to be delivered, and stays that when the photo is changed further
    client.patch(f"/api/photos/{two}", json={"material": False}).raise_for_status()
    put(client, one, EXPOSURE).raise_for_status()
    assert wanted() == [one, two]
    client.patch(f"/api/photos/{two}", json={"material": True}).raise_for_status()
    assert wanted() == [one]


def test_a_frame_that_was_worked_on_is_still_delivered(client):
    number = make(client)
    series(client, number, EXPOSURE)
    assert [photo["material"] for photo in page(client, number)["photos"]] == [False, False]


def test_a_better_frame_takes_the_original_s_place_and_every_step_stays(client):
    number = make(client)
    (photo,) = bring(client, number, 958)
    put(client, photo["id"], EXPOSURE).raise_for_status()
    better = pictures.file(pictures.texture(200, 300, 959), "JPEG")
    where = f"/api/photos/{photo['id']}/original"
    small = pictures.file(pictures.texture(100, 150, 960), "JPEG")
    refused = client.post(where, files={"file": ("s.jpg", small)})
    assert (refused.status_code, "150 × 100" in refused.json()["title"]) == (422, True)
    assert client.post(where, files={"file": ("t.txt", b"no picture")}).status_code == 422
    assert client.post(where, files={"file": ("b.jpg", better)}).status_code == 202
    now = until("it to be ready", lambda: (one := page(client, number)["photos"][0])["state"] == "ready" and one, 60)
    assert now["blob"] != photo["blob"]
    assert (now["title"], now["steps"]) == (photo["title"], 1)
    assert client.post(where, files={"file": ("b.jpg", better)}).status_code == 409
    # the former one is still a file: it was delivered, perhaps
    assert client.get("/api/bin").status_code == 200


def test_a_photo_in_the_bin_is_out_of_sight_and_comes_back(client, editor):
    number = make(client)
    one, two = bring(client, number, 961, 962)
    editor.delete(f"/api/photos/{one['id']}").raise_for_status()
    assert ids(client, number) == [two["id"]]
    assert client.get(f"/api/photos/{one['id']}/thumbnail").status_code == 404
    row = next(row for row in client.get("/api/tickets", params={"words": number}).json()["tickets"])
    assert row["photos"] == 1
    assert one["id"] in [found["id"] for found in client.get("/api/bin").json()["photos"]]
    client.put(f"/api/tickets/{number}/photos/order", json={"photos": [two["id"]]}).raise_for_status()
    client.post(f"/api/bin/photos/{one['id']}/restore").raise_for_status()
    assert sorted(ids(client, number)) == sorted([one["id"], two["id"]])
    # brought again it comes out of the bin instead of twice
    client.delete(f"/api/photos/{two['id']}").raise_for_status()
    bring(client, number, 962)
    assert sorted(ids(client, number)) == sorted([one["id"], two["id"]])


def test_a_photo_deleted_for_good_takes_its_file_with_it(client, application):
    number = make(client)
    (photo,) = bring(client, number, 963)
    client.delete(f"/api/photos/{photo['id']}").raise_for_status()
    blob = application.data / "blobs" / photo["blob"][:2] / photo["blob"]
    assert blob.exists()
    client.delete(f"/api/bin/photos/{photo['id']}").raise_for_status()
    assert not blob.exists()


# ---- hours


def test_time_on_the_bench_is_counted_never_more_than_passed_and_corrected_with_a_reason(client, editor, application):
    number = make(client)
    (photo,) = bring(client, number, 964)
    lease = f"/api/photos/{photo['id']}/lease"
    own = {"page": "10000000-0000-0000-0000-000000000001"}
    client.put(lease, json=own).raise_for_status()
    application.rows("update leases set renewed_at = now() - interval '90 seconds' returning 1")
    client.put(lease, json={**own, "busy": 60}).raise_for_status()
    client.put(lease, json={**own, "busy": 3000}).raise_for_status()
    hours = client.get(f"/api/tickets/{number}/hours").json()
    assert hours["minutes"] == pytest.approx(1.0, abs=0.2)
    assert [(row["who"], row["photo"]) for row in hours["rows"]] == [("Mara Holt", "s964")]
    people = {one["name"]: one["id"] for one in client.get("/api/people").json()}
    body = {"person": people["Jonas Reed"], "day": "2027-03-01", "minutes": 30, "reason": "talked to the client"}
    assert client.post(f"/api/tickets/{number}/hours", json={**body, "minutes": 0}).status_code == 422
    assert client.post(f"/api/tickets/{number}/hours", json={**body, "reason": " "}).status_code == 422
    hours = client.post(f"/api/tickets/{number}/hours", json=body).json()
    (correction,) = [row for row in hours["rows"] if row["correction"]]
    assert (correction["minutes"], correction["reason"]) == (30, "talked to the client (Mara Holt)")
    table = client.get("/api/hours.csv", params={"first": "2027-01-01", "last": "2027-12-31"}).text.splitlines()
    assert table[0] == "ticket,title,client,who,day,minutes"
    assert f"{number},Two rooms,Order House,Jonas Reed,2027-03-01,30" in table[1]
    hours = client.delete(f"/api/tickets/{number}/hours/{correction['correction']}").json()
    assert all(row["correction"] is None for row in hours["rows"])


def test_a_title_is_never_a_formula_in_the_invoice(client):
    number = make(client, title="=1+1")
    people = {one["name"]: one["id"] for one in client.get("/api/people").json()}
    body = {"person": people["Jonas Reed"], "day": "2027-06-01", "minutes": 5, "reason": "x"}
    client.post(f"/api/tickets/{number}/hours", json=body).raise_for_status()
    table = client.get("/api/hours.csv", params={"first": "2027-06-01", "last": "2027-06-01"}).text
    assert ",'=1+1," in table


# ---- oneself


def test_a_person_changes_name_surround_and_password_and_ends_other_sessions(client, application):
    person = {"sign_in": "self", "name": "Sam Self", "password": "three odd words here"}
    client.post("/api/people", json=person).raise_for_status()
    one, two = (sign_in(application, "self", person["password"]) for _ in range(2))
    one.put("/api/me", json={"name": "Sam S.", "likes": {"surround": 200, "hints": False}}).raise_for_status()
    mine = one.get("/api/session").json()
    assert (mine["name"], mine["likes"]) == ("Sam S.", {"surround": 200, "hints": False})
    assert one.put("/api/me", json={"name": "Sam", "likes": {"surround": 20}}).status_code == 422
    rows = one.get("/api/me/sessions").json()
    assert [row["this_one"] for row in rows].count(True) == 1
    other = next(row["id"] for row in rows if not row["this_one"])
    one.delete(f"/api/me/sessions/{other}").raise_for_status()
    assert two.get("/api/tickets").status_code == 401
    two = sign_in(application, "self", person["password"])
    new = {"old": "wrong", "new": "four quite odd words"}
    assert one.put("/api/me/password", json=new).status_code == 403
    weak = {"old": person["password"], "new": "passwordpassword"}
    assert one.put("/api/me/password", json=weak).status_code == 422
    one.put("/api/me/password", json={**new, "old": person["password"]}).raise_for_status()
    assert (one.get("/api/tickets").status_code, two.get("/api/tickets").status_code) == (200, 401)
    for page_ in (one, two):
        page_.close()


def test_a_refused_photo_is_tried_again_and_one_that_is_ready_is_not(application, client):
    number = make(client)
    (photo,) = bring(client, number, 990)
    way = f"/api/photos/{photo['id']}/preparation"
    assert client.post(way).status_code == 409
    full = "There is no room left on the disk of the data folder."
    application.rows("update photos set state = 'refused', problem = %s where id = %s returning 1", full, photo["id"])
    (refused,) = page(client, number)["photos"]
    assert (refused["state"], refused["problem"]) == ("refused", full)
    assert client.post(way).status_code == 202
    (ready,) = until("the photo to be ready again", lambda: ready_photos(client, number))
    assert (ready["state"], ready["problem"], ready["head"]) == ("ready", None, photo["head"])
    assert client.post("/api/photos/00000000-0000-0000-0000-000000000000/preparation").status_code == 404
