"""Whatever is asked of the interface, it answers as its description says: no request ends in a server error, or in an
answer that nobody was told of."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

#: Signing out, here or at the list of sessions, would end the session that the rest needs; a slip to be kept is what a
#: slip shown as an example is.
LEFT_ALONE = (("/api/session", None), ("/api/me/sessions/{session}", None), ("/api/slips", "put"))
#: So would a password that is set for oneself, once people are known by what was answered before.
NOT_IN_A_ROW = (*LEFT_ALONE, ("/api/people/{person}", "put"))
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


def described(client, ids: dict[str, str], left_alone: Iterable[tuple[str, str | None]]) -> dict[str, Any]:
    """The interface's description, with identifiers that stand for something beside others that do not."""
    said = client.get("/openapi.json").json()
    for path, method in left_alone:
        said["paths"].pop(path) if method is None else said["paths"][path].pop(method)
    for operations in said["paths"].values():
        for operation in operations.values():
            for parameter in operation.get("parameters", []):
                if parameter["in"] == "path" and parameter["name"] in ids:
                    schema = parameter["schema"]
                    parameter["schema"] = {"anyOf": [{"const": ids[parameter["name"]]}] * 3 + [schema]}
    return in_plain_words(said)


def in_plain_words(said):
    """The same, without lists that say of each of their equal items what it is: they are not understood in answers."""
    if isinstance(said, list):
        return [in_plain_words(one) for one in said]
    if not isinstance(said, dict):
        return said
    told = {name: in_plain_words(one) for name, one in said.items()}
    each = told.get("prefixItems")
    if each and all(one == each[0] for one in each):
        told["items"] = told.pop("prefixItems")[0]
    return told


def asked(app, client, description: Path, phases: str) -> str:
    """What schemathesis says of requests that it makes from a description, with a fixed seed."""
    cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
    command = [
        *(sys.executable, "-m", "schemathesis.cli", "--config-file", str(Path(__file__).with_name("requests.toml"))),
        *("run", str(description), "--url", app.url, "--phases", phases, "--checks", CHECKS),
        *("--header", f"Cookie: {cookies}", "--header", f"Origin: {app.url}"),
        *("--seed", "20", "--generation-deterministic", "--no-shrink", "--continue-on-failure", "--no-color"),
        *("--suppress-health-check", "all", "--warnings", "off", "--request-timeout", "60"),
    ]
    done = subprocess.run(command, capture_output=True, text=True, cwd=description.parent, check=False)
    assert done.returncode == 0, done.stdout[-6000:] + done.stderr[-2000:]
    return done.stdout


def test_no_request_made_from_the_description_ends_in_what_it_does_not_tell_of(own_application, tmp_path):
    """Edge cases of every field; where they are too many, requests by lot; then some in a row, each from what was
    answered before."""
    app = own_application
    app.start_server()
    app.start_worker()
    photos = app.small_ticket(photos=2)
    ids = {"number": "FT-0900", "photo": photos[0]["id"], "desk": "homes"}
    with app.client() as client:
        for phases, left_alone in (("coverage,fuzzing", LEFT_ALONE), ("stateful", NOT_IN_A_ROW)):
            description = tmp_path / "openapi.json"
            description.write_text(json.dumps(described(client, ids, left_alone)))
            said = asked(app, client, description, phases)
            assert any("generated" in line and "passed" in line for line in said.splitlines()), said[-2000:]
            still_here = client.get("/api/session").json()
            assert still_here is not None, f"signed out by a request of {phases}: the rest was asked by nobody"
