"""The store's own errors. What the database's driver says stays in here."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from psycopg_pool import PoolTimeout


class StoreError(Exception):
    """Something the store could not do."""


class Unkeepable(StoreError):
    """A value that no column holds, such as a text with a NUL in it."""


class Conflict(StoreError):
    """A row that goes against another: it is there already, or what it belongs to is not."""


class Away(StoreError):
    """The database does not answer. What was not confirmed is not kept; try again."""


@contextmanager
def translated() -> Iterator[None]:
    """The driver's errors, as the store's."""
    try:
        yield
    except psycopg.errors.DataError as error:
        raise Unkeepable(str(error)) from error
    except psycopg.errors.IntegrityError as error:
        raise Conflict(str(error)) from error
    except (psycopg.OperationalError, psycopg.InterfaceError, PoolTimeout) as error:
        raise Away(str(error)) from error
