"""Each route, tried for each role: nobody, an editor, one who leads. The list of what only those who lead may do is
written down here, apart from the code: a route that is new has to be put on one side or the other."""

from __future__ import annotations

import pytest

from tests.web.conftest import sign_in
from tests.web.described import LINKED, closed_routes, filled

#: What only those who lead may do.
LEADS = {
    "get /api/metrics",
    "get /api/people", "post /api/people", "put /api/people/{person}", "delete /api/people/{person}",
    "post /api/clients", "put /api/clients/{client}", "delete /api/clients/{client}",
    "post /api/ways", "post /api/ways/trial",
    "put /api/ways/{way}", "post /api/ways/{way}/trial", "delete /api/ways/{way}",
    "put /api/slips", "post /api/slips/library", "delete /api/slips/{slip}", "put /api/tickets/{number}/slip",
    "post /api/tickets", "post /api/orders", "post /api/tickets/{number}/copy", "patch /api/tickets/{number}",
    "delete /api/tickets/{number}", "put /api/tickets/{number}/state", "put /api/tickets/{number}/editors",
    "put /api/tickets/{number}/ways", "post /api/photos/{photo}/move",
    "get /api/bin", "post /api/bin/tickets/{ticket}/restore", "post /api/bin/photos/{photo}/restore",
    "delete /api/bin/tickets/{ticket}", "delete /api/bin/photos/{photo}",
    "get /api/studio", "put /api/studio", "post /api/studio/number", "get /api/happened",
    "post /api/tickets/{number}/hours", "delete /api/tickets/{number}/hours/{correction}", "get /api/hours.csv",
    "get /api/tickets/{number}/archive.zip", "post /api/archives",
    "get /api/watches", "post /api/watches", "delete /api/watches/{watch}",
}  # fmt: skip
#: Doors of their own: desks know senders, a client's door knows links.
OTHERS = ("/desks/", *LINKED)
#: What would end the session that the rest is asked with.
LEFT_ALONE = {"delete /api/session"}


def routes():
    for method, path in closed_routes():
        if not path.startswith(OTHERS) and f"{method} {path}" not in LEFT_ALONE:
            yield method, path


def test_the_list_names_routes_that_there_are():
    assert {f"{method} {path}" for method, path in routes()} >= LEADS


@pytest.mark.parametrize(("method", "path"), list(routes()))
def test_an_editor_may_do_what_is_not_the_lead_s_and_nothing_else(editor, method, path):
    answer = editor.request(method, filled(path, number="FT-0000"))
    if f"{method} {path}" in LEADS:
        assert answer.status_code == 403, answer.text
        assert "those who lead" in answer.json()["title"]
    else:
        assert answer.status_code not in (401, 403), answer.text


@pytest.mark.parametrize("route", sorted(LEADS))
def test_one_who_leads_may(client, route):
    method, path = route.split(" ")
    if path == "/api/slips/library":
        return  # it asks for nothing, so it would be done
    assert client.request(method, filled(path, number="FT-0000")).status_code not in (401, 403)


def test_somebody_who_was_set_inactive_is_nobody_at_once(client, application):
    person = {"sign_in": "leaver", "name": "Lou Leaver", "password": "three odd words here"}
    people = client.post("/api/people", json=person).json()
    own = next(one["id"] for one in people if one["sign_in"] == "leaver")
    page = sign_in(application, "leaver", person["password"])
    assert page.get("/api/tickets").status_code == 200
    client.put(f"/api/people/{own}", json={"inactive": True}).raise_for_status()
    assert page.get("/api/tickets").status_code == 401
    again = page.post("/api/session", json={"sign_in": "leaver", "password": person["password"]})
    assert again.status_code == 401
    client.put(f"/api/people/{own}", json={"inactive": False}).raise_for_status()
    assert page.post("/api/session", json={"sign_in": "leaver", "password": person["password"]}).status_code == 200
    page.close()
    client.delete(f"/api/people/{own}").raise_for_status()


def test_the_last_one_who_leads_keeps_the_lead_and_weak_passwords_are_refused(client):
    mine = next(one for one in client.get("/api/people").json() if one["sign_in"] == "mara")
    for change in ({"role": "editor"}, {"inactive": True}):
        assert client.put(f"/api/people/{mine['id']}", json=change).status_code == 409
    assert client.delete(f"/api/people/{mine['id']}").status_code == 409
    weak = {"sign_in": "weak", "name": "Wanda Weak", "password": "passwordpassword"}
    answer = client.post("/api/people", json=weak)
    assert (answer.status_code, "list of words" in answer.json()["title"]) == (422, True)


def test_what_was_done_is_kept_with_who_and_from_where_and_never_with_a_password(client):
    client.put("/api/studio", json={"name": "Holt and Reed", "number_pattern": "{year}-{count:4}"}).raise_for_status()
    (first,) = client.get("/api/happened", params={"words": "the studio", "limit": 1}).json()
    assert (first["who"], first["address"], first["about"]) == ("Mara Holt", "127.0.0.1", "the studio")
    assert client.put("/api/studio", json={"number_pattern": "{year}"}).status_code == 422
    every = client.get("/api/happened", params={"limit": 200}).text
    assert "three odd words" not in every
