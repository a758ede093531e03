"""Nothing is lost: revisions, the way back and forth, blobs, prepared copies."""

from __future__ import annotations

import asyncio
import re
from pathlib import Path
from uuid import UUID

import numpy as np
import psycopg
import pytest

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.jobs.queue import prepare_database
from fern_ticket.store import database as database_module
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import _queries, migrate
from fern_ticket.store.ledgers import Ledgers
from fern_ticket.store.opening import Opening
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.records import AddedPhoto, HandOver, Id, Photo, Ticket, TicketRow
from fern_ticket.store.shelves import Shelves
from fern_ticket.store.studio import keep_studio, studio_of
from tests import pictures
from tests.rows import photo_on_ticket, run


async def new_photo(database, blob="a" * 64) -> UUID:
    photo = await photo_on_ticket(database, "FT-9001", blob, {"name": "s", "lines": []})
    await database.run("start_ledger", photo=photo)
    return photo


async def write(database, photo, expected, name):
    return await Ledgers(database).add(database, photo, expected, name, [Step(id=name, op=name)], None)


def test_migrations_run_once_and_two_at_a_time(url):
    assert migrate(url) == []
    prepare_database(url)
    with psycopg.connect(url) as connection:
        count = connection.execute("select count(*) from migrations").fetchone()
    assert count == (len(list((Path(database_module.__file__).parent / "migrations").glob("*.sql"))),)


def test_every_query_has_its_own_name_and_parses(url):
    """PostgreSQL itself reads each query; only missing values may be complained of."""
    broken = []
    with psycopg.connect(url) as connection:
        for name, text in _queries().items():
            plain = re.sub(r"%\((\w+)\)s", "null", text).replace("%%", "%")
            try:
                connection.execute("explain " + plain.rstrip(";"))
            except (psycopg.errors.SyntaxError, psycopg.errors.UndefinedColumn, psycopg.errors.UndefinedTable) as error:
                broken.append((name, str(error)))
            except psycopg.Error:
                pass  # null has no type here and there
            connection.rollback()
    assert len(_queries()) > 25
    assert broken == []


def test_each_process_holds_as_much_in_memory_as_the_studio_lets_it(url, tmp_path):
    async def work(database):
        cache = ByteCache(1 << 30)
        blobs = Blobs(tmp_path / "blobs")
        opening = Opening(database, Prepared(tmp_path / "p", blobs), cache, Shelves(tmp_path / "s"))
        before = await studio_of(database)
        held = []
        for memory in (256, None):
            await keep_studio(database, before.model_copy(update={"memory_mb": memory}))
            opening._studio.clear()
            await opening.of_ticket(UUID(int=0))
            held.append(cache.budget)
        assert held == [256 << 20, 1 << 30]

    run(url, work)


def test_a_stale_write_is_refused_and_changes_nothing(url):
    async def work(database):
        photo = await new_photo(database, "b" * 64)
        start = await Ledgers(database).head(photo)
        first = await write(database, photo, start.revision, "one")
        assert await write(database, photo, start.revision, "two") is None
        head = await Ledgers(database).head(photo)
        assert (head.revision, head.summary) == (first, "one")

    run(url, work)


def test_of_two_writers_at_once_one_wins(url):
    async def work(database):
        photo = await new_photo(database, "c" * 64)
        start = await Ledgers(database).head(photo)
        done = await asyncio.gather(*(write(database, photo, start.revision, f"w{i}") for i in range(8)))
        assert sum(revision is not None for revision in done) == 1

    run(url, work)


def test_undo_and_redo_walk_the_same_way(url):
    async def work(database):
        photo = await new_photo(database, "d" * 64)
        revisions = [(await Ledgers(database).head(photo)).revision]
        for name in ("one", "two", "three"):
            revisions.append(await write(database, photo, revisions[-1], name))

        async def move(query):
            head = await Ledgers(database).head(photo)
            return await database.value(query, photo=photo, expected=head.revision)

        assert [await move("undo") for _ in range(4)] == [revisions[2], revisions[1], revisions[0], None]
        assert [await move("redo") for _ in range(4)] == [*revisions[1:], None]
        await move("undo")
        branch = await write(database, photo, revisions[2], "other")
        assert await move("redo") is None
        assert [await move("undo"), await move("redo")] == [revisions[2], branch]
        assert await database.value("undo", photo=photo, expected=revisions[0]) is None

    run(url, work)


