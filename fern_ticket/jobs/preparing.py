"""Preparing a photo after intake."""

from __future__ import annotations

import asyncio
import logging
from dataclasses import asdict
from uuid import UUID

from psycopg.types.json import Jsonb

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.inspect.series import panorama_of, taken
from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.pictures.preparing import Prepared
from fern_ticket.jobs.context import JobContext
from fern_ticket.store.database import Database
from fern_ticket.store.errors import Away
from fern_ticket.store.records import Facts, Photo

log = logging.getLogger("fern.jobs")


async def prepare_photo(context: JobContext, photo_id: str) -> None:
    """Decode a photo into its pyramid, read what it says of itself and start its ledger; or say why it is refused."""
    photo = await context.database.row(Photo, "photo_by_id", photo=UUID(photo_id))
    if photo is None or photo.state == "ready":
        return
    try:
        made = await asyncio.to_thread(context.prepared.prepare, photo.blob)
        data = await asyncio.to_thread(context.blobs.read, photo.blob)
        await _keep(context.database, photo.id, made, data)
    except PictureError as error:
        await context.database.run("photo_refused", photo=photo.id, problem=str(error))
    except FernError as error:
        # this machine does not have the file; it stays to be prepared, here later or by another worker
        log.warning("photo %s waits: %s", photo.id, error)
    except Away:
        # it stays to be prepared: nothing is said of the picture by that
        raise
    except Exception:
        log.exception("photo %s could not be prepared", photo.id)
        await context.database.run(
            "photo_refused",
            photo=photo.id,
            problem="The picture could not be prepared. Bring it in another format.",
        )


async def _keep(database: Database, photo: UUID, made: Prepared, data: bytes) -> None:
    """Say of a photo that it is ready, and what its file tells."""
    facts = Facts.of(read_metadata(data), (made.width, made.height))
    notes = list(made.notes)
    why = panorama_of(data, made.width, made.height)
    if why is not None:
        notes.append(f"taken for a flat panorama: {why}")
    when = taken(data)
    await database.run("start_ledger", photo=photo)
    await database.run(
        "photo_ready",
        photo=photo,
        width=made.width,
        height=made.height,
        remarks=notes,
        taken=None if when is None else Jsonb(asdict(when)),
        facts=Jsonb(facts.model_dump(mode="json")),
    )
