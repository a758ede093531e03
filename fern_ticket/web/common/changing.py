"""What every route that changes a photo needs: the photo, its newest revision, the lease, and one way to save."""

from __future__ import annotations

from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from dataclasses import dataclass
from typing import Annotated, cast
from uuid import UUID

from fastapi import Depends, HTTPException, Request

from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import frames_of
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.source.operation import Opener
from fern_ticket.store.database import Queries, Transaction
from fern_ticket.store.records import Ledger, Photo, User
from fern_ticket.web.common.leasing import refuse_if_held
from fern_ticket.web.common.problems import Stale
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.turns import Turns
from fern_ticket.web.common.who import SignedIn


@dataclass(frozen=True)
class PhotoInHand:
    """A photo that this person may change.

    Attributes
    ----------
    row, head
        The photo, and its newest revision.
    other
        Opens the pictures of its ticket, and no others.
    """

    shared: Shared
    user: User
    row: Photo
    head: Ledger
    other: Opener

    @property
    def source(self) -> Source:
        return self.shared.opening.source(self.row.blob)

    @asynccontextmanager
    async def transaction(self) -> AsyncIterator[Transaction]:
        """What is changed in it is kept together, and only while nobody else has taken the photo on the bench."""
        async with self.shared.database.transaction() as within:
            await refuse_if_held(within, self.row.id, self.user)
            yield within

    async def save(self, summary: str, steps: Sequence[Step], expected: int) -> Ledger:
        """Write a revision after the one that is expected to be newest.

        Raises
        ------
        Stale
            Somebody else was quicker.
        """
        async with self.transaction() as within:
            ledgers = self.shared.ledgers
            made = await ledgers.add(within, self.row.id, expected, summary, steps, self.user.id)
            if made is None:
                raise Stale
            await self.frames_follow(within, steps)
        saved = await self.shared.ledgers.at(self.row.id, made)
        assert saved is not None
        return saved

    async def frames_follow(self, within: Queries, steps: Sequence[Step]) -> None:
        """Frames that come into the starting picture with new steps are material; those that leave it are delivered."""
        before, now = ({name for step in some for name in frames_of(step)} for some in (self.head.steps, steps))
        for frames, material in ((now - before, True), (before - now, False)):
            if frames:
                about = {"ticket": self.row.ticket, "photo": self.row.id, "blobs": sorted(frames)}
                await within.run("set_frames_material", **about, material=material)


async def photo_in_hand(shared: Shared, photo: UUID, user: User) -> PhotoInHand:
    """The photo, for somebody who wants to change it.

    Raises
    ------
    Held
        It is on somebody else's bench.
    HTTPException
        There is no such photo, or it is not ready.
    """
    row = await photo_row(shared, photo)
    await refuse_if_held(shared.database, photo, user)
    return PhotoInHand(shared, user, row, await head_of(shared, photo), await shared.opening.of_ticket(row.ticket))


async def _photo_in_hand(
    photo: UUID, shared: SharedState, user: SignedIn, request: Request
) -> AsyncIterator[PhotoInHand]:
    async with cast(Turns, request.app.state.changing).of(user.id):
        yield await photo_in_hand(shared, photo, user)


InHand = Annotated[PhotoInHand, Depends(_photo_in_hand)]


async def photo_row(shared: Shared, photo: UUID) -> Photo:
    row = await shared.database.row(Photo, "photo_by_id", photo=photo)
    if row is None:
        raise HTTPException(404, "There is no such photo.")
    return row


async def head_of(shared: Shared, photo: UUID) -> Ledger:
    found = await shared.ledgers.head(photo)
    if found is None:
        raise HTTPException(404, "There is no such photo, or it is still being prepared.")
    return found
