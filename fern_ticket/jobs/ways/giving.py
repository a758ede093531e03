"""What every way out does: take a file once, however often it is given, and say what became of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from fern_ticket.core.errors import FernError


@dataclass(frozen=True)
class File:
    name: str
    data: bytes


@dataclass(frozen=True)
class Parcel:
    """One photo on its way.

    Attributes
    ----------
    key
        The same for the same delivery: whoever gets it twice knows that it is one.
    ticket
        The ticket's number.
    file, further
        What was made, and its further sizes.
    manifest
        Names, sizes and SHA-256 of all of it, how the slip's lines stand and what was altered, as JSON.
    """

    key: str
    ticket: str
    file: File
    further: Sequence[File]
    manifest: File


@dataclass(frozen=True)
class Answer:
    """What a receiver says; `accepted` is None while it is still looking, for so many seconds more."""

    accepted: bool | None
    reasons: list[str]
    receipt: str | None = None
    seconds: float = 0


class NotNow(Exception):
    """The receiver is down, slow, full or gone: it is asked again later. Says why, as a sentence."""


class Refused(FernError):
    """The receiver does not take this file, now or later."""


class Way(Protocol):
    async def give(self, parcel: Parcel) -> str:
        """Give it, whole or not at all; a parcel that was given before stays as it is. Returns a receipt.

        Raises
        ------
        NotNow, Refused
        """

    async def answer(self, parcel_key: str, /) -> Answer:
        """What the receiver says of a parcel that it was given. Raises NotNow."""

    async def tried(self) -> str:
        """Try the way without giving anything. Returns what was found, as a sentence.

        Raises
        ------
        NotNow, Refused
        """
