"""Under which names the application may be reached: a page of another name that leads here is refused."""

from __future__ import annotations

from fern_ticket.store.database import Database
from fern_ticket.store.studio import RecentStudio

#: Always allowed: whoever asks from this machine.
_OWN = {"localhost", "127.0.0.1", "[::1]"}


class Hosts:
    """The studio's host names."""

    def __init__(self, database: Database, own: str) -> None:
        self._studio = RecentStudio(database)
        self._own = _OWN | {own.lower()}

    async def known(self, host: str) -> bool:
        """Whether a request may name this host, with or without a port. With no names set, any is fine."""
        name = host.rpartition(":")[0] if host.rpartition(":")[2].isdigit() else host
        if name.lower() in self._own:
            return True
        names = {one.lower() for one in (await self._studio.now()).host_names}
        return not names or name.lower() in names

    def clear(self) -> None:
        """Ask again at the next request."""
        self._studio.clear()
