"""The `fern` command itself: what it refuses, and that it says why. What dies under it is started again."""

from __future__ import annotations

import os
import re
import shutil
import signal
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import httpx
import numpy as np
import pytest
from PIL import Image

from tests import pictures
from tests.application import Cluster, free_port, ready_photos, until

SLIP = {"name": "Plain", "name_pattern": "{ticket}_{number}", "lines": [{"requirement": "long_side", "pixels": 300}]}
ADA = {"sign_in": "ada", "password": "four quiet otters swim"}
ROOT = Path(__file__).parents[2]


def fern(*arguments, **more):
    more = {"cwd": ROOT, **more}
    return subprocess.run(
        [str(ROOT / "fern"), *arguments], capture_output=True, text=True, timeout=120, check=False, **more
    )


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("sparkle",), "there is no command sparkle"),
        (("start", "--colour", "red"), "unknown option --colour"),
        (("demo", "--port", "many"), "many is not a port"),
        (("demo", "--port", "70000"), "70000 is not a port"),
        (("worker", "--colour"), "unknown option --colour"),
        (("worker", "--threads", "some"), "--threads needs a number of cores, not some"),
        (("start", "--processes", "0"), "--processes needs a number of processes, not 0"),
        (("person",), "say add, password or list"),
        (("backup",), "say which file"),
        (("restore", "--colour"), "unknown option --colour"),
    ],
)
def test_what_makes_no_sense_is_refused_in_one_line(arguments, said):
    done = fern(*arguments)
    assert done.returncode == 1
    assert said in done.stderr


def test_without_a_command_it_explains_itself():
    done = fern()
    assert done.returncode == 0
    for command in (
        "demo",
        "start",
        "person",
        "backup",
        "restore",
        "worker",
        "render",
        "inspect",
        "ops",
        "test",
        "check",
        "bench",
    ):
        assert f"\n  {command} " in done.stdout


def test_a_taken_port_is_said_before_anything_is_started(tmp_path):
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        done = fern("start", "--no-browser", "--port", str(port), "--data", str(tmp_path / "d"))
    assert done.returncode == 1
    assert f"port {port} is taken" in done.stderr
    assert not (tmp_path / "d").exists()


def test_a_worker_without_an_application_says_what_to_do(tmp_path):
    clean = {k: v for k, v in os.environ.items() if not k.startswith("FERN_")}
    done = fern("worker", "--data", str(tmp_path), env=clean)
    assert done.returncode == 1
    assert "start it first" in done.stderr


def test_a_backup_of_nothing_and_a_restore_over_something_are_refused(tmp_path):
    done = fern("backup", str(tmp_path / "b.tar"), "--data", str(tmp_path / "nothing"))
    assert (done.returncode, "there is no installation" in done.stderr) == (1, True)
    (tmp_path / "data" / "postgres").mkdir(parents=True)
    done = fern("restore", str(tmp_path / "b.tar"), "--data", str(tmp_path / "data"))
    assert (done.returncode, "is not empty" in done.stderr) == (1, True)
    done = fern("restore", str(tmp_path / "none.tar"), "--data", str(tmp_path / "new"))
    assert (done.returncode, "cannot be read" in done.stderr) == (2, True)
    assert not (tmp_path / "new").exists()


