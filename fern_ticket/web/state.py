"""What the routes share, and how they get at it."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from typing import Annotated, cast

from fastapi import Depends, HTTPException, Request, WebSocket
from procrastinate import App as Queue

from fern_ticket.core.render.cache import ByteCache
from fern_ticket.settings import Settings
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database
from fern_ticket.store.ledgers import Ledgers
from fern_ticket.store.opening import Opening
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.records import User
from fern_ticket.web.background import Background

COOKIE = "fern_session"


@dataclass(frozen=True)
class Shared:
    """Opened once when the application starts."""

    settings: Settings
    database: Database
    queue: Queue
    blobs: Blobs
    prepared: Prepared
    cache: ByteCache
    opening: Opening
    ledgers: Ledgers
    background: Background


def shared_of(connection: Request | WebSocket) -> Shared:
    return cast(Shared, connection.app.state.shared)


async def _shared(request: Request) -> Shared:
    return shared_of(request)


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


async def _user(request: Request) -> User:
    user = await user_of(request)
    if user is None:
        raise HTTPException(401, "Sign in first.")
    return user


SharedState = Annotated[Shared, Depends(_shared)]
SignedIn = Annotated[User, Depends(_user)]
