"""Killed at the worst moment: what the page was told is saved is there, and nothing is half done."""

from __future__ import annotations

import pytest

from tests.application import ready_photos, until

pytestmark = pytest.mark.xdist_group("cluster")


def put(ev):
    return [{"kind": "put", "step": {"id": "exposure", "op": "exposure", "params": {"ev": ev}}}]


def test_kills_of_server_database_and_worker(own_application):
    app = own_application
    app.start_server()
    app.start_worker()
    app.run("load-demo", "--ticket", "FT-0201")
    client = app.signed_in()
    photo = until("the demo photos to be ready", lambda: ready_photos(client))[2]["id"]
    revision = client.get(f"/api/photos/{photo}/ledger").json()["revision"]

    for number in range(3):
        body = {"expected": revision, "summary": "e", "changes": put(number / 10)}
        revision = client.post(f"/api/photos/{photo}/changes", json=body).json()["revision"]
        app.kill_server()
        if number == 1:
            app.cluster.kill()
            app.cluster.start()
        app.start_server()
        client = app.signed_in()
        ledger = client.get(f"/api/photos/{photo}/ledger").json()
        assert (ledger["revision"], ledger["steps"][0]["step"]["params"]) == (revision, {"ev": number / 10})

    app.kill_worker()
    app.start_worker()
    asked = client.post(f"/api/photos/{photo}/hand-overs", json={"expected": revision}).json()["id"]

    def state(*wanted):
        row = client.get(f"/api/hand-overs/{asked}").json()
        return row if row["state"] in wanted else None

    until("the hand-over to begin", lambda: state("rendering", "delivering", "accepted", "returned"))
    app.kill_worker()
    app.start_worker()
    row = until("another worker to finish it", lambda: state("accepted", "returned", "failed"), 90)
    assert row["state"] == "returned"
    assert len(list((app.data / "desks" / "valley-homes").glob("*.json"))) == 1
    assert not list(app.data.rglob("*.part"))
