"""The round around the bench: an order file of 500 rows, and a board of 2000 tickets."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

import httpx

from benchmarks.figures import Figure
from tests.application import Application, Cluster

_SLIP = {
    "name": "Many",
    "name_pattern": "m_{number:03}",
    "lines": [{"requirement": "long_side", "pixels": 1600}, {"requirement": "format", "format": "JPEG", "quality": 92}],
}


def run(_: Path) -> Iterator[Figure]:
    cluster = Cluster()
    data = cluster.folder / "data"
    data.mkdir()
    application = Application(cluster, data)
    try:
        application.start_server()
        application.start_worker()
        application.load_demo("FT-0203")
        with application.client() as client:
            yield from _orders(application, client)
            yield from _board(application, client)
    finally:
        application.stop()
        cluster.remove()


def _orders(application: Application, client: httpx.Client) -> Iterator[Figure]:
    """An order file of 500 rows of which 7 are wrong."""
    client.post("/api/slips/library").raise_for_status()
    right = {
        "title": "Order",
        "client": "Order House",
        "kind": "food",
        "due": "2027-03-01T12:00:00Z",
        "slip": "Web page",
    }
    orders = [right | ({"kind": "car"} if k % 70 == 10 and k < 490 else {}) for k in range(500)]
    start = time.perf_counter()
    found = client.post("/api/orders", json={"orders": orders}, timeout=60).raise_for_status().json()
    taken = time.perf_counter() - start
    plain = _times(lambda: client.get("/api/session").raise_for_status())
    against = f"{len(found['made'])} made, {len(found['wrong'])} wrong; the least request, {1000 * plain:.0f} ms"
    yield Figure("an order file of 500 rows", round(taken, 2), "s", against, 10)
    application.rows("delete from tickets where title = 'Order' returning 1")


def _board(application: Application, client: httpx.Client) -> Iterator[Figure]:
    application.rows(
        "insert into tickets (number, title, client, kind, slip, due_at) "
        "select 'XX-' || n, 'Load ' || n, 'Client ' || mod(n, 200), 'food', '{}', now() + n * interval '1 hour' "
        "from generate_series(1, 2000) n returning 1"
    )
    application.rows(
        "insert into photos (ticket, position, title, blob, state) "
        "select id, p, 'p', md5(number || p) || md5(number), 'ready' from tickets, generate_series(1, 30) p "
        "where number like 'XX-%%' returning 1"
    )
    application.rows(
        "insert into photos (ticket, position, title, blob, state) "
        "select id, p, 'p', md5(number || p) || md5(number), 'ready' from tickets, generate_series(31, 300) p "
        "where number = 'XX-1' returning 1"
    )
    plain = _times(lambda: client.get("/api/session").raise_for_status())
    for what, path in (
        ("the board's first page", "/api/tickets"),
        ("the board, found by words", "/api/tickets?words=load 199"),
        ("the board's last page", "/api/tickets?offset=1960"),
        ("a ticket of 300 photos", "/api/tickets/XX-1"),
    ):
        if path.endswith("XX-1"):
            application.rows("update tickets set slip = %s where number = 'XX-1' returning 1", json.dumps(_SLIP))
        taken = _times(lambda path=path: client.get(path).raise_for_status())
        against = f"2001 tickets of 200 clients, 60 270 photos; the least request, {1000 * plain:.0f} ms"
        yield Figure(what, round(1000 * taken), "ms", against, 150)
    application.rows("delete from tickets where number like 'XX-%%' returning 1")


def _times(task: object) -> float:
    taken = []
    for _ in range(9):
        start = time.perf_counter()
        task()  # type: ignore[operator]
        taken.append(time.perf_counter() - start)
    return median(taken)
