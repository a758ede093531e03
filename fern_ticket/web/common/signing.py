"""Signing in: what a person is called, and the session that a browser keeps."""

from __future__ import annotations

from typing import Annotated

from fastapi import Request, Response
from pydantic import BaseModel, Field

from fern_ticket.store.records import Likes, Role, User, UserWithPassword
from fern_ticket.store.studio import studio_of
from fern_ticket.web.common.happening import address_of
from fern_ticket.web.common.state import Shared
from fern_ticket.web.common.who import COOKIE, new_token, token_hash

SignInName = Annotated[str, Field(min_length=2, max_length=60, pattern=r"^[a-z0-9][a-z0-9._-]*$")]
PersonName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"\S")]
#: Longest that is kept of what a browser says it is.
_AGENT = 200


class SignedInAs(BaseModel):
    """Who is signed in, in which studio."""

    name: str
    sign_in: str
    role: Role
    likes: Likes
    studio: str
    idle_seconds: int


async def signed_in_as(shared: Shared, user: User) -> SignedInAs:
    studio = await studio_of(shared.database)
    return SignedInAs(
        name=user.name,
        sign_in=user.sign_in,
        role=user.role,
        likes=user.likes,
        studio=studio.name or "Fern Ticket",
        idle_seconds=studio.idle_seconds,
    )


async def begin_session(shared: Shared, sign_in: str, request: Request, response: Response) -> SignedInAs:
    """Sign somebody in whose password was checked."""
    user = await shared.database.row(UserWithPassword, "user_by_sign_in", sign_in=sign_in)
    assert user is not None
    token = new_token()
    days = (await studio_of(shared.database)).session_days
    await shared.database.run(
        "add_session",
        token_hash=token_hash(token),
        user=user.id,
        days=days,
        agent=_plain(request.headers.get("user-agent", "")),
        address=address_of(request),
    )
    response.set_cookie(
        COOKIE,
        token,
        max_age=days * 86400,
        httponly=True,
        samesite="strict",
        path="/",
        secure=request.url.scheme == "https",
    )
    return await signed_in_as(shared, user)


def _plain(text: str) -> str:
    return "".join(c for c in text if c.isprintable())[:_AGENT]
