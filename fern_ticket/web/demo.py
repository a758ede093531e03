"""The demo scenario: a valley mill that lets rooms, and the photos for its listing. Made-up names and pictures."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from psycopg.types.json import Jsonb

from fern_ticket.core.slips.slip import (
    CastLine,
    ClippedLine,
    FormatLine,
    LongSideLine,
    ProfileLine,
    RatioLine,
    Slip,
)
from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.queue import defer_prepare, make_queue
from fern_ticket.settings import settings
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database, opened
from fern_ticket.store.records import AddedPhoto, Id, Ticket
from fern_ticket.web.sessions import DEMO_PASSWORD, DEMO_SIGN_IN, hash_password

_PICTURES = Path(__file__).parents[2] / "demo" / "pictures"

VALLEY_HOMES = Slip(
    name="Valley Homes",
    name_pattern="{client}_{ticket}_{number:02}",
    lines=[
        RatioLine(across=4, down=5, either_way=True),
        LongSideLine(pixels=2400),
        FormatLine(format="JPEG", quality=100),
        ProfileLine(),
        CastLine(at_most=2.0),
        ClippedLine(at_most=1.0),
    ],
)

_BRIEF = (
    "Three pictures for the letting page of the mill: the long room, the breakfast table and the print that hangs "
    "upstairs. They should look like a calm morning. Keep the room as it is: uneven plaster, dark beams."
)

_PHOTOS = (
    (
        "long-room.jpg",
        "Long room",
        "It hangs to one side. The two stains on the wall can go. The light is too warm.",
    ),
    (
        "breakfast.jpg",
        "Breakfast table",
        "Take away the larger crumbs beside the knife. The cup should be white.",
    ),
    (
        "race-and-reeds.jpg",
        "Race and reeds, linocut",
        "The sheet lies askew. Dust on the paper, please. No other change.",
    ),
)


async def load_demo() -> None:
    """Load the demo user, ticket and photos; what is there already stays as it is."""
    async with opened(settings().database_url) as database:
        await database.run(
            "add_user", sign_in=DEMO_SIGN_IN, name="Mara Holt", password_hash=hash_password(DEMO_PASSWORD)
        )
        await _load_ticket(database)


async def _load_ticket(database: Database) -> None:
    number = "FT-0201"
    due = (datetime.now().astimezone() + timedelta(days=1)).replace(hour=17, minute=0, second=0, microsecond=0)
    await database.row(
        Id,
        "add_ticket",
        number=number,
        title="Race Mill, letting page",
        client="Race Mill",
        kind="property",
        brief=_BRIEF,
        desk="valley-homes",
        slip=Jsonb(VALLEY_HOMES.model_dump(mode="json")),
        due_at=due,
    )
    ticket = await database.row(Ticket, "ticket_by_number", number=number)
    assert ticket is not None
    blobs = Blobs(settings().blobs)
    queue = make_queue(settings().database_url, make_context(settings(), database))
    async with queue.open_async():
        for file, title, note in _PHOTOS:
            blob = blobs.add((_PICTURES / file).read_bytes())
            added = await database.row(AddedPhoto, "add_photo", ticket=ticket.id, title=title, note=note, blob=blob)
            if added is not None and added.new:
                await defer_prepare(queue, str(added.id))
