"""A ticket out as an archive and in again elsewhere: the same pixels, bit by bit; a damaged one is refused before
anything is written."""

from __future__ import annotations

import hashlib
import json
import zipfile

import pytest
from jsonschema_rs import Draft202012Validator

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs import handing_over
from fern_ticket.jobs.making import make
from fern_ticket.jobs.preparing import prepare_photo
from fern_ticket.store.moving.archives import archived, bring_ticket, read_archive, store_files, write_archive
from fern_ticket.store.moving.form import archive_schema
from fern_ticket.store.records import HandOver, Id, Note, Photo, Ticket
from tests import pictures
from tests.rows import photo_on_ticket
from tests.web.test_jobs import run

SLIP = {"name": "S", "lines": [{"requirement": "long_side", "pixels": 300}]}
STEPS = [
    [{"id": "e", "op": "exposure", "params": {"ev": 0.3}}],
    [{"id": "e", "op": "exposure", "params": {"ev": 0.3}}, {"id": "s", "op": "straighten", "params": {"angle": 1.2}}],
    [{"id": "e", "op": "exposure", "params": {"ev": 0.5}}, {"id": "s", "op": "straighten", "params": {"angle": 1.2}}],
]


async def worked_on(context, number="MV-1"):
    """A photo with three revisions, of which the last was undone, a note, a tick and a hand-over."""
    data = pictures.file(pictures.texture(240, 320, 77), "PNG", icc_profile=srgb_icc())
    photo = await photo_on_ticket(context.database, number, context.blobs.add(data), SLIP)
    await prepare_photo(context, str(photo))
    for steps in STEPS:
        ledger = await context.ledgers.head(photo)
        await context.ledgers.add(context.database, photo, ledger.revision, "s", read_steps(steps), None)
    head = (await context.ledgers.head(photo)).revision
    await context.database.value("undo", photo=photo, expected=head)
    head = (await context.ledgers.head(photo)).revision
    note = {"x": 0.25, "y": 0.5, "text": "the bin", "author": "Wren Mill", "side": "client"}
    await context.database.run("add_note", photo=photo, **note)
    await context.database.run("tick", photo=photo, revision=head, words="calm", user=None)
    order = await context.database.row(
        Id, "add_hand_over", photo=photo, revision=head, file_name="a_01.jpg", wanted=["web"], user=None
    )
    await handing_over.hand_over(context, str(order.id))
    return photo


async def packed(context, folder, number="MV-1"):
    ticket = await context.database.row(Ticket, "ticket_by_number", number=number)
    return write_archive(await archived(context.database, ticket.id), context.blobs, folder)


async def delivered(context, photo):
    """The photo made anew, at its newest revision."""
    row = await context.database.row(Photo, "photo_by_id", photo=photo)
    made = await make(context, row, await context.ledgers.head(photo), Slip.model_validate(SLIP), "a.jpg")
    return hashlib.sha256(made.data).hexdigest()


def test_a_ticket_is_the_same_bit_by_bit_elsewhere(cluster, tmp_path):
    async def test(context, _):
        photo = await worked_on(context)
        await context.database.run("set_material", photo=photo, material=True)
        path = await packed(context, tmp_path / "out")
        with zipfile.ZipFile(path) as zipped:
            told = json.loads(zipped.read("ticket.json"))
            contents = json.loads(zipped.read("contents.json"))["files"]
            assert Draft202012Validator(archive_schema()).is_valid(told)
            for name, entry in contents.items():
                data = zipped.read(name)
                assert (len(data), hashlib.sha256(data).hexdigest()) == (entry["bytes"], entry["sha256"])
        before = await delivered(context, photo)
        elsewhere = await arrived(context, path, tmp_path / "new")
        (moved,) = elsewhere
        assert await delivered(context, moved) == before
        assert (await context.database.row(Photo, "photo_by_id", photo=moved)).material
        head = await context.ledgers.head(moved)
        assert (len(head.steps), head.can_undo, head.can_redo) == (2, True, True)
        newer = await context.database.value("redo", photo=moved, expected=head.revision)
        assert (await context.ledgers.at(moved, newer)).steps[0].params["ev"] == 0.5
        (note,) = await context.database.rows(Note, "notes_of_photo", photo=moved)
        assert (note.x, note.text, note.side) == (0.25, "the bin", "client")
        (old,) = await context.database.rows(HandOver, "hand_overs_of_photo", photo=photo)
        (new,) = await context.database.rows(HandOver, "hand_overs_of_photo", photo=moved)
        assert (new.state, new.blob, new.receipt) == (old.state, old.blob, old.receipt)

    run(cluster, tmp_path / "data", test)


