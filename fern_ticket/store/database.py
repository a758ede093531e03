"""The one place that runs SQL: named queries from .sql files, numbered migrations, errors of the domain."""

from __future__ import annotations

import json
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any, LiteralString, Protocol, TypeVar, cast

import psycopg
from psycopg import AsyncConnection
from psycopg.rows import dict_row
from psycopg.types.json import set_json_dumps
from psycopg_pool import AsyncConnectionPool
from pydantic import BaseModel, TypeAdapter

from fern_ticket.store.errors import translated

_HERE = Path(__file__).parent
_NAME = re.compile(r"^-- name: (\w+)\n", re.MULTILINE)

M = TypeVar("M", bound=BaseModel)


@lru_cache(maxsize=1)
def _queries() -> dict[str, LiteralString]:
    found: dict[str, LiteralString] = {}
    for path in sorted((_HERE / "queries").glob("*.sql")):
        parts = _NAME.split(path.read_text())
        for name, text in zip(parts[1::2], parts[2::2], strict=True):
            if name in found:
                raise ValueError(f"two queries are called {name}")
            found[name] = cast(LiteralString, text.strip())
    return found


@lru_cache(maxsize=64)
def _list_of(model: type[M]) -> TypeAdapter[list[M]]:
    return TypeAdapter(list[model])  # type: ignore[valid-type]


class Queries(Protocol):
    """Runs queries by name: on a connection of its own each, or all in one transaction."""

    async def rows(self, model: type[M], query: str, **values: Any) -> list[M]:
        """All rows of a named query, each as a model."""

    async def row(self, model: type[M], query: str, **values: Any) -> M | None:
        """The first row of a named query, or None."""

    async def value(self, query: str, **values: Any) -> Any:
        """The one column of the first row, or None."""

    async def run(self, query: str, **values: Any) -> None:
        """A named query for its effect."""


class Transaction:
    """Queries that are kept together or not at all."""

    def __init__(self, connection: AsyncConnection[dict[str, Any]]) -> None:
        self._connection = connection

    async def rows(self, model: type[M], query: str, **values: Any) -> list[M]:
        with translated():
            cursor = await self._connection.execute(_queries()[query], values)
            found = await cursor.fetchall()
        return _list_of(model).validate_python(found)

    async def row(self, model: type[M], query: str, **values: Any) -> M | None:
        found = await self.rows(model, query, **values)
        return found[0] if found else None

    async def value(self, query: str, **values: Any) -> Any:
        with translated():
            cursor = await self._connection.execute(_queries()[query], values)
            found = await cursor.fetchone() if cursor.description else None
        if found is None:
            return None
        if len(found) != 1:
            raise ValueError(f"{query} gives {len(found)} columns, not one value")
        return next(iter(found.values()))

    async def run(self, query: str, **values: Any) -> None:
        with translated():
            await self._connection.execute(_queries()[query], values)


#: Seconds for which a connection is tried again by itself, at pauses that double from one.
_TRIED = 8.0


class Database:
    """A pool of connections that runs queries by name. What `run` did is on disk when it returns."""

    def __init__(self, url: str, size: int = 8) -> None:
        self._pool: AsyncConnectionPool[AsyncConnection[dict[str, Any]]] = AsyncConnectionPool(
            url,
            min_size=1,
            max_size=size,
            open=False,
            # compiling the board's query takes the server thirty times as long as answering it
            kwargs={"row_factory": dict_row, "autocommit": True, "options": "-c jit=off"},
            check=AsyncConnectionPool.check_connection,
            configure=_configured,
            # then who needs one tries anew: pauses that grow to minutes would go on when the database is back
            reconnect_timeout=_TRIED,
        )

    async def open(self) -> None:
        with translated():
            await self._pool.open(wait=True, timeout=15)

    async def close(self) -> None:
        await self._pool.close()

    @asynccontextmanager
    async def _connection(self) -> AsyncIterator[AsyncConnection[dict[str, Any]]]:
        with translated():
            connection = await self._pool.getconn()
        try:
            yield connection
        finally:
            with translated():
                await self._pool.putconn(connection)

    @asynccontextmanager
    async def transaction(self) -> AsyncIterator[Transaction]:
        """Everything that is run in it is on disk when it ends, or nothing is."""
        async with self._connection() as connection:
            with translated():
                async with connection.transaction():
                    yield Transaction(connection)

    async def rows(self, model: type[M], query: str, **values: Any) -> list[M]:
        async with self._connection() as connection:
            return await Transaction(connection).rows(model, query, **values)

    async def row(self, model: type[M], query: str, **values: Any) -> M | None:
        async with self._connection() as connection:
            return await Transaction(connection).row(model, query, **values)

    async def value(self, query: str, **values: Any) -> Any:
        async with self._connection() as connection:
            return await Transaction(connection).value(query, **values)

    async def run(self, query: str, **values: Any) -> None:
        async with self._connection() as connection:
            await Transaction(connection).run(query, **values)


async def _configured(connection: AsyncConnection[Any]) -> None:
    set_json_dumps(_json, connection)


def _json(value: object) -> str:
    return json.dumps(value, allow_nan=False, separators=(",", ":"))


@asynccontextmanager
async def opened(url: str, size: int = 4) -> AsyncIterator[Database]:
    database = Database(url, size)
    await database.open()
    try:
        yield database
    finally:
        await database.close()


def migrate(url: str) -> list[str]:
    """Bring the schema up to date; returns what was applied. Two processes may call it at once."""
    applied = []
    with psycopg.connect(url) as connection:
        connection.execute("select pg_advisory_xact_lock(4276001)")
        connection.execute(
            "create table if not exists migrations (name text primary key, at timestamptz default now())"
        )
        done = {row[0] for row in connection.execute("select name from migrations").fetchall()}
        for path in sorted((_HERE / "migrations").glob("*.sql")):
            if path.name not in done:
                connection.execute(path.read_bytes())
                connection.execute("insert into migrations (name) values (%s)", [path.name])
                applied.append(path.name)
    return applied
