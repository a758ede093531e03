"""Skies that ship with the program, made by `demo/make_skies.py`: pictures like any other, by names with a prefix."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.pictures.decode import decode
from fern_ticket.core.pictures.pyramid import ArraySource, Source
from fern_ticket.core.source.operation import Opener

PREFIX = "sky:"
_FOLDER = Path(__file__).parent / "skies"


def made_skies() -> list[str]:
    """Their names, with the prefix."""
    return [PREFIX + path.stem for path in sorted(_FOLDER.glob("*.jpg"))]


def with_skies(other: Opener) -> Opener:
    """An opener that knows the made skies too."""
    return lambda name: opened_sky(name) if name.startswith(PREFIX) else other(name)


@lru_cache(maxsize=2)
def opened_sky(name: str) -> Source:
    """A made sky by its name.

    Raises
    ------
    LedgerError
        There is none of that name.
    """
    if name not in made_skies():
        raise LedgerError(f"There is no made sky called {name.removeprefix(PREFIX)}.", f"There are {made_skies()}.")
    return ArraySource(decode((_FOLDER / f"{name.removeprefix(PREFIX)}.jpg").read_bytes()))
