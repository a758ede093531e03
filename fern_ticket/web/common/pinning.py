"""Notes, pinned at places of a photo."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field, model_validator

from fern_ticket.web.common.state import Shared

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class NewNote(BaseModel):
    """Words, pinned at a share of the photo's width and height or about the whole."""

    text: str = Field(min_length=1, max_length=2000, pattern=r"\S")
    x: Share | None = None
    y: Share | None = None

    @model_validator(mode="after")
    def _whole_place(self) -> NewNote:
        if (self.x is None) != (self.y is None):
            raise ValueError("a place has both x and y")
        return self


async def pin(shared: Shared, photo: UUID, note: NewNote, author: str, side: str) -> None:
    await shared.database.run(
        "add_note", photo=photo, x=note.x, y=note.y, text=note.text.strip(), author=author, side=side
    )
    await shared.database.run("add_event_of_photo", photo=photo, what=f"note: {note.text.strip()[:80]}", who=author)
