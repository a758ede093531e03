"""Load the demo scenario: made-up clients, their tickets and slips, and photos in every state of the work."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb
from pydantic import BaseModel, ConfigDict

from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.settling import settle
from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.core.slips.slip import Slip
from fern_ticket.desks.measuring import DESKS
from fern_ticket.jobs.context import JobContext, make_context
from fern_ticket.jobs.deferring import defer_hand_over, defer_prepare
from fern_ticket.jobs.preparing import prepare_photo
from fern_ticket.jobs.queue import make_queue
from fern_ticket.settings import Settings
from fern_ticket.store.database import Database, opened
from fern_ticket.store.records import AddedPhoto, Facts, Id, KeptSlip, Kind, Ticket
from fern_ticket.store.ways import ToDesk, WayRow
from fern_ticket.web.common.who import hash_password
from fern_ticket.web.routes.sessions import DEMO_PASSWORD, PEOPLE

_DEMO = Path(__file__).parents[2] / "demo"


class _Stated(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PhotoPlan(_Stated):
    """A photo of the scenario, how far the work on it is, and whether it was handed over."""

    file: str
    title: str
    note: str
    steps: list[dict[str, Any]] = []
    hand_over: bool = False
    facts: Facts = Facts()
    pinned: list[tuple[float, float, str]] = []


class TicketPlan(_Stated):
    number: str
    title: str
    client: str
    kind: Kind
    brief: str
    desk: str
    slip: str
    due_in_days: int
    photos: list[PhotoPlan]


class Scenario(_Stated):
    slips: dict[str, Slip]
    tickets: list[TicketPlan]


def scenario() -> Scenario:
    """What `demo/scenario.json` says."""
    return Scenario.model_validate_json((_DEMO / "scenario.json").read_text())


async def load_demo(settings: Settings, only: str | None = None) -> None:
    """Load the demo user, the tickets (or `only` one) and their photos; what is there already stays as it is."""
    told = scenario()
    async with opened(settings.database_url) as database:
        password = hash_password(DEMO_PASSWORD)
        for sign_in, name, role in PEOPLE:
            await database.run("add_user", sign_in=sign_in, name=name, role=role, password_hash=password)
        for slip in told.slips.values():
            body = Jsonb(slip.model_dump(mode="json"))
            await database.row(KeptSlip, "keep_slip", name=slip.name, body=body, user=None)
        context = make_context(settings, database)
        loader = _Loader(context, settings.database_url, told)
        async with loader.queue.open_async():
            for plan in told.tickets:
                if only in (None, plan.number):
                    await loader.ticket(plan)


class _Loader:
    def __init__(self, context: JobContext, database_url: str, told: Scenario) -> None:
        self.context = context
        self.queue = make_queue(database_url, context)
        self._slips = told.slips

    @property
    def _database(self) -> Database:
        return self.context.database

    async def ticket(self, plan: TicketPlan) -> None:
        due = datetime.now().astimezone() + timedelta(days=plan.due_in_days)
        slip = self._slips[plan.slip]
        made = await self._database.row(
            Id,
            "add_ticket",
            number=plan.number,
            title=plan.title,
            client=plan.client,
            kind=plan.kind,
            brief=plan.brief,
            slip=Jsonb(slip.model_dump(mode="json")),
            slip_version=1,
            due_at=due.replace(hour=17, minute=0, second=0, microsecond=0),
            requests=Jsonb([]),
        )
        ticket = await self._database.row(Ticket, "ticket_by_number", number=plan.number)
        if ticket is None:  # it lies in the bin, where somebody put it
            return
        if made is not None:
            way = await self._way(plan.desk)
            await self._database.run("set_ways", ticket=ticket.id, ways=[way])
        for position, photo in enumerate(plan.photos, 1):
            blob = self.context.blobs.add((_DEMO / "pictures" / photo.file).read_bytes())
            added = await self._database.row(
                AddedPhoto, "add_photo", ticket=ticket.id, title=photo.title, note=photo.note, blob=blob
            )
            assert added is not None
            if not added.new:
                continue
            await self._said(added, photo, plan.client)
            if photo.steps:
                parts = NameParts(ticket=plan.number, number=position, client=plan.client, photo=photo.title)
                name = delivered_name(slip.name_pattern, parts, slip.file.format)
                await self._worked_on(added, blob, photo, name)
            else:
                await defer_prepare(self.queue, str(added.id))

    async def _way(self, desk: str) -> UUID:
        """The way out to a simulated desk."""
        settings = ToDesk(desk=desk)
        await self._database.run(
            "add_way", name=DESKS[desk].name, kind="desk", settings=Jsonb(settings.model_dump()), secret=None,
            answers="itself",
        )  # fmt: skip
        ways = await self._database.rows(WayRow, "ways")
        return next(way.id for way in ways if way.settings == settings)

    async def _said(self, added: AddedPhoto, photo: PhotoPlan, client: str) -> None:
        facts = Jsonb(photo.facts.model_dump(mode="json"))
        await self._database.run("set_facts", photo=added.id, title=photo.title, facts=facts)
        for x, y, text in photo.pinned:
            await self._database.run("add_note", photo=added.id, x=x, y=y, text=text, author=client, side="client")
        await self._database.run("add_event_of_photo", photo=added.id, what="brought", who=client)

    async def _worked_on(self, added: AddedPhoto, blob: str, photo: PhotoPlan, name: str) -> None:
        """Prepare the photo now, make its steps, and hand it over through the same job as any other."""
        await prepare_photo(self.context, str(added.id))
        source = self.context.prepared.open(blob)
        steps: list[Step] = []
        for step in read_steps(photo.steps):
            steps.append(settle(source, blob, steps, step, self.context.cache))
            head = await self.context.ledgers.head(added.id)
            assert head is not None
            summary = step.op.replace("_", " ").capitalize()
            await self.context.ledgers.add(self._database, added.id, head.revision, summary, steps, None)
        if photo.hand_over:
            head = await self.context.ledgers.head(added.id)
            assert head is not None
            order = await self._database.row(
                Id, "add_hand_over", photo=added.id, revision=head.revision, file_name=name, wanted=[], user=None
            )
            assert order is not None
            await defer_hand_over(self.queue, str(order.id))
