"""Making tickets of orders, one way for the page, for order files, for copies and for watched folders."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from psycopg.types.json import Jsonb

from fern_ticket.core.errors import FernError
from fern_ticket.core.orders.numbering import number_of, number_stem
from fern_ticket.core.orders.order import Order
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.clients import NewClient, add_client
from fern_ticket.store.database import Queries
from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Client, Editor, Id, KeptSlip
from fern_ticket.store.studio import Studio
from fern_ticket.store.ways import WayRow


class Orders:
    """Makes tickets within one transaction: what the library, the ways and the people are called is read once."""

    def __init__(
        self, within: Queries, actor: Actor, studio: Studio, slips: Sequence[KeptSlip], ways: Sequence[WayRow],
        people: Sequence[Editor],
    ) -> None:  # fmt: skip
        self._within = within
        self._actor = actor
        self._stem = number_stem(studio.number_pattern, date.today())
        self._slips = {kept.name.lower(): kept for kept in slips}
        self._ways = {way.name.lower(): way.id for way in ways}
        self._known = {way.id for way in ways}
        self._people = {person.sign_in: person.id for person in people}

    @classmethod
    async def begun(cls, within: Queries, actor: Actor, studio: Studio) -> Orders:
        return cls(
            within,
            actor,
            studio,
            await within.rows(KeptSlip, "slips"),
            await within.rows(WayRow, "ways"),
            await within.rows(Editor, "people_active"),
        )

    async def add(self, order: Order, like: tuple[Slip, int] | None = None) -> str:
        """Make a ticket, by a slip of the library or `like` another ticket's. Returns its number.

        Raises
        ------
        FernError
            A slip, a way or a person that nobody is called by, or a number that was given before.
        """
        client = await self._within.row(Client, "client_by_name", name=order.client)
        slip, version = like or self._slip(order.slip, client)
        ways = self._ways_of(order, client)
        editors = [self._editor(name) for name in order.editors]
        name = order.client if client is None else client.name
        if client is None:
            await add_client(self._within, self._actor, NewClient(name=name))
        number = order.number or await self.next_number()
        made = None
        if not await self._within.value("number_is_used", number=number):
            made = await self._within.row(
                Id,
                "add_ticket",
                number=number,
                title=order.title,
                client=name,
                kind=order.kind,
                brief=order.brief,
                slip=Jsonb(slip.model_dump(mode="json")),
                slip_version=version,
                due_at=order.due,
                requests=Jsonb([one.model_dump() for one in order.requests]),
            )
        if made is None:
            raise FernError(f"There is a ticket {number} already, or there was one.", "A number is given once.")
        await self._within.run("set_ways", ticket=made.id, ways=ways)
        if editors:
            await self._within.run("set_editors", ticket=made.id, editors=editors)
        await self._actor.did(self._within, "ticket made", ticket=made.id)
        return number

    def _slip(self, name: str, client: Client | None) -> tuple[Slip, int]:
        """A copy of a slip of the library, by which the ticket goes; the client's own file names count."""
        name = name or (client.slip if client else "")
        kept = self._slips.get(name.lower())
        if kept is None:
            said = f"There is no slip {name}." if name else "The order names no slip, and its client has no usual one."
            raise FernError(said, "Name one of the library's, or keep one there first.")
        slip = Slip.model_validate(kept.body)
        if client is not None and client.name_pattern:
            slip = slip.calling(client.name_pattern)
        return slip, kept.version

    def _ways_of(self, order: Order, client: Client | None) -> list[UUID]:
        if not order.ways:
            usual = client.way if client else None
            return [usual] if usual is not None and usual in self._known else []
        found = []
        for name in order.ways:
            way = self._ways.get(name.lower())
            if way is None:
                raise FernError(f"There is no way out called {name}.", "Name one of the studio's.")
            found.append(way)
        return list(dict.fromkeys(found))

    def _editor(self, name: str) -> UUID:
        person = self._people.get(name.lower())
        if person is None:
            raise FernError(f"Nobody who is active signs in as {name}.", "Name somebody of the studio.")
        return person

    async def next_number(self) -> str:
        """The next one that was never given."""
        before, after, digits = self._stem
        while True:
            count = int(await self._within.value("next_count", stem=f"{before}{{{digits}}}{after}"))
            number = number_of(self._stem, count)
            if not await self._within.value("number_is_used", number=number):
                return number
