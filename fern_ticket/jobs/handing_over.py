"""Handing a photo over: made, kept, given to each of its ticket's ways out, and answered by each.

Every part may be repeated after a crash without delivering twice: the file is made once and kept, a receiver knows a
delivery by its key or by the file that lies there, and its answer is asked for until it comes.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import logging
import time
from typing import Any
from uuid import UUID

import cv2
import numpy as np
from psycopg.types.json import Jsonb

from fern_ticket.core.errors import FernError
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.slips.delivering import RENDITIONS, Rendition, rendition_of
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.checking import keep_check
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.making import Made, make
from fern_ticket.jobs.ways.giving import File, NotNow, Parcel
from fern_ticket.jobs.ways.opening import way_of
from fern_ticket.store.database import Queries
from fern_ticket.store.errors import StoreError
from fern_ticket.store.records import Delivery, HandOver, Ledger, Photo, Ticket

log = logging.getLogger("fern.jobs")

#: Kept beside each delivery for its report.
PREVIEW = Rendition("preview", 560)
#: Seconds until a receiver that did not take a file, or has not answered, is asked again: doubled up to the last.
_FIRST_WAIT, _LONGEST_WAIT = 2.0, 600.0


class Cancelled(Exception):
    """A person cancelled the hand-over, or somebody else ended it."""


async def hand_over(context: JobContext, hand_over_id: str) -> float | None:
    """Go on with a hand-over from where it stands. Returns after how many seconds to go on again, None at its end."""
    database = context.database
    order = await database.row(HandOver, "hand_over_by_id", hand_over=UUID(hand_over_id))
    if order is None or order.ended_at is not None:
        return None
    ticket = await database.row(Ticket, "ticket_of_photo", photo=order.photo)
    photo = await database.row(Photo, "photo_by_id", photo=order.photo)
    ledger = await context.ledgers.at(order.photo, order.revision)
    if ticket is None or photo is None or ledger is None:
        await _end(context, order, "failed", ["The photo or its ledger is gone."])
        return None
    try:
        if order.blob is None:
            await _make(context, order, photo, ledger, Slip.model_validate(ticket.slip))
            order = await _again(context, order)
        return await _go_round(context, order, photo, ticket)
    except Cancelled:
        log.info("hand-over %s was cancelled", order.id)
    except FernError as error:
        await _end(context, order, "failed", [str(error)])
    except StoreError:
        raise  # it goes on from where its row stands, once the database answers
    except Exception:
        log.exception("hand-over %s failed", order.id)
        await _end(context, order, "failed", ["It failed unexpectedly; the server's log says why."])
    return None


async def give_up(context: JobContext, hand_over_id: str) -> None:
    order = await context.database.row(HandOver, "hand_over_by_id", hand_over=UUID(hand_over_id))
    if order is not None:
        await _end(
            context,
            order,
            "failed",
            ["It stopped the worker several times. Hand over again, or ask for help."],
        )


def _wait_for(attempts: int) -> float:
    return float(min(_FIRST_WAIT * 2 ** min(attempts, 12), _LONGEST_WAIT))


async def _again(context: JobContext, order: HandOver) -> HandOver:
    found = await context.database.row(HandOver, "hand_over_by_id", hand_over=order.id)
    if found is None or found.ended_at is not None:
        raise Cancelled
    return found


async def _make(context: JobContext, order: HandOver, photo: Photo, ledger: Ledger, slip: Slip) -> None:
    loop = asyncio.get_running_loop()
    told = 0.0

    def progress(share: float) -> None:
        nonlocal told
        if time.monotonic() - told < 0.25:
            return
        told = time.monotonic()
        asyncio.run_coroutine_threadsafe(_say_progress(context, order, share), loop).result(timeout=30)

    await _say_progress(context, order, 0)
    made = await make(context, photo, ledger, slip, order.file_name, progress)
    blob = await asyncio.to_thread(context.blobs.add, made.data)
    renditions = await asyncio.to_thread(_renditions, context, order, made, slip)
    await keep_check(context, photo, order.revision, made.verdicts)
    kept = await context.database.value(
        "hand_over_delivering",
        hand_over=order.id,
        blob=blob,
        bytes=len(made.data),
        renditions=Jsonb(renditions),
        verdicts=Jsonb([verdict.model_dump(mode="json") for verdict in made.verdicts]),
    )
    if kept is None:
        raise Cancelled


def _renditions(context: JobContext, order: HandOver, made: Made, slip: Slip) -> list[dict[str, Any]]:
    """The further sizes that were wanted, and the preview for the report, kept as blobs."""
    stem = order.file_name.rpartition(".")[0]
    out = []
    for rendition in [PREVIEW, *(RENDITIONS[name] for name in order.wanted if name in RENDITIONS)]:
        data = rendition_of(_smaller(made.pixels, rendition), rendition, slip, made.said)
        blob = context.blobs.add(data)
        name = f"{stem}_{rendition.name}.jpg"
        out.append({"name": rendition.name, "file_name": name, "blob": blob, "bytes": len(data)})
    return out


def _smaller(pixels: Pixels, rendition: Rendition) -> Pixels:
    """Whole shares of a large picture first: every pixel counts, and the last step has little to do."""
    factor = min(pixels.shape[:2]) // (2 * rendition.long_side)
    if factor < 2:
        return pixels
    size = (pixels.shape[1] // factor, pixels.shape[0] // factor)
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))


async def _say_progress(context: JobContext, order: HandOver, share: float) -> None:
    if await context.database.value("hand_over_rendering", hand_over=order.id, progress=share) is None:
        raise Cancelled


async def _go_round(context: JobContext, order: HandOver, photo: Photo, ticket: Ticket) -> float | None:
    """Every way that is not done yet and due, further. Returns after how many seconds to go round again."""
    waits: list[float] = []
    for delivery in await context.database.rows(Delivery, "deliveries_of", hand_over=order.id):
        if delivery.state not in ("waiting", "delivered"):
            continue
        due = _due_in(delivery)
        wait = due if due > 0 else await _further(context, order, delivery, photo, ticket)
        if wait is not None:
            waits.append(wait)
    await settle_hand_over(context.database, order, ticket)
    return min(waits) if waits else None


def _due_in(delivery: Delivery) -> float:
    """Seconds until it is time to ask again; none for a way that was not told to wait."""
    return 0.0 if delivery.ask_again_at is None else delivery.ask_again_at.timestamp() - time.time()


async def _further(
    context: JobContext, order: HandOver, delivery: Delivery, photo: Photo, ticket: Ticket
) -> float | None:
    """One way, from where it stands. Returns after how many seconds to go on, None when nothing is left to do."""
    of = {"hand_over": order.id, "way": delivery.way}
    key = str(order.id)
    try:
        if delivery.state == "waiting":
            way = await way_of(context, delivery.way)
            parcel = await asyncio.to_thread(_parcel, context, order, key, photo, ticket)
            receipt = await way.give(parcel)
            state = "accepted" if delivery.answers == "arrival" else "delivered"
            async with context.database.transaction() as within:
                await within.run("delivery_given", **of, state=state, receipt=receipt)
                await settle_hand_over(within, order, ticket)
            delivery = delivery.model_copy(update={"state": state, "attempts": 0})
        if delivery.state != "delivered" or delivery.answers != "itself":
            return None
        answer = await (await way_of(context, delivery.way)).answer(key)
    except NotNow as error:
        wait = _wait_for(delivery.attempts)
        log.warning("hand-over %s was not taken, again in %g s: %s", order.id, wait, type(error).__name__)
        await context.database.run("delivery_waits", **of, seconds=wait, trouble=str(error))
        return wait
    except FernError as error:
        async with context.database.transaction() as within:
            await answered(within, order, delivery, "failed", [str(error)])
            await settle_hand_over(within, order, ticket)
        return None
    if answer.accepted is None:
        wait = min(_wait_for(delivery.attempts), answer.seconds or 1.0)
        await context.database.run("delivery_waits", **of, seconds=wait, trouble="")
        return wait
    state = "accepted" if answer.accepted else "returned"
    async with context.database.transaction() as within:
        await answered(within, order, delivery, state, answer.reasons, answer.receipt)
        await settle_hand_over(within, order, ticket)
    return None


def _parcel(context: JobContext, order: HandOver, key: str, photo: Photo, ticket: Ticket) -> Parcel:
    assert order.blob is not None
    file = File(order.file_name, context.blobs.read(order.blob))
    further = [File(one.file_name, context.blobs.read(one.blob)) for one in order.renditions if one.name != "preview"]
    said = {
        "ticket": ticket.number,
        "client": ticket.client,
        "photo": photo.title,
        "slip": ticket.slip["name"],
        "slip_version": ticket.slip_version,
        "original_sha256": photo.blob,
        "files": [
            {"file": one.name, "bytes": len(one.data), "sha256": hashlib.sha256(one.data).hexdigest()}
            for one in (file, *further)
        ],
        "measures": [verdict.model_dump(mode="json", exclude={"where"}) for verdict in order.verdicts],
    }
    text = json.dumps(said, indent=1, ensure_ascii=False)
    return Parcel(key, ticket.number, file, further, File(f"{order.file_name}.manifest.json", text.encode()))


async def answered(
    queries: Queries,
    order: HandOver,
    delivery: Delivery,
    state: str,
    reasons: list[str],
    receipt: str | None = None,
) -> bool:
    """Keep what a receiver said, its reasons as notes. False when it had answered before."""
    kept = await queries.value(
        "delivery_answered", hand_over=order.id, way=delivery.way, state=state, reasons=reasons, receipt=receipt
    )
    if kept is None:
        return False
    for reason in reasons if state == "returned" else ():
        await queries.run(
            "add_note", photo=order.photo, x=None, y=None, text=reason[:2000], author=delivery.name, side="desk"
        )
    return True


async def settle_hand_over(queries: Queries, order: HandOver, ticket: Ticket) -> None:
    """What the answers of all ways come to: accepted by every one, returned by one, or failed on the way to one."""
    deliveries = await queries.rows(Delivery, "deliveries_of", hand_over=order.id)
    if not deliveries:
        await _keep_end(
            queries, order, "failed", [f"{ticket.number} has no way out. Give it one, and hand over again."]
        )
        return
    states = [one.state for one in deliveries]
    if "waiting" in states:
        return
    await queries.run("hand_over_delivered", hand_over=order.id)
    if "delivered" in states:
        return
    ended = next((state for state in ("returned", "failed") if state in states), "accepted")
    reasons = [reason for one in deliveries for reason in one.reasons]
    receipts = ", ".join(one.receipt for one in deliveries if one.receipt) or None
    names = " and ".join(one.name for one in deliveries if one.state == ended)
    await _keep_end(queries, order, ended, reasons, receipts, names)


async def _end(context: JobContext, order: HandOver, state: str, reasons: list[str]) -> None:
    async with context.database.transaction() as within:
        await _keep_end(within, order, state, reasons)


async def _keep_end(
    queries: Queries, order: HandOver, state: str, reasons: list[str], receipt: str | None = None, by: str = ""
) -> None:
    """End it, with what happened."""
    ended = await queries.value("hand_over_ended", hand_over=order.id, state=state, reasons=reasons, receipt=receipt)
    if ended is None:
        return
    what = f"{state} by {by}" if by and state != "failed" else f"hand-over {state}"
    detail = f": {reasons[0]}" if reasons else ""
    await queries.run("add_event_of_photo", photo=order.photo, what=what + detail, who=order.file_name)
