"""The open form of an archived ticket. Its JSON schema is published with the interface."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.masks import BitmapMask
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import parameters_of
from fern_ticket.core.orders.order import Kind, Request
from fern_ticket.core.slips.lines import Verdict
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import ClientWords, Facts, HandOverState, MadeRendition, TicketState

Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
Text = Annotated[str, Field(max_length=8000)]


class _Archived(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ArchivedSplice(_Archived):
    """In the list of the parent's steps, `gone` from `at` on replaced by others."""

    at: int = Field(ge=0)
    gone: int = Field(ge=0)
    new: list[Digest]


class ArchivedRevision(_Archived):
    """A state of a ledger: its whole list of steps, or what it changes of its parent's."""

    number: int
    parent: int | None
    summary: Text
    step_count: int
    digests: list[Digest] | None
    splices: list[ArchivedSplice] | None
    depth: int
    made_at: AwareDatetime


class ArchivedNote(_Archived):
    x: float | None = Field(ge=0, le=1)
    y: float | None = Field(ge=0, le=1)
    text: str = Field(min_length=1, max_length=2000)
    author: Text
    side: Literal["client", "editor", "desk"]
    done_at: AwareDatetime | None
    made_at: AwareDatetime


class ArchivedTick(_Archived):
    revision: int
    words: Text


class ArchivedHandOver(_Archived):
    revision: int
    file_name: str = Field(min_length=1, max_length=200, pattern=r"^[A-Za-z0-9_.\-]+$")
    state: HandOverState
    blob: Sha256 | None
    bytes: int | None
    reasons: list[Text]
    receipt: Text | None
    renditions: list[MadeRendition]
    wanted: list[Text]
    verdicts: list[Verdict]
    asked_at: AwareDatetime
    ended_at: AwareDatetime | None


class ArchivedPhoto(_Archived):
    title: str = Field(min_length=1, max_length=120)
    note: Text
    material: bool = Field(default=False, description="Brought for others to be made with; not delivered itself.")
    original: Sha256
    former: list[Sha256]
    facts: Facts
    head: int
    tip: int
    revisions: list[ArchivedRevision] = Field(min_length=1)
    steps: dict[Digest, dict[str, Any]]
    notes: list[ArchivedNote]
    ticks: list[ArchivedTick]
    hand_overs: list[ArchivedHandOver]
    looked_at: list[int] = Field(description="Cells of the walkover.")


class ArchivedClient(_Archived):
    name: str = Field(min_length=1, max_length=120)
    contact: Text
    words: ClientWords
    taste: Text
    name_pattern: Text


class ArchivedTicket(_Archived):
    """One ticket, whole. Files are named by the SHA-256 of their bytes and lie beside it as `files/SHA-256`."""

    model_config = ConfigDict(extra="forbid", title="Fern Ticket archive")

    form: Literal["fern-ticket archive 1"] = "fern-ticket archive 1"
    number: str = Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,38}$")
    title: str = Field(min_length=1, max_length=120)
    client: ArchivedClient
    kind: Kind
    brief: Text
    slip: Slip
    slip_version: int
    due_at: AwareDatetime
    state: TicketState
    reason: Text
    requests: list[Request]
    photos: list[ArchivedPhoto]

    def files(self) -> set[str]:
        """Every file that it needs."""
        found = set()
        for photo in self.photos:
            found |= {photo.original, *photo.former}
            for one in photo.hand_overs:
                found |= {rendition.blob for rendition in one.renditions}
                found |= {one.blob} if one.blob else set()
        return found

    def refuse_damaged(self) -> None:
        """Every revision can be read: its steps are there, and are steps.

        Raises
        ------
        FernError
            Says what cannot be read.
        """
        for photo in self.photos:
            _refuse_wrong_steps(photo)
            lists: dict[int, list[str]] = {}
            for revision in sorted(photo.revisions, key=lambda one: one.number):
                if revision.parent is not None and revision.parent not in lists:
                    raise _damaged(photo, "a revision comes before the one that it follows")
                lists[revision.number] = _listed(photo, revision, lists)
            named = {photo.head, photo.tip, *(tick.revision for tick in photo.ticks)}
            named |= {one.revision for one in photo.hand_overs}
            if not named <= lists.keys():
                raise _damaged(photo, "a revision that is named is not there")


class Contents(_Archived):
    """What lies in an archive: the bytes and the SHA-256 of each of its files."""

    files: dict[str, Entry]


class Entry(_Archived):
    bytes: int = Field(ge=0)
    sha256: Sha256


def archive_schema() -> dict[str, Any]:
    """The JSON schema of `ticket.json` (JSON Schema 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **ArchivedTicket.model_json_schema()}


def _refuse_wrong_steps(photo: ArchivedPhoto) -> None:
    """Each by itself: the same step stands in several revisions with other parameters."""
    for body in photo.steps.values():
        (step,) = read_steps([body])
        parameters_of(step)
        if isinstance(step.mask, BitmapMask):
            raise _damaged(photo, "a mask names a file")


def _listed(photo: ArchivedPhoto, revision: ArchivedRevision, lists: dict[int, list[str]]) -> list[str]:
    if revision.digests is not None:
        listed = list(revision.digests)
    elif revision.parent is not None:
        listed = list(lists[revision.parent])
    else:
        raise _damaged(photo, "a revision has neither steps nor a parent")
    for splice in revision.splices or ():
        if splice.at + splice.gone > len(listed):
            raise _damaged(photo, "a revision changes steps that are not there")
        listed[splice.at : splice.at + splice.gone] = splice.new
    if len(listed) != revision.step_count or not photo.steps.keys() >= set(listed):
        raise _damaged(photo, "steps are missing")
    return listed


def _damaged(photo: ArchivedPhoto, what: str) -> FernError:
    return FernError(f"The archive is damaged: of {photo.title}, {what}.", "Make it again where the ticket is.")


Contents.model_rebuild()
