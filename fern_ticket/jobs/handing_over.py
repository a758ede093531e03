"""Handing a photo over: made, kept, given to its desk, and answered.

Every part may be repeated after a crash without delivering twice: the file is made once and kept, the desk knows a
delivery by its key, and its answer is asked for until it comes.
"""

from __future__ import annotations

import asyncio
import logging
import time
from typing import Any
from uuid import UUID

import cv2
import httpx
import numpy as np
from psycopg.types.json import Jsonb

from fern_ticket.core.errors import FernError
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.slips.delivering import RENDITIONS, Rendition, rendition_of
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.checking import keep_check
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.making import Made, make
from fern_ticket.store.errors import StoreError
from fern_ticket.store.records import HandOver, Ledger, Photo, Ticket

log = logging.getLogger("fern.jobs")

#: Kept beside each delivery for its report.
PREVIEW = Rendition("preview", 560)
#: Seconds until a desk that did not take a file, or has not answered, is asked again: doubled each time, to the last.
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
        if order.state == "delivering":
            await _deliver(context, order, ticket)
            order = await _again(context, order)
        if order.state == "delivered":
            return await _ask(context, order, ticket)
    except Cancelled:
        log.info("hand-over %s was cancelled", order.id)
    except httpx.HTTPStatusError as error:
        if error.response.status_code < 500 and error.response.status_code != 429:
            await _end(context, order, "failed", [_said(error.response)])
            return None
        return await _wait(context, order, error)
    except httpx.HTTPError as error:
        return await _wait(context, order, error)
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


async def _wait(context: JobContext, order: HandOver, error: httpx.HTTPError) -> float:
    """The desk is down or slow: ask again later."""
    wait = _wait_for(order.attempts)
    log.warning("the desk did not take %s, again in %g s: %s", order.file_name, wait, error)
    await context.database.run("hand_over_waits", hand_over=order.id, seconds=wait)
    return wait


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


async def _deliver(context: JobContext, order: HandOver, ticket: Ticket) -> None:
    """Give the file to the desk. The key makes a repeated delivery the same delivery."""
    assert order.blob is not None
    data = await asyncio.to_thread(context.blobs.read, order.blob)
    answer = await context.desks.post(
        f"/desks/{ticket.desk}/inbox",
        headers=_sender(context) | {"Idempotency-Key": str(order.id)},
        data={"order": ticket.number},
        files={"file": (order.file_name, data, "application/octet-stream")},
    )
    answer.raise_for_status()
    await context.database.run("hand_over_delivered", hand_over=order.id, receipt=answer.json()["receipt"])


async def _ask(context: JobContext, order: HandOver, ticket: Ticket) -> float | None:
    """The desk's answer, or how long to wait for it."""
    answer = await context.desks.get(f"/desks/{ticket.desk}/inbox/{order.id}", headers=_sender(context))
    answer.raise_for_status()
    said = answer.json()
    if said["accepted"] is None:
        await context.database.run("hand_over_waits", hand_over=order.id, seconds=_wait_for(order.attempts))
        return min(_wait_for(order.attempts), float(said["seconds"]) or 1.0)
    if said["accepted"]:
        await _end(context, order, "accepted", [], said["receipt"])
        return None
    await _end(context, order, "returned", said["reasons"], said["receipt"], pinned_by=ticket.desk)
    return None


def _sender(context: JobContext) -> dict[str, str]:
    return {"Authorization": f"Bearer {context.settings.desk_token}"}


def _said(response: httpx.Response) -> str:
    try:
        return f"The desk refuses it: {response.json()['detail']}"
    except (ValueError, KeyError, TypeError):
        return f"The desk refuses it (status {response.status_code})."


async def _end(
    context: JobContext,
    order: HandOver,
    state: str,
    reasons: list[str],
    receipt: str | None = None,
    pinned_by: str | None = None,
) -> None:
    """End it, with what happened and, from a desk, its reasons as notes: all of that or nothing."""
    async with context.database.transaction() as within:
        ended = await within.value("hand_over_ended", hand_over=order.id, state=state, reasons=reasons, receipt=receipt)
        if ended is None:
            return
        what = {"accepted": "accepted by the desk", "returned": "returned by the desk"}.get(state, f"hand-over {state}")
        detail = f": {reasons[0]}" if reasons else ""
        await within.run("add_event_of_photo", photo=order.photo, what=what + detail, who=order.file_name)
        for reason in reasons if pinned_by is not None else ():
            await within.run("add_note", photo=order.photo, x=None, y=None, text=reason, author=pinned_by, side="desk")
