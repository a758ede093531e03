"""A ticket as one ZIP file, out of one installation and into another."""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
from pathlib import Path
from uuid import UUID

from psycopg.types.json import Jsonb
from pydantic import BaseModel, ValidationError

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.steps import first_problem
from fern_ticket.core.threads import goes_on
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Queries
from fern_ticket.store.moving.form import ArchivedHandOver, ArchivedPhoto, ArchivedTicket, Contents, Entry
from fern_ticket.store.packing import packed
from fern_ticket.store.records import Id

_TICKET, _CONTENTS = "ticket.json", "contents.json"
_FILE = re.compile(r"files/([0-9a-f]{64})")
#: A hand-over that was on its way is not on its way elsewhere.
_UNDER_WAY = ("waiting", "rendering", "delivering", "delivered")
#: Most bytes of the two documents of an archive, unpacked.
_MOST_JSON = 512 << 20


class _Row(BaseModel, extra="allow"):
    """A row of the database that is in the archive's form already."""


async def archived(queries: Queries, ticket: UUID) -> ArchivedTicket:
    """A ticket in its archived form. Photos that are being prepared, were refused or lie in the bin are left out."""
    row = await queries.row(_Row, "archived_ticket", ticket=ticket)
    assert row is not None
    photos = []
    for one in await queries.rows(Id, "archived_photo_ids", ticket=ticket):
        photo = await queries.row(_Row, "archived_photo", photo=one.id)
        assert photo is not None
        told = photo.model_dump()
        for revision in told["revisions"]:
            # an empty list of digests is told as none
            whole = revision.pop("whole")
            revision["digests"] = (revision["digests"] or []) if whole else None
        photos.append(told)
    return ArchivedTicket.model_validate(row.model_dump() | {"photos": photos})


def write_archive(ticket: ArchivedTicket, blobs: Blobs, folder: Path) -> Path:
    """The archive as a ZIP file. The caller removes it."""
    told = ticket.model_dump_json(indent=1).encode()
    listed = {_TICKET: Entry(bytes=len(told), sha256=hashlib.sha256(told).hexdigest())}

    def fill(zipped: zipfile.ZipFile) -> None:
        zipped.writestr(_TICKET, told)
        for name in sorted(ticket.files()):
            goes_on()
            path = blobs.path(name)
            zipped.write(path, f"files/{name}")
            listed[f"files/{name}"] = Entry(bytes=path.stat().st_size, sha256=name)
        zipped.writestr(_CONTENTS, Contents(files=listed).model_dump_json(indent=1))

    return packed(folder, fill)


def read_archive(path: Path) -> ArchivedTicket:
    """What an archive holds, with every byte of it checked. Nothing is written.

    Raises
    ------
    FernError
        It is no archive, is damaged, lacks a file, or names one outside itself.
    """
    try:
        with zipfile.ZipFile(path) as zipped:
            return _read(zipped)
    except (zipfile.BadZipFile, NotImplementedError, EOFError) as error:
        raise FernError("This is no archive of a ticket, or it is damaged.", "Make it again, and bring it.") from error
    except ValidationError as error:
        raise FernError(f"The archive is not in our form: {first_problem(error)}.") from error
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise FernError("A document of the archive is no JSON.", "Make it again, and bring it.") from error


def _read(zipped: zipfile.ZipFile) -> ArchivedTicket:
    names = zipped.namelist()
    for name in names:
        if name not in (_TICKET, _CONTENTS) and not _FILE.fullmatch(name):
            raise FernError(f"The archive holds {name[:80]!r}, which has no place in one.", "Nothing of it was taken.")
    if len(set(names)) != len(names) or not {_TICKET, _CONTENTS} <= set(names):
        raise FernError("The archive lacks a document, or has one twice.", "Make it again, and bring it.")
    if any(zipped.getinfo(name).file_size > _MOST_JSON for name in (_TICKET, _CONTENTS)):
        raise FernError("A document of the archive is too large.")
    contents = Contents.model_validate_json(zipped.read(_CONTENTS))
    if set(contents.files) != set(names) - {_CONTENTS}:
        raise FernError("The archive does not hold what its contents say.", "Make it again, and bring it.")
    for name, entry in contents.files.items():
        goes_on()
        if zipped.getinfo(name).file_size != entry.bytes or _sha256(zipped, name) != entry.sha256:
            raise FernError(f"{name} in the archive is damaged.", "Nothing was taken. Make the archive again.")
        found = _FILE.fullmatch(name)
        if found and found[1] != entry.sha256:
            raise FernError(f"{name} in the archive is another file than its name says.", "Nothing was taken.")
    ticket = ArchivedTicket.model_validate_json(zipped.read(_TICKET))
    missing = {f"files/{name}" for name in ticket.files()} - set(names)
    if missing:
        raise FernError("The archive lacks a file that its ticket needs.", "Make it again, and bring it.")
    ticket.refuse_damaged()
    return ticket


