"""A server of several processes behind one port: they share what is saved, and one that dies takes nothing along."""

from __future__ import annotations

import os
import re
import signal
from pathlib import Path

import httpx
import pytest
from websockets.exceptions import ConnectionClosed

from tests.application import ready_photos, until
from tests.conftest import running_on_its_own
from tests.web.test_bench import Socket, change, head, put


def processes_of(app):
    """Those that take connections: the server's own, but for what it keeps beside them."""
    pid = app.server.pid
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    return [int(one) for one in children if b"spawn_main" in Path(f"/proc/{one}/cmdline").read_bytes()]


def lives(process):
    """Not gone, and not a dead one that nobody has asked about yet."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rsplit(") ", 1)[1][0] != "Z"
    except (FileNotFoundError, ProcessLookupError):  # gone before it was asked, or while it was
        return False


def again(ask):
    """Asked once more where the process at the other end is gone, as browsers do."""
    try:
        return ask()
    except httpx.TransportError:
        return ask()


@pytest.fixture(scope="module")
def app():
    """An application whose server is two processes; the last test stops it."""
    with running_on_its_own(processes=2) as running:
        running.start_server()
        running.start_worker()
        running.small_ticket()
        yield running


def test_tries_to_sign_in_are_counted_by_all(app):
    answers = []
    for _ in range(7):
        with app.visitor() as visitor:  # a connection of its own each, to whichever takes it
            answers.append(visitor.post("/api/session", json={"sign_in": "stranger", "password": "guess"}).status_code)
    assert answers == [401] * 5 + [429] * 2


def test_one_of_two_dies_and_its_benches_go_on_at_the_other(app):
    with app.client() as client:
        (photo,) = (one["id"] for one in ready_photos(client, "FT-0900"))
        before = until("both processes to be there", lambda: len(found := processes_of(app)) == 2 and found)
        benches = [Socket(app, client, photo) for _ in range(6)]
        for bench in benches:
            bench.look(head(client, photo)["revision"])
            bench.frame()
        saved = change(client, photo, [put("exposure", {"ev": 0.4})]).json()
        os.kill(before[0], signal.SIGKILL)
        # what was saved is there when one asks again, and a bench that lost its process gets another
        assert again(lambda: head(client, photo)["revision"]) == saved["revision"]
        lost = 0
        for bench in benches:
            try:
                bench.look(saved["revision"])
                shown, _ = bench.frame()
            except ConnectionClosed:
                lost += 1
                with Socket(app, client, photo) as another:
                    another.look(saved["revision"])
                    shown, _ = another.frame()
            assert shown["revision"] == saved["revision"]
            bench.socket.close()
        after = until("another to be started", lambda: len(found := processes_of(app)) == 2 and found)
        assert before[0] not in after
        assert before[1] in after
        figures = again(lambda: client.get("/api/metrics").text)
        (budget,) = re.findall(r'^fern_cache_bytes\{of="budget"\} (\S+)', figures, re.MULTILINE)
        assert float(budget) == pytest.approx(768 * 1024 * 1024, rel=0.6)
        app.kill_server()
    until("none to be left without the one above", lambda: not any(lives(one) for one in after))
