"""The `fern` command itself: what it refuses, and that it says why. Nothing here needs set-up."""

from __future__ import annotations

import os
import socket
import subprocess
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests import pictures

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
