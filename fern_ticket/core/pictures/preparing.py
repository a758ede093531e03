"""Prepare a picture: decode it, write its pyramid.

Files come from anywhere and decoders are large, so this happens in a process of its own whose memory is limited: what
breaks there, or asks for too much, is one refused picture. The process takes one picture after the other, each as a
line of JSON, and ends with whoever started it.
"""

from __future__ import annotations

import atexit
import contextlib
import errno
import json
import resource
import subprocess
import sys
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from threading import Lock
from typing import Any

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import decode, too_much_memory
from fern_ticket.core.pictures.pyramid import write_pyramid

#: Bytes that decoding may take, unless told otherwise: the largest 16-bit picture that is read takes about two thirds.
MEMORY = 6 << 30
#: What keeps a pyramid from being written that is no fault of the file.
_DISK = {
    errno.ENOSPC: "There is no room left on the disk of the data folder.",
    errno.EDQUOT: "There is no room left for the application on the disk of the data folder.",
    errno.EROFS: "The disk of the data folder can only be read.",
    errno.EACCES: "The application may not write into its data folder.",
}
#: Megapixels after which the process is ended, so that its memory is free for others.
_LARGE = 48


@dataclass(frozen=True)
class Prepared:
    """Width and height upright, and what was done on reading that a person should know."""

    width: int
    height: int
    notes: tuple[str, ...]


def prepare(picture: Path, folder: Path, memory: int = MEMORY) -> Prepared:
    """Write a picture file's pyramid to `folder`, whole or not at all, with at most `memory` bytes.

    Raises
    ------
    PictureError
        The file cannot be read as a picture, or not in that memory.
    """
    said = _process(memory).ask({"picture": str(picture), "folder": str(folder)})
    if said is None:
        raise too_much_memory()
    if "sentence" in said:
        raise PictureError(str(said["sentence"]), str(said["hint"]))
    return Prepared(said["width"], said["height"], tuple(said["notes"]))


class _Process:
    """The process, started when it is asked, and anew after it died: of too much memory, for all that is known."""

    def __init__(self, memory: int) -> None:
        self._memory = memory
        self._running: subprocess.Popen[str] | None = None
        self._one_at_a_time = Lock()
        atexit.register(self.end)

    def ask(self, what: dict[str, str]) -> dict[str, Any] | None:
        """The answer; None where it died of the question."""
        with self._one_at_a_time:
            if self._running is not None and self._running.poll() is not None:
                self._end()
            if self._running is None:
                self._running = subprocess.Popen(
                    [sys.executable, "-m", "fern_ticket.core.pictures.preparing", str(self._memory)],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    text=True,
                    cwd=Path(__file__).parents[3],
                )
            asked, answered = self._running.stdin, self._running.stdout
            assert asked is not None
            assert answered is not None
            try:
                asked.write(json.dumps(what) + "\n")
                asked.flush()
                answer: dict[str, Any] = json.loads(answered.readline())
            except (OSError, json.JSONDecodeError):
                self._end()
                return None
            if answer.get("width", 0) * answer.get("height", 0) > _LARGE * 1e6:
                self._end()
            return answer

    def end(self) -> None:
        with self._one_at_a_time:
            self._end()

    def _end(self) -> None:
        if self._running is not None:
            self._running.kill()
            # waits, and closes what it was asked and answered through
            with contextlib.suppress(OSError):
                self._running.__exit__(None, None, None)
            self._running = None


#: One process for a limit, whoever asks.
_process = cache(_Process)


def _answer(picture: Path, folder: Path) -> dict[str, Any]:
    try:
        decoded = decode(picture.read_bytes())
        write_pyramid(decoded, folder)
    except PictureError as error:
        return {"sentence": error.sentence, "hint": error.hint}
    except OSError as error:
        said = _DISK.get(error.errno or 0)
        if said is None:
            raise
        return {
            "sentence": said,
            "hint": "It is no fault of the file: make room or ask whoever runs this, then try again.",
        }
    rows, columns = decoded.pixels.shape[:2]
    return asdict(Prepared(columns, rows, decoded.notes))


def _main(memory: int) -> None:
    # data only: the tiles of a pyramid are mapped from files and are not held in memory
    resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    for line in sys.stdin:
        asked = json.loads(line)
        print(json.dumps(_answer(Path(asked["picture"]), Path(asked["folder"]))), flush=True)


if __name__ == "__main__":
    _main(int(sys.argv[1]))
