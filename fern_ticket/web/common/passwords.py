"""How hard a password is to guess, and what is refused."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Annotated

from pydantic import BaseModel, Field
from zxcvbn import zxcvbn

from fern_ticket.core.errors import FernError

Password = Annotated[str, Field(min_length=12, max_length=200)]
#: Guessing grows with the square of the length: what follows makes no password weaker.
_LOOKED_AT = 64
#: From 0 to 4, as zxcvbn has it: below this an attacker with the stolen database finds it soon.
_ENOUGH = 2
_WORDS = ("found at once", "found in minutes", "found in days", "found in years", "not found")


class Strength(BaseModel):
    """How long somebody would look for a password who stole the database: 0 (no time) to 4, and in words."""

    score: int
    words: str
    advice: str
    enough: bool


class Thought(BaseModel):
    """A password that somebody thinks of, and words that others know of whom it is for."""

    password: str = Field(max_length=200)
    about: list[Annotated[str, Field(max_length=80)]] = Field(default=[], max_length=4)


async def strength_of(password: str, about: Sequence[str] = ()) -> Strength:
    """`about`: words that others know of the person, such as their name, which make it weaker."""
    if not password:
        return Strength(score=0, words="", advice="", enough=False)
    known = [part for word in about for part in (word, *word.split()) if part]
    found = await asyncio.to_thread(zxcvbn, password[:_LOOKED_AT], known)
    score = int(found["score"])
    said = found["feedback"]
    advice = " ".join(part for part in (said["warning"], *said["suggestions"]) if part)
    return Strength(score=score, words=_WORDS[score], advice=advice, enough=score >= _ENOUGH)


async def refuse_weak(password: str, about: Sequence[str]) -> None:
    """Raises FernError for a password that is soon guessed."""
    found = await strength_of(password, about)
    if not found.enough:
        hint = "Take several words that do not belong together."
        raise FernError(f"This password would be {found.words} by somebody with a list of words.", hint)
