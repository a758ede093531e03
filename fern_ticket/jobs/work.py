"""The work itself: preparing a photo after intake, and handing one over."""

from __future__ import annotations

import asyncio
import logging
import time
from uuid import UUID

import httpx
import numpy as np

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import Pixels, read_header
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.delivering import delivery_steps
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.context import JobContext
from fern_ticket.store.records import HandOver, Ledger, Photo, Ticket

log = logging.getLogger("fern.jobs")


class Cancelled(Exception):
    """A person cancelled the hand-over, or somebody else ended it."""


async def prepare_photo(context: JobContext, photo_id: str) -> None:
    """Decode a photo into its pyramid and start its ledger; or say why it is refused."""
    photo = await context.database.row(Photo, "photo_by_id", photo=UUID(photo_id))
    if photo is None or photo.state == "ready":
        return
    try:
        made = await asyncio.to_thread(context.prepared.prepare, photo.blob)
    except PictureError as error:
        await context.database.run("photo_refused", photo=photo.id, problem=str(error))
        return
    except Exception:
        log.exception("photo %s could not be prepared", photo.id)
        await context.database.run(
            "photo_refused",
            photo=photo.id,
            problem="The picture could not be prepared. Bring it in another format.",
        )
        return
    await context.database.run("start_ledger", photo=photo.id)
    await context.database.run(
        "photo_ready", photo=photo.id, width=made.width, height=made.height, remarks=list(made.notes)
    )


async def hand_over(context: JobContext, hand_over_id: str) -> None:
    """Render, encode, store and deliver. Every part may be repeated after a crash without delivering twice."""
    database = context.database
    order = await database.row(HandOver, "hand_over_by_id", hand_over=UUID(hand_over_id))
    if order is None or order.ended_at is not None:
        return
    ticket = await database.row(Ticket, "ticket_of_photo", photo=order.photo)
    photo = await database.row(Photo, "photo_by_id", photo=order.photo)
    ledger = await database.row(Ledger, "ledger_at", photo=order.photo, revision=order.revision)
    if ticket is None or photo is None or ledger is None:
        await _end(context, order, "failed", ["The photo or its ledger is gone."])
        return
    slip = Slip.model_validate(ticket.slip)
    try:
        data = await _render(context, order, photo, ledger, slip)
        blob = await asyncio.to_thread(context.blobs.add, data)
        if await database.value("hand_over_delivering", hand_over=order.id, blob=blob, bytes=len(data)) is None:
            return
        await _deliver(context, order, ticket, data)
    except Cancelled:
        log.info("hand-over %s was cancelled", order.id)
    except httpx.HTTPError as error:
        log.warning("the desk did not take %s: %s", order.file_name, error)
        raise  # the queue tries again
    except FernError as error:
        await _end(context, order, "failed", [str(error)])
    except Exception:
        log.exception("hand-over %s failed", order.id)
        await _end(context, order, "failed", ["It failed unexpectedly; the server's log says why."])


async def give_up(context: JobContext, hand_over_id: str) -> None:
    order = await context.database.row(HandOver, "hand_over_by_id", hand_over=UUID(hand_over_id))
    if order is not None:
        await _end(
            context,
            order,
            "failed",
            ["It stopped the worker several times. Hand over again, or ask for help."],
        )


async def _render(context: JobContext, order: HandOver, photo: Photo, ledger: Ledger, slip: Slip) -> bytes:
    loop = asyncio.get_running_loop()
    steps = delivery_steps(read_steps(ledger.steps), slip)
    told = 0.0

    def progress(share: float) -> None:
        nonlocal told
        if time.monotonic() - told < 0.25:
            return
        told = time.monotonic()
        asyncio.run_coroutine_threadsafe(_say_progress(context, order, share), loop).result(timeout=30)

    def work() -> bytes:
        picture = LedgerPicture(
            context.prepared.open(photo.blob), photo.blob, steps, context.cache, context.prepared.open
        )
        deep = slip.file.format != "JPEG" and picture.repaired.dtype == np.uint16
        pixels: Pixels = picture.deliver(np.uint16 if deep else np.uint8, progress)
        exif = read_header(context.blobs.read(photo.blob)).exif
        how = Encoding(slip.file.format, slip.file.quality, icc=srgb_icc(), exif=exif)
        return encode(pixels, how)

    await _say_progress(context, order, 0)
    return await asyncio.to_thread(work)


async def _say_progress(context: JobContext, order: HandOver, share: float) -> None:
    if await context.database.value("hand_over_rendering", hand_over=order.id, progress=share) is None:
        raise Cancelled


async def _deliver(context: JobContext, order: HandOver, ticket: Ticket, data: bytes) -> None:
    """Give the file to the desk. The key makes a repeated delivery the same delivery."""
    answer = await context.desks.post(
        f"/desks/{ticket.desk}/inbox",
        headers={
            "Authorization": f"Bearer {context.settings.desk_token}",
            "Idempotency-Key": str(order.id),
        },
        data={"order": ticket.number},
        files={"file": (order.file_name, data, "application/octet-stream")},
    )
    answer.raise_for_status()
    said = answer.json()
    await _end(context, order, "accepted" if said["accepted"] else "returned", said["reasons"], said["receipt"])


async def _end(
    context: JobContext, order: HandOver, state: str, reasons: list[str], receipt: str | None = None
) -> None:
    await context.database.value("hand_over_ended", hand_over=order.id, state=state, reasons=reasons, receipt=receipt)
