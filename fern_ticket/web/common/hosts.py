"""Under which names the application may be reached: a page of another name that leads here is refused."""

from __future__ import annotations

import time

from fern_ticket.store.database import Database
from fern_ticket.store.studio import studio_of

#: Always allowed: whoever asks from this machine.
_OWN = {"localhost", "127.0.0.1", "[::1]"}
#: Seconds for which an answer of the database counts.
_FRESH = 10.0


class Hosts:
    """The studio's host names, asked for now and then."""

    def __init__(self, database: Database, own: str) -> None:
        self._database = database
        self._own = _OWN | {own.lower()}
        self._names: set[str] = set()
        self._until = 0.0

    async def known(self, host: str) -> bool:
        """Whether a request may name this host, with or without a port. With no names set, any is fine."""
        name = host.rpartition(":")[0] if host.rpartition(":")[2].isdigit() else host
        if name.lower() in self._own:
            return True
        if time.monotonic() > self._until:
            self._names = {one.lower() for one in (await studio_of(self._database)).host_names}
            self._until = time.monotonic() + _FRESH
        return not self._names or name.lower() in self._names

    def clear(self) -> None:
        """Ask again at the next request."""
        self._until = 0.0
