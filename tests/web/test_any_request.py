"""Whatever is asked of the interface, it answers: no request made from its description ends in a server error."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import httpx

#: Signing out, here or at the list of sessions, would end the session that the rest needs; a slip to be kept is what a
#: slip shown as an example is.
LEFT_ALONE = (("/api/session", None), ("/api/me/sessions/{session}", None), ("/api/slips", "put"))


def described(client, ids: dict[str, str]) -> dict:
    """The interface's description, with identifiers that stand for something beside others that do not."""
    said = client.get("/openapi.json").json()
    for path, method in LEFT_ALONE:
        said["paths"].pop(path) if method is None else said["paths"][path].pop(method)
    for operations in said["paths"].values():
        for operation in operations.values():
            for parameter in operation.get("parameters", []):
                if parameter["in"] == "path" and parameter["name"] in ids:
                    schema = parameter["schema"]
                    parameter["schema"] = {"anyOf": [{"const": ids[parameter["name"]]}] * 3 + [schema]}
    return said


def test_no_request_made_from_the_description_ends_in_a_server_error(own_application, tmp_path):
    """By schemathesis, with a fixed seed: edge cases of every field; where they are too many, requests by lot."""
    app = own_application
    app.start_server()
    app.start_worker()
    photos = app.small_ticket(photos=2)
    with app.client() as client:
        ids = {"number": "FT-0900", "photo": photos[0]["id"], "desk": "homes"}
        description = tmp_path / "openapi.json"
        description.write_text(json.dumps(described(client, ids)))
        signed_in = httpx.Cookies(client.cookies)
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    command = [
        *(sys.executable, "-m", "schemathesis.cli", "--config-file", str(Path(__file__).with_name("requests.toml"))),
        *("run", str(description), "--url", app.url),
        *("--header", f"Cookie: {cookies}", "--header", f"Origin: {app.url}"),
        *("--checks", "not_a_server_error"),
        *("--seed", "20", "--generation-deterministic", "--no-shrink", "--continue-on-failure", "--no-color"),
        *("--suppress-health-check", "all", "--warnings", "off", "--request-timeout", "60"),
    ]
    done = subprocess.run(command, capture_output=True, text=True, cwd=tmp_path, check=False)
    assert done.returncode == 0, done.stdout[-6000:] + done.stderr[-2000:]
    tested = [line for line in done.stdout.splitlines() if "Operations" in line or "Test cases" in line]
    assert tested, done.stdout[-2000:]
    with app.visitor() as client:
        client.cookies = signed_in
        assert client.get("/api/session").json() is not None, "signed out by a request: the rest was asked by nobody"
