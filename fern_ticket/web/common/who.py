"""Who is asking, and who may."""

from __future__ import annotations

import hashlib
import secrets
from typing import Annotated

from argon2 import PasswordHasher
from fastapi import Depends, HTTPException, Request, WebSocket

from fern_ticket.store.records import User
from fern_ticket.web.common.state import shared_of

COOKIE = "fern_session"
hasher = PasswordHasher()


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
    return await shared_of(connection).database.row(User, "user_of_session", token_hash=token_hash(token))


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