def test_a_picture_is_on_a_ticket_once(url):
    async def work(database):
        first = await new_photo(database, "e" * 64)
        ticket = await database.row(Ticket, "ticket_by_number", number="FT-9001")
        again = await database.row(AddedPhoto, "add_photo", ticket=ticket.id, title="q", note="", blob="e" * 64)
        assert (again.id, again.new) == (first, False)
        asked = {"words": "ft-9001", "kind": None, "stage": None, "client": None, "editor": None}
        asked |= {"sort": "due", "limit": 40, "offset": 0}
        rows = await database.rows(TicketRow, "tickets_page", **asked)
        assert [(r.number, r.total, r.photos >= 1) for r in rows] == [("FT-9001", 1, True)]

    run(url, work)


def test_a_photo_is_handed_over_once_at_a_time(url):
    async def work(database):
        photo = await new_photo(database, "f" * 64)
        head = await Ledgers(database).head(photo)
        values = {"photo": photo, "revision": head.revision, "file_name": "x.jpg", "wanted": [], "user": None}
        made = await database.row(Id, "add_hand_over", **values)
        assert await database.row(Id, "add_hand_over", **values) is None
        await database.value("cancel_hand_over", hand_over=made.id, photo=photo)
        assert await database.value("hand_over_rendering", hand_over=made.id, progress=0.5) is None
        assert (
            await database.value("hand_over_ended", hand_over=made.id, state="accepted", reasons=[], receipt="r")
            is None
        )
        row = await database.row(HandOver, "hand_over_by_id", hand_over=made.id)
        assert (row.state, row.receipt) == ("cancelled", None)
        assert await database.row(Id, "add_hand_over", **values) is not None

    run(url, work)


def test_only_a_refused_photo_can_be_taken_off(url):
    async def work(database):
        photo = await new_photo(database, "9" * 64)
        await database.run("remove_refused_photo", photo=photo)
        assert await database.row(Photo, "photo_by_id", photo=photo) is not None

    run(url, work)


def test_what_was_saved_survives_a_power_cut_of_the_database(url, cluster):
    photo = run(url, lambda database: new_photo(database, "7" * 64))

    async def save(database):
        head = await Ledgers(database).head(photo)
        return await write(database, photo, head.revision, "kept")

    saved = run(url, save)
    cluster.kill()
    cluster.start()
    after = run(url, lambda database: Ledgers(database).head(photo))
    assert (after.revision, after.summary) == (saved, "kept")


def test_blobs_are_named_by_content_and_cannot_be_written_to(tmp_path):
    blobs = Blobs(tmp_path)
    name = blobs.add(b"light")
    assert blobs.add(b"light") == name
    assert blobs.read(name) == b"light"
    assert oct(blobs.path(name).stat().st_mode)[-3:] == "444"
    assert [p.name for p in blobs.path(name).parent.iterdir()] == [name]
    with pytest.raises(FernError, match="missing"):
        blobs.read("0" * 64)
    for wrong in ("../etc/passwd", "", "A" * 64, "0" * 63):
        with pytest.raises(ValueError, match="not a blob"):
            blobs.path(wrong)


def test_a_prepared_copy_is_made_again_when_it_is_lost_or_damaged(tmp_path):
    blobs = Blobs(tmp_path / "blobs")
    pixels = pictures.noise(600, 700)
    blob = blobs.add(pictures.file(pixels, "PNG", icc_profile=srgb_icc()))
    prepared = Prepared(tmp_path / "pyramids", blobs)
    from fern_ticket.core.pictures.regions import Box

    whole = Box(0, 0, 700, 600)
    assert np.array_equal(prepared.open(blob).read(0, whole), pixels)
    (tmp_path / "pyramids" / blob / "pyramid.json").write_text("{")
    assert np.array_equal(prepared.open(blob).read(0, whole), pixels)
    (tmp_path / "pyramids" / blob / "level-1.tiles").write_bytes(b"short")
    assert np.array_equal(prepared.open(blob).read(0, whole), pixels)
    assert prepared.thumbnail(blob).read_bytes()[:2] == b"\xff\xd8"
    with pytest.raises(PictureError):
        prepared.prepare(blobs.add(b"no picture"))
