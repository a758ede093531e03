"""Prepare a picture: decode it, write its pyramid. Large ones in a process of their own, with little else in memory.

Run as `python -m fern_ticket.core.pictures.preparing PICTURE FOLDER`; it prints JSON: what was prepared, or what is
wrong.
"""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import asdict, dataclass
from pathlib import Path

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.pyramid import write_pyramid

#: Megapixels from which a picture gets a process of its own: it would not fit beside the compiled kernels of a worker.
_LARGE = 48


@dataclass(frozen=True)
class Prepared:
    """Width and height upright, and what was done on reading that a person should know."""

    width: int
    height: int
    notes: tuple[str, ...]


def prepare(picture: Path, folder: Path) -> Prepared:
    """Write a picture file's pyramid to `folder`, whole or not at all.

    Raises
    ------
    PictureError
        The file cannot be read as a picture.
    """
    data = picture.read_bytes()
    header = read_header(data)
    if header.width * header.height < _LARGE * 1e6:
        return _prepare(data, folder)
    del data
    command = [sys.executable, "-m", "fern_ticket.core.pictures.preparing", str(picture), str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, check=False, cwd=Path(__file__).parents[3])
    try:
        said = json.loads(done.stdout)
    except json.JSONDecodeError as error:
        raise PictureError(
            "The picture could not be prepared: it may be too large for this machine.", "Bring a smaller version."
        ) from error
    if "sentence" in said:
        raise PictureError(said["sentence"], said["hint"])
    return Prepared(said["width"], said["height"], tuple(said["notes"]))


def _prepare(data: bytes, folder: Path) -> Prepared:
    decoded = decode(data)
    write_pyramid(decoded, folder)
    rows, columns = decoded.pixels.shape[:2]
    return Prepared(columns, rows, decoded.notes)


def _main(picture: str, folder: str) -> None:
    try:
        said = asdict(_prepare(Path(picture).read_bytes(), Path(folder)))
    except PictureError as error:
        said = {"sentence": error.sentence, "hint": error.hint}
    print(json.dumps(said))


if __name__ == "__main__":
    _main(*sys.argv[1:])