def test_names_of_files_are_meant_from_where_one_stands(tmp_path):
    (tmp_path / "in.png").write_bytes(pictures.file(pictures.ramp(40, 50), "PNG"))
    (tmp_path / "steps.json").write_text("[]")
    done = fern("render", "in.png", "out.png", "--steps", "steps.json", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert np.array_equal(np.asarray(Image.open(tmp_path / "out.png")), pictures.ramp(40, 50))
    assert '"exposure"' in fern("ops", cwd=tmp_path).stdout


@contextmanager
def starting(folder: Path, *options: str, **environment: str) -> Iterator[Started]:
    """`./fern start` on a data folder below that folder; where nobody is there yet, with the first person signed in."""
    data, log, port = folder / "data", folder / "log", free_port()
    clean = {name: value for name, value in os.environ.items() if not name.startswith("FERN_")}
    environment = {"FERN_WARM": "false", "FERN_HEARTBEAT": "1", **environment}
    command = [str(ROOT / "fern"), "start", "--no-browser", "--port", str(port), "--data", str(data), *options]
    with log.open("wb") as said:
        process = subprocess.Popen(command, cwd=ROOT, env={**clean, **environment}, stdout=said, stderr=said)
    try:
        until("it to be ready", lambda: "is ready at" in log.read_text(), 120)
        origin = f"http://127.0.0.1:{port}"
        client = httpx.Client(base_url=origin, timeout=30, headers={"Origin": origin})
        if client.get("/api/welcome").json()["nobody_yet"]:
            first = until("the first page", lambda: re.search(r"http\S+(/first/\S+)", log.read_text()))
            person = {"studio": "Wren Mill", "name": "Ada Brook", **ADA}
            client.post(f"/api{first[1]}", json=person).raise_for_status()
        else:
            client.post("/api/session", json=ADA).raise_for_status()
        yield Started(client, data, log)
    finally:
        process.terminate()
        process.wait(60)
    # what a process of Python keeps beside itself ends when it sees that one gone
    own = os.fsencode(str(data))
    until(
        "nothing of it to run", lambda: not any(own in _read(path) for path in Path("/proc").glob("[0-9]*/environ")), 10
    )


@pytest.fixture
def folder() -> Iterator[Path]:
    """That the database's own user passes through."""
    made = Path(tempfile.mkdtemp(prefix="fern-test-"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made, ignore_errors=True)


def _read(path):
    try:
        return path.read_bytes()
    except OSError:
        return b""


@dataclass(frozen=True)
class Started:
    client: httpx.Client
    data: Path
    log: Path

    def process(self, part: str) -> int:
        """Its number, as the system counts it."""
        if part == "database":
            return int((self.data / "postgres" / "postmaster.pid").read_text().split()[0])
        command = {"server": b"serve", "worker": b"worker"}[part]
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            words = _read(path).split(b"\0")
            if words[-2:-1] == [command] and os.fsencode(str(self.data)) in _read(path.with_name("environ")):
                return int(path.parent.name)
        return 0

    def answers(self) -> bool:
        try:
            return self.client.get("/api/health").is_success
        except httpx.HTTPError:
            return False


def new_ticket(client: httpx.Client) -> str:
    client.put("/api/slips", json=SLIP).raise_for_status()
    order = {"title": "Rooms", "client": "Order House", "kind": "property", "due": "2027-03-01T12:00:00Z"}
    number: str = client.post("/api/tickets", json={**order, "slip": SLIP["name"]}).json()["number"]
    return number


def test_whatever_dies_is_started_again_and_nothing_is_lost(folder):
    with starting(folder) as started:
        _kill_each_in_turn(started)


def _kill_each_in_turn(started):
    client = started.client
    number = new_ticket(client)
    for count, part in enumerate(("server", "worker", "database"), 1):
        before = until(f"the {part}", lambda part=part: started.process(part))
        os.kill(before, signal.SIGKILL)
        until(f"another {part}", lambda part=part, before=before: _another(started, part, before), 90)
        until("all to answer", started.answers, 90)
        assert f"the {part} stopped; it is started again" in started.log.read_text()
        photo = pictures.file(pictures.texture(60, 80, count), "JPEG")
        client.post(f"/api/tickets/{number}/photos", files=[("files", (f"{part}.jpg", photo))]).raise_for_status()
        until("its photos to be ready", lambda: ready_photos(client, number), 90)
    photos = client.get(f"/api/tickets/{number}").json()["photos"]
    assert [photo["state"] for photo in photos] == ["ready"] * 3


@pytest.fixture
def database() -> Iterator[Cluster]:
    """Of others, with nobody in it yet."""
    made = Cluster()
    yield made
    made.remove()


def test_two_machines_share_a_database_and_a_store_and_make_their_own_copies(folder, database):
    shared = {"FERN_DATABASE_URL": database.url, "FERN_BLOB_STORE": f"file://{folder / 'store'}"}
    for name in ("one", "other", "store"):
        (folder / name).mkdir()
    with starting(folder / "one", **shared) as one:
        number = new_ticket(one.client)
        photo = pictures.file(pictures.texture(60, 80, 1), "JPEG")
        one.client.post(f"/api/tickets/{number}/photos", files=[("files", ("a.jpg", photo))]).raise_for_status()
        until("the photo to be ready", lambda: ready_photos(one.client, number), 90)
        # links and secrets hold at both where both have the same
        shutil.copytree(one.data / "secrets", folder / "other" / "data" / "secrets")
        (folder / "other" / "data" / "secrets" / "pid").unlink()
        with starting(folder / "other", "--processes", "2", **shared) as other:
            (found,) = other.client.get(f"/api/tickets/{number}").json()["photos"]
            assert not (other.data / "postgres").exists()
            assert other.client.get(f"/api/photos/{found['id']}/thumbnail").is_success
            assert list((other.data / "pyramids").glob("*/pyramid.json"))


def _another(started: Started, part: str, before: int) -> bool:
    try:
        return started.process(part) not in (0, before)
    except (OSError, IndexError):
        return False
