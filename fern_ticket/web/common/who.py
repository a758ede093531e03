"""Who is asking, and who may."""

from __future__ import annotations

import asyncio
import hashlib
import secrets
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from functools import cache
from typing import Annotated

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from fastapi import Depends, HTTPException, Request, WebSocket

from fern_ticket.store.errors import Away
from fern_ticket.store.records import User, UserOfSession
from fern_ticket.web.common.state import shared_of

COOKIE = "fern_session"
_hasher = PasswordHasher()
#: Hashing takes long and much memory by intent: so many at once, and nothing else waits for them.
_hashing = ThreadPoolExecutor(2, "hashing")
#: How often it is written down that a session is still used.
_SEEN = timedelta(minutes=5)


def hash_password(password: str) -> str:
    return _hasher.hash(password)


async def hashed(password: str) -> str:
    return await asyncio.get_running_loop().run_in_executor(_hashing, hash_password, password)


async def fits(password: str, password_hash: str | None) -> bool:
    """Whether it is the password that was hashed; for None never, after as long as for any other."""
    return await asyncio.get_running_loop().run_in_executor(_hashing, _fits, password, password_hash)


def _fits(password: str, password_hash: str | None) -> bool:
    try:
        return _hasher.verify(password_hash or _of_nobody(), password) and password_hash is not None
    except Argon2Error:
        return False


@cache
def _of_nobody() -> str:
    return hash_password(new_token())


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


async def session_holds(connection: Request | WebSocket) -> bool:
    """Whether somebody is signed in yet; asking is no use of the session. True while the database is away."""
    token = connection.cookies.get(COOKIE, "")
    try:
        return (
            await shared_of(connection).database.row(UserOfSession, "user_of_session", token_hash=token_hash(token))
            is not None
        )
    except Away:
        return True


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
