"""A photo made and measured as its slip asks: what a check looks at and what a hand-over delivers, by the same code."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from fern_ticket.core.inspect.measures import sampled
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import decided_of, station_of
from fern_ticket.core.pictures.decode import Pixels, read_header
from fern_ticket.core.pictures.metadata import Metadata
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.delivering import delivery_steps, written
from fern_ticket.core.slips.files import measures_of_file
from fern_ticket.core.slips.lines import Verdict
from fern_ticket.core.slips.live import Known, measure
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.source.operation import Opener
from fern_ticket.jobs.context import JobContext
from fern_ticket.store.records import Ledger, Photo, Words


@dataclass(frozen=True)
class Made:
    """A photo as it is delivered.

    Attributes
    ----------
    data, pixels
        The file, and what is in it.
    said
        What it says of itself.
    verdicts
        How the slip's lines stand on the file.
    """

    data: bytes
    pixels: Pixels
    said: Metadata
    verdicts: list[Verdict]


async def make(
    context: JobContext,
    photo: Photo,
    ledger: Ledger,
    slip: Slip,
    name: str,
    progress: Callable[[float], None] = lambda _: None,
) -> Made:
    """Render, encode and measure one revision of a photo.

    Raises
    ------
    FernError
        In words for a person.
    """
    ticked = await context.database.rows(Words, "ticks", photo=photo.id, revision=ledger.revision)
    words = frozenset(one.words for one in ticked)
    other = await context.opening.of_ticket(photo.ticket)
    return await asyncio.to_thread(_make, context, photo, ledger.steps, other, slip, name, words, progress)


def _make(
    context: JobContext,
    photo: Photo,
    steps: Sequence[Step],
    other: Opener,
    slip: Slip,
    name: str,
    ticked: frozenset[str],
    progress: Callable[[float], None],
) -> Made:
    def picture_of(some: Sequence[Step]) -> LedgerPicture:
        return context.opening.picture(photo.blob, some, other)

    header = read_header(context.blobs.read(photo.blob))
    said = photo.said
    picture = picture_of(delivery_steps(steps, slip))
    data, pixels, full = written(
        picture, steps, slip, said, header.exif, lambda share: progress(0.8 * share), header.xmp, photo.sphere
    )
    # specks and traces are looked for on the photo's own pixels, as on the bench
    bench = picture_of(steps)
    planes, step = sampled(bench)
    known = Known(
        original=picture_of([one for one in steps if station_of(one).of_original]),
        altered=full.alterations,
        ticked=ticked,
        decided=decided_of(steps),
    )
    seen = measure(bench, slip, planes, step, known)
    progress(0.95)
    verdicts = slip.verdicts(measures_of_file(data, slip, name, seen))
    return Made(data, pixels, full, verdicts)
