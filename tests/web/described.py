"""The routes as the interface's description names them. That the description kept beside the page is the
application's own is a test of its own (`test_bench.py`); reading it takes no time."""

from __future__ import annotations

import json
from collections.abc import Iterator

from tests.application import ROOT

#: Open to anybody, each for a reason.
OPEN = {
    ("/api/welcome", "get"),
    ("/api/session", "post"),
    ("/api/session", "get"),
    ("/api/first/{token}", "get"),
    ("/api/health", "get"),
}
#: Doors of those who come by a link: without a good one they tell of nothing.
LINKED = ("/api/proofs/", "/api/take/", "/api/bring/", "/api/first/")
#: An identifier that stands for nothing.
ID = "00000000-0000-0000-0000-000000000000"


def closed_routes() -> Iterator[tuple[str, str]]:
    """Method and path of each route that is not open to anybody."""
    paths = json.loads((ROOT / "frontend" / "openapi.json").read_text())["paths"]
    for path, methods in paths.items():
        for method in methods:
            if (path, method) not in OPEN:
                yield method, path


def filled(path: str, **known: str) -> str:
    """The path with identifiers that stand for nothing but what is known."""
    for name, value in {"device": "card", "upload": "5-" + "0" * 40, **known}.items():
        path = path.replace(f"{{{name}}}", value)
    while "{" in path:
        path = path[: path.index("{")] + ID + path[path.index("}") + 1 :]
    return path
