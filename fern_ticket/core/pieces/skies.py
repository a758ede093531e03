"""Skies that ship with the program, made by `demo/make_skies.py`: pictures like any other, by names with a prefix."""

from __future__ import annotations

from pathlib import Path

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.pyramid import ArraySource, Source

PREFIX = "sky:"
_FOLDER = Path(__file__).parent / "skies"


def made_skies() -> list[str]:
    """Their names, with the prefix."""
    return [PREFIX + path.stem for path in sorted(_FOLDER.glob("*.jpg"))]


def size_of_sky(name: str) -> tuple[int, int]:
    """Width and height, without decoding it."""
    header = read_header(_file_of(name))
    return header.width, header.height


def opened_sky(name: str) -> Source:
    """A made sky by its name, decoded anew.

    Raises
    ------
    LedgerError
        There is none of that name.
    """
    return ArraySource(decode(_file_of(name)))


def _file_of(name: str) -> bytes:
    if name not in made_skies():
        raise LedgerError(f"There is no made sky called {name.removeprefix(PREFIX)}.", f"There are {made_skies()}.")
    return (_FOLDER / f"{name.removeprefix(PREFIX)}.jpg").read_bytes()