def _sha256(zipped: zipfile.ZipFile, name: str) -> str:
    digest = hashlib.sha256()
    with zipped.open(name) as file:
        while chunk := file.read(1 << 20):
            digest.update(chunk)
    return digest.hexdigest()


def store_files(path: Path, ticket: ArchivedTicket, blobs: Blobs) -> None:
    """Keep the files of an archive that was read."""
    with zipfile.ZipFile(path) as zipped:
        for name in ticket.files():
            goes_on()
            blobs.add(zipped.read(f"files/{name}"))


async def bring_ticket(within: Queries, told: ArchivedTicket, number: str) -> list[UUID]:
    """Write an archived ticket under a number that is free. Returns its photos, which are still to be prepared."""
    client = told.client
    await within.run(
        "add_client", name=client.name, contact=client.contact, slip="", name_pattern=client.name_pattern,
        words=Jsonb(client.words.model_dump()), taste=client.taste, way=None,
    )  # fmt: skip
    made = await within.row(
        Id,
        "add_ticket",
        number=number,
        title=told.title,
        client=client.name,
        kind=told.kind,
        brief=told.brief,
        slip=Jsonb(told.slip.model_dump(mode="json")),
        slip_version=told.slip_version,
        due_at=told.due_at,
        requests=Jsonb([one.model_dump() for one in told.requests]),
    )
    assert made is not None
    await within.run("set_ticket_state", ticket=made.id, state=told.state, reason=told.reason)
    return [await _bring_photo(within, made.id, place, photo) for place, photo in enumerate(told.photos, 1)]


async def _bring_photo(within: Queries, ticket: UUID, position: int, told: ArchivedPhoto) -> UUID:
    row = await within.row(
        Id, "bring_photo", ticket=ticket, position=position, title=told.title, note=told.note,
        material=told.material, blob=told.original, former=told.former, facts=Jsonb(told.facts.model_dump()),
    )  # fmt: skip
    assert row is not None
    photo = row.id
    if told.steps:
        digests = [bytes.fromhex(digest) for digest in told.steps]
        bodies = [json.dumps(body, allow_nan=False) for body in told.steps.values()]
        await within.run("keep_steps", photo=photo, digests=digests, bodies=bodies)
    numbers: dict[int, int] = {}
    for one in sorted(told.revisions, key=lambda revision: revision.number):
        numbers[one.number] = int(
            await within.value(
                "bring_revision",
                photo=photo,
                parent=None if one.parent is None else numbers[one.parent],
                summary=one.summary,
                step_count=one.step_count,
                digests=None if one.digests is None else [bytes.fromhex(digest) for digest in one.digests],
                splices=None if one.splices is None else Jsonb([splice.model_dump() for splice in one.splices]),
                depth=one.depth,
                made_at=one.made_at,
            )
        )
    await within.run("bring_head", photo=photo, head=numbers[told.head], tip=numbers[told.tip])
    for note in told.notes:
        await within.run("bring_note", photo=photo, **note.model_dump())
    for tick in told.ticks:
        await within.run("tick", photo=photo, revision=numbers[tick.revision], words=tick.words, user=None)
    for one_over in told.hand_overs:
        await _bring_hand_over(within, photo, numbers[one_over.revision], one_over)
    await within.run("look_at_cells", photo=photo, cells=told.looked_at)
    return photo


async def _bring_hand_over(within: Queries, photo: UUID, revision: int, told: ArchivedHandOver) -> None:
    values = told.model_dump(mode="json", exclude={"revision", "asked_at", "ended_at"})
    stopped = told.state in _UNDER_WAY
    await within.run(
        "bring_hand_over",
        photo=photo,
        revision=revision,
        asked_at=told.asked_at,
        ended_at=told.ended_at,
        **values
        | {
            "state": "failed" if stopped else told.state,
            "reasons": ["It was on its way when the ticket moved here."] if stopped else told.reasons,
            "renditions": Jsonb(values["renditions"]),
            "verdicts": Jsonb(values["verdicts"]),
        },
    )
