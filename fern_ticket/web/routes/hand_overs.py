"""Handing photos over to their desk: one, or all of a ticket that are ready."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, HTMLResponse, Response
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask

from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.deferring import defer_hand_over
from fern_ticket.jobs.handing_over import answered, settle_hand_over
from fern_ticket.jobs.naming import name_of, plain_name
from fern_ticket.store.records import Delivery, HandOver, Id, Photo, Ticket, User, Words
from fern_ticket.store.ways import WayOfTicket
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.changing import head_of, photo_row
from fern_ticket.web.common.files import PICTURES, a_file
from fern_ticket.web.common.happening import Acts
from fern_ticket.web.common.problems import Stale
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.waiting import Asker, Asking
from fern_ticket.web.common.who import SignedIn
from fern_ticket.web.reports.delivered import Delivered, delivered_of
from fern_ticket.web.reports.parcel import archive
from fern_ticket.web.reports.report import report_html, report_pdf

router = APIRouter(prefix="/api", tags=["hand-over"])

RenditionName = Literal["web", "profile"]


class HandOverView(HandOver):
    """A hand-over, and how it stands on each way."""

    deliveries: list[Delivery]


class HandOverPage(BaseModel):
    """What would be handed over now, and what was before."""

    file_name: str
    ways: list[WayOfTicket]
    format: str
    quality: int
    long_side: int | None
    past: list[HandOverView]


class Ask(BaseModel):
    expected: int
    renditions: Annotated[list[RenditionName], Field(max_length=2)] = []


class AskForAll(BaseModel):
    """`checked`: photos that hold their slip as they are now; `worked_on`: every photo with steps."""

    photos: Literal["checked", "worked_on"] = "checked"
    renditions: Annotated[list[RenditionName], Field(max_length=2)] = []


class PersonAnswer(BaseModel):
    accepted: bool
    reasons: Annotated[list[Annotated[str, Field(max_length=500)]], Field(max_length=20)] = []


class Asked(BaseModel):
    """How many photos were handed over, and why others were not."""

    started: int
    left_out: list[str]


@router.get("/photos/{photo}/hand-overs")
async def page(photo: UUID, shared: SharedState, _: SignedIn) -> HandOverPage:
    row, ticket = await _photo_and_ticket(shared, photo)
    slip = Slip.model_validate(ticket.slip)
    past = await shared.database.rows(HandOver, "hand_overs_of_photo", photo=photo)
    return HandOverPage(
        file_name=await name_of(shared.database, row, ticket, slip),
        ways=await shared.database.rows(WayOfTicket, "ways_of_ticket", ticket=ticket.id),
        format=slip.file.format,
        quality=slip.file.quality,
        long_side=slip.long_side,
        past=[await _view(shared, one) for one in past],
    )


@router.post("/photos/{photo}/hand-overs", status_code=202)
async def ask(photo: UUID, asked: Ask, shared: SharedState, user: SignedIn) -> HandOverView:
    """Start handing over the revision that the page shows. Goes on in the background."""
    row, ticket = await _photo_and_ticket(shared, photo)
    if row.material:
        raise HTTPException(409, "This photo is material for others. Say on its ticket that it is to be delivered.")
    head = await head_of(shared, photo)
    if head.revision != asked.expected:
        raise Stale
    made = await _start(shared, row, ticket, head.revision, list(asked.renditions), user)
    if made is None:
        raise HTTPException(409, "This photo is being handed over already.")
    return await _hand_over(shared, made)


@router.post("/tickets/{number}/hand-overs", status_code=202)
async def ask_for_all(number: str, asked: AskForAll, shared: SharedState, user: SignedIn) -> Asked:
    """Hand over every photo of a ticket that is ready. Refused where two would get the same name."""
    ticket = await ticket_row(shared, number)
    photos = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    stages = ("checked",) if asked.photos == "checked" else ("checked", "bench", "returned")
    chosen = [photo for photo in photos if photo.wanted and photo.stage in stages and photo.steps]
    slip = Slip.model_validate(ticket.slip)
    names = Counter(plain_name(photo, ticket, slip) for photo in chosen)
    twice = [name for name, count in names.items() if count > 1]
    if twice:
        raise HTTPException(
            409, f"Several photos would be called {twice[0]}. Put {{number}} or {{photo}} into the slip's name pattern."
        )
    started, left_out = 0, []
    for photo in chosen:
        head = await head_of(shared, photo.id)
        try:
            made = await _start(shared, photo, ticket, head.revision, list(asked.renditions), user)
        except HTTPException as error:
            left_out.append(f"{photo.title}: {error.detail}")
            continue
        started += made is not None
        if made is None:
            left_out.append(f"{photo.title}: is being handed over already")
    return Asked(started=started, left_out=left_out)


@router.get("/tickets/{number}/delivery.zip", response_class=FileResponse, responses=a_file("application/zip"))
async def delivery(number: str, shared: SharedState, asking: Asking) -> FileResponse:
    """Everything that was made for the desk: files, further sizes, manifest and check report."""
    ticket, all_of_it = await _delivered(shared, number, asking)
    folder = shared.settings.data / "parcels"
    path = await asking.told(lambda: archive(ticket, all_of_it, shared.blobs, folder))
    return FileResponse(path, filename=f"{ticket.number}.zip", background=BackgroundTask(path.unlink, missing_ok=True))


@router.get("/tickets/{number}/report.html", response_class=HTMLResponse)
async def html_report(number: str, shared: SharedState, asking: Asking) -> HTMLResponse:
    ticket, all_of_it = await _delivered(shared, number, asking)
    return HTMLResponse(await asking.told(lambda: report_html(ticket, all_of_it)))


@router.get("/tickets/{number}/report.pdf", response_class=Response, responses=a_file("application/pdf"))
async def pdf_report(number: str, shared: SharedState, asking: Asking) -> Response:
    ticket, all_of_it = await _delivered(shared, number, asking)
    return Response(await asking.told(lambda: report_pdf(ticket, all_of_it)), media_type="application/pdf")


@router.get("/hand-overs/{hand_over}")
async def state(hand_over: UUID, shared: SharedState, _: SignedIn) -> HandOverView:
    return await _hand_over(shared, hand_over)


@router.post("/photos/{photo}/hand-overs/{hand_over}/cancel")
async def cancel(photo: UUID, hand_over: UUID, shared: SharedState, _: SignedIn) -> HandOverView:
    """Stop it if the desk does not have it yet."""
    await shared.database.value("cancel_hand_over", hand_over=hand_over, photo=photo)
    return await _hand_over(shared, hand_over)


@router.get("/hand-overs/{hand_over}/file", response_class=FileResponse, responses=a_file(*PICTURES.values()))
async def file(hand_over: UUID, shared: SharedState, _: SignedIn) -> FileResponse:
    """The delivered file itself."""
    row = await _hand_over(shared, hand_over)
    if row.blob is None:
        raise HTTPException(404, "There is no file yet.")
    return FileResponse(shared.blobs.path(row.blob), filename=row.file_name)


@router.put("/hand-overs/{hand_over}/answers/{way}")
async def answer(hand_over: UUID, way: UUID, asked: PersonAnswer, shared: SharedState, person: Acts) -> HandOverView:
    """What a receiver said who does not answer by itself: accepted, or returned with reasons."""
    row = await _hand_over(shared, hand_over)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=row.photo)
    delivery = next((one for one in row.deliveries if one.way == way), None)
    if delivery is None or ticket is None:
        raise HTTPException(404, "It was not given on this way.")
    if delivery.answers == "itself" or delivery.state != "delivered":
        raise HTTPException(409, "There is nothing to answer: it is not there yet, or has its answer.")
    reasons = [reason.strip() for reason in asked.reasons if reason.strip()]
    if not asked.accepted and not reasons:
        raise HTTPException(422, "Say why it came back, so that it can be mended.")
    state = "accepted" if asked.accepted else "returned"
    async with shared.database.transaction() as within:
        if not await answered(within, row, delivery, state, [] if asked.accepted else reasons):
            raise HTTPException(409, "Somebody else noted an answer in the meantime.")
        await person.did(within, f"noted the answer of {delivery.name}: {state}", photo=row.photo)
        await settle_hand_over(within, row, ticket)
    return await _hand_over(shared, hand_over)


async def _view(shared: Shared, row: HandOver) -> HandOverView:
    deliveries = await shared.database.rows(Delivery, "deliveries_of", hand_over=row.id)
    return HandOverView(**row.model_dump(), deliveries=deliveries)


async def _hand_over(shared: Shared, hand_over: UUID) -> HandOverView:
    row = await shared.database.row(HandOver, "hand_over_by_id", hand_over=hand_over)
    if row is None:
        raise HTTPException(404, "There is no such hand-over.")
    return await _view(shared, row)


async def _photo_and_ticket(shared: Shared, photo: UUID) -> tuple[Photo, Ticket]:
    row = await photo_row(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None:
        raise HTTPException(404, "There is no such photo.")
    return row, ticket


async def _start(
    shared: Shared, photo: Photo, ticket: Ticket, revision: int, renditions: list[str], user: User
) -> UUID | None:
    """None when the photo is on its way already."""
    if not await shared.database.rows(WayOfTicket, "ways_of_ticket", ticket=ticket.id):
        raise HTTPException(
            409, f"{ticket.number} has no way out yet. Choose where its photos go, on the ticket's page."
        )
    if ticket.state != "open":
        raise HTTPException(409, f"{ticket.number} is {ticket.state.replace('_', ' ')}. Open it again first.")
    name = await name_of(shared.database, photo, ticket, Slip.model_validate(ticket.slip))
    taken = await shared.database.rows(Words, "file_names_of_ticket", ticket=ticket.id, photo=photo.id)
    if name in {one.words for one in taken}:
        raise HTTPException(
            409, f"Another photo of this ticket is called {name}. Put {{number}} or {{photo}} into the name pattern."
        )
    made = await shared.database.row(
        Id, "add_hand_over", photo=photo.id, revision=revision, file_name=name, wanted=renditions, user=user.id
    )
    if made is None:
        return None
    await defer_hand_over(shared.queue, str(made.id))
    await shared.database.run("add_event_of_photo", photo=photo.id, what=f"handed over as {name}", who=user.name)
    return made.id


async def _delivered(shared: Shared, number: str, asking: Asker) -> tuple[Ticket, list[Delivered]]:
    ticket = await ticket_row(shared, number)
    found = await delivered_of(shared, ticket, asking)
    if not found:
        raise HTTPException(404, "Nothing of this ticket was handed over yet.")
    return ticket, found
