"""Taking back what was lent: laid over its photo as a piece that covers what was changed."""

from __future__ import annotations

import asyncio
from uuid import UUID

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import station_of
from fern_ticket.core.render.lending import Mark, changed, mask_file
from fern_ticket.jobs.context import JobContext
from fern_ticket.store.records import Photo

#: Times that a change is tried again when somebody else was quicker.
_TRIES = 5


async def take_back(context: JobContext, photo_id: str, blob: str, revision: int) -> None:
    """Lay a file that came back over its photo. What it comes to is told on the ticket."""
    photo = await context.database.row(Photo, "photo_by_id", photo=UUID(photo_id))
    if photo is None or photo.state != "ready":
        return
    try:
        said = await _laid(context, photo, blob, Mark(photo_id, revision))
    except FernError as error:
        said = f"could not be taken back: {error}"
    await context.database.run("add_event_of_photo", photo=photo.id, what=said, who="lent")


async def _laid(context: JobContext, photo: Photo, blob: str, mark: Mark) -> str:
    lent = await context.ledgers.at(photo.id, mark.revision)
    if lent is None:
        raise PictureError("The state that was lent is not there any more.", "Lend the photo again.")
    other = await context.opening.of_ticket(photo.ticket)
    await asyncio.to_thread(context.prepared.prepare, blob)

    def compare() -> str | None:
        before = context.opening.picture(photo.blob, [one for one in lent.steps if station_of(one).before_light], other)
        share = changed(before.repaired, context.opening.source(blob))
        return None if share is None else context.blobs.add(mask_file(share))

    mask = await asyncio.to_thread(compare)
    if mask is None:
        context.prepared.forget(blob)
        return "taken back unchanged"
    await asyncio.to_thread(context.prepared.prepare, mask)
    width, height = context.opening.source(blob).size
    params = {
        "picture": blob,
        "title": "taken back",
        "at": (width / 2, height / 2),
        "scale": 1.0,
        "cover": {"parts": [{"shape": {"kind": "bitmap", "file": mask}}]},
    }
    step = Step.model_validate({"op": "piece", "params": params})
    for _ in range(_TRIES):
        head = await context.ledgers.head(photo.id)
        assert head is not None
        async with context.database.transaction() as within:
            await within.run("keep_with_photo", photo=photo.id, blobs=[blob, mask])
            steps = [*head.steps, step]
            made = await context.ledgers.add(within, photo.id, head.revision, "Take back what was lent", steps, None)
        if made is not None:
            return "taken back"
    raise PictureError("The photo was changed at the same moment.", "Bring it again.")
