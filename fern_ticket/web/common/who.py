"""Who is asking, and who may."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from typing import Annotated

from argon2 import PasswordHasher
from fastapi import Depends, HTTPException, Request, WebSocket

from fern_ticket.store.records import User, UserOfSession
from fern_ticket.web.common.state import shared_of

COOKIE = "fern_session"
hasher = PasswordHasher()
#: How often it is written down that a session is still used.
_SEEN = timedelta(minutes=5)


def hash_password(password: str) -> str:
    return hasher.hash(password)


def token_hash(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


def new_token() -> str:
    return secrets.token_urlsafe(32)


async def user_of(connection: Request | WebSocket) -> User | None:
    """The signed-in user of a request or socket, by its cookie."""
    token = connection.cookies.get(COOKIE)
    if not token or len(token) > 200:
        return None
    database = shared_of(connection).database
    user = await database.row(UserOfSession, "user_of_session", token_hash=token_hash(token))
    if user is not None and datetime.now(UTC) - user.seen_at > _SEEN:
        await database.run("session_seen", token_hash=token_hash(token))
    return user


async def _perhaps(request: Request) -> User | None:
    return await user_of(request)


async def _user(user: Annotated[User | None, Depends(_perhaps)]) -> User:
    if user is None:
        raise HTTPException(401, "Sign in first.")
    return user


async def _lead(user: Annotated[User, Depends(_user)]) -> User:
    if user.role != "lead":
        raise HTTPException(403, "This is kept by those who lead. Ask one of them.")
    return user


#: Whoever asks, or None for somebody who is not signed in.
Anybody = Annotated[User | None, Depends(_perhaps)]
SignedIn = Annotated[User, Depends(_user)]
Lead = Annotated[User, Depends(_lead)]
