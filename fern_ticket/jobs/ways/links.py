"""A page from which the receiver takes the files: nothing is sent, so nothing can fail."""

from __future__ import annotations

from fern_ticket.jobs.ways.giving import Answer, Parcel


class LinkWay:
    async def give(self, parcel: Parcel) -> str:
        return f"waits on the page of {parcel.ticket}"

    async def answer(self, _: str) -> Answer:
        return Answer(None, [])

    async def tried(self) -> str:
        return "Links can be made. The page shows whatever was handed over."
