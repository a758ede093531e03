"""Photos opened for work: a ledger over a pyramid, with what is kept of either."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from uuid import UUID

from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.core.render.picture import SMALL, LedgerPicture
from fern_ticket.core.source.operation import Opener, only
from fern_ticket.store.database import Database
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.records import Words
from fern_ticket.store.shelves import Shelves
from fern_ticket.store.studio import RecentStudio


class Opening:
    """Opens photos by the blobs that they came as."""

    def __init__(self, database: Database, prepared: Prepared, cache: ByteCache, shelves: Shelves) -> None:
        self._database = database
        self._prepared = prepared
        self._cache = cache
        self._shelves = shelves
        self._own_budget = cache.budget
        self._studio = RecentStudio(database)

    def source(self, blob: str) -> Source:
        """The photo's pyramid; open files are kept in the cache."""
        return self._cache.get_or_make(Key("source", blob), lambda: self._prepared.open(blob), lambda _: 4096)

    def opener(self, blobs: Collection[str]) -> Opener:
        """Opens some photos only, whatever a step may name."""
        return only(blobs, self.source)

    async def of_ticket(self, ticket: UUID) -> Opener:
        """Opens the pictures of a ticket, and no others."""
        await self._keep_to_the_budget()
        names = await self._database.rows(Words, "blobs_of_ticket", ticket=ticket)
        return self.opener({one.words for one in names})

    async def _keep_to_the_budget(self) -> None:
        """Hold what the studio lets each process hold."""
        set_mb = (await self._studio.now()).memory_mb
        self._cache.keep_to(self._own_budget if set_mb is None else set_mb << 20)

    def picture(
        self, blob: str, steps: Sequence[Step], other: Opener, small: int = SMALL, *, background: bool = False
    ) -> LedgerPicture:
        """A photo under a ledger."""
        return LedgerPicture(
            self.source(blob),
            blob,
            steps,
            self._cache,
            other,
            small,
            background=background,
            shelf=self._shelves.of(blob),
        )