async def arrived(context, path, _):
    told = read_archive(path)
    store_files(path, told, context.blobs)
    async with context.database.transaction() as within:
        photos = await bring_ticket(within, told, f"{told.number}-moved")
    for photo in photos:
        await prepare_photo(context, str(photo))
    return photos


def rewritten(path, out, change):
    """The archive with its entries changed: `change` gets the names and bytes, and returns those of the new one."""
    with zipfile.ZipFile(path) as zipped:
        entries = {name: zipped.read(name) for name in zipped.namelist()}
    with zipfile.ZipFile(out, "w") as zipped:
        for name, data in change(dict(entries)).items():
            zipped.writestr(name, data)
    return out


def flipped(entries):
    name = next(name for name in entries if name.startswith("files/"))
    data = bytearray(entries[name])
    data[len(data) // 2] ^= 1
    return entries | {name: bytes(data)}


def listed(entries):
    """The contents told anew, so that only what they do not see is wrong."""
    files = {
        name: {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        for name, data in entries.items()
        if name != "contents.json"
    }
    return entries | {"contents.json": json.dumps({"files": files}).encode()}


def told(change):
    def work(entries):
        ticket = json.loads(entries["ticket.json"])
        change(ticket)
        return listed(entries | {"ticket.json": json.dumps(ticket).encode()})

    return work


def refused(path):
    try:
        read_archive(path)
    except FernError as error:
        return str(error)
    return None


WRONG = {
    "a flipped bit": flipped,
    "a file outside": lambda entries: entries | {"../../etc/x": b"x"},
    "an absolute path": lambda entries: entries | {"/etc/x": b"x"},
    "a file too many": lambda entries: entries | {"files/" + "0" * 64: b"x"},
    "a file less": lambda entries: {k: v for k, v in entries.items() if not k.startswith("files/")},
    "a file less, told so": lambda entries: listed({k: v for k, v in entries.items() if not k.startswith("files/")}),
    "another file under its name": lambda entries: listed(flipped(entries)),
    "no ticket": lambda entries: {k: v for k, v in entries.items() if k != "ticket.json"},
    "no JSON": lambda entries: listed(entries | {"ticket.json": b"{"}),
    "a field of another form": told(lambda ticket: ticket.update(colour="red")),
    "a step that is none": told(lambda t: next(iter(t["photos"][0]["steps"].values())).update(op="sparkle")),
    "a step that names a file": told(
        lambda t: next(iter(t["photos"][0]["steps"].values())).update(mask={"kind": "bitmap", "file": "/etc/passwd"})
    ),
    "a step that is missing": told(lambda t: t["photos"][0]["steps"].clear()),
    "a head that is missing": told(lambda t: t["photos"][0].update(head=10**9)),
    "a splice beyond the list": told(lambda t: t["photos"][0]["revisions"][2]["splices"][0].update(at=99)),
    "a name that is a path": told(lambda t: t["photos"][0]["hand_overs"][0].update(file_name="../x.jpg")),
}


def test_a_damaged_archive_is_refused_before_anything_is_written(cluster, tmp_path):
    async def test(context, _):
        await worked_on(context, "MV-2")
        path = await packed(context, tmp_path / "out", "MV-2")
        read_archive(path)
        for what, change in WRONG.items():
            wrong = rewritten(path, tmp_path / "wrong.zip", change)
            assert refused(wrong), f"{what} was taken"
        (tmp_path / "cut.zip").write_bytes(path.read_bytes()[:-200])
        with pytest.raises(FernError, match="no archive"):
            read_archive(tmp_path / "cut.zip")

    run(cluster, tmp_path / "data", test)
