"""Watched folders: what lies there comes once it has stopped growing, to the right ticket, and never twice."""

from __future__ import annotations

import os

from psycopg.types.json import Jsonb

from fern_ticket.jobs import watching
from fern_ticket.jobs.clients import NewClient, add_client
from fern_ticket.jobs.watching import look_at_watches
from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Client, Photo, Ticket
from fern_ticket.store.watches import WatchRow
from tests import pictures
from tests.rows import photo_on_ticket
from tests.web.test_jobs import png, run

SLIP = {"name": "Watched", "lines": [{"requirement": "long_side", "pixels": 300}]}


def picture(seed):
    return pictures.file(pictures.texture(100, 150, 3000 + seed), "JPEG")


async def watch(context, address, **whose):
    values = {"client": None, "ticket": None, "secret": None, **whose}
    await context.database.value("add_watch", settings=Jsonb({"kind": "folder", "address": str(address)}), **values)


async def watched_ticket(context, address, number, seed):
    """A ticket with one photo, whose folder is watched."""
    await photo_on_ticket(context.database, number, context.blobs.add(png(seed)), SLIP)
    ticket = await context.database.row(Ticket, "ticket_by_number", number=number)
    await watch(context, address, ticket=ticket.id)
    return ticket


async def titles(context, ticket):
    return [photo.title for photo in await context.database.rows(Photo, "photos_of_ticket", ticket=ticket)]


async def rows(context, address):
    found = await context.database.rows(WatchRow, "watches_of")
    return [one for one in found if one.settings.address == str(address)]


def test_a_ticket_s_folder_brings_what_stands_still_and_each_file_once(cluster, tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()

    async def test(context, queue):
        ticket = await watched_ticket(context, folder, "WT-1", 31)
        (folder / "a.jpg").write_bytes(picture(1))
        (folder / "b.jpg").write_bytes(picture(2)[:500])
        (folder / "c.jpg.part").write_bytes(b"x")
        (folder / ".hidden.jpg").write_bytes(picture(3))
        await look_at_watches(context, queue)
        assert await titles(context, ticket.id) == ["p"]
        (folder / "b.jpg").write_bytes(picture(2))
        await look_at_watches(context, queue)
        assert await titles(context, ticket.id) == ["p", "a"]
        for _ in range(2):
            await look_at_watches(context, queue)
        assert await titles(context, ticket.id) == ["p", "a", "b"]
        assert sorted(path.name for path in folder.iterdir()) == [".hidden.jpg", "a.jpg", "b.jpg", "c.jpg.part"]
        # another picture under the same name is another file
        (folder / "a.jpg").write_bytes(picture(4))
        os.utime(folder / "a.jpg", (1, 1))
        for _ in range(2):
            await look_at_watches(context, queue)
        assert await titles(context, ticket.id) == ["p", "a", "b", "a"]
        ((row),) = await rows(context, folder)
        assert (row.taken, row.trouble, row.refused) == (2, "", [])

    run(cluster, tmp_path / "data", test)


def test_a_folder_of_more_than_one_look_s_files_is_taken_to_its_end(cluster, tmp_path, monkeypatch):
    monkeypatch.setattr(watching, "_AT_ONCE", 2)
    folder = tmp_path / "many"
    folder.mkdir()

    async def test(context, queue):
        ticket = await watched_ticket(context, folder, "WT-3", 33)
        for seed in range(5):
            (folder / f"{seed}.jpg").write_bytes(picture(40 + seed))
        seen = []
        for _ in range(4):
            await look_at_watches(context, queue)
            seen.append((await titles(context, ticket.id))[1:])
        assert seen == [[], ["0", "1"], ["0", "1", "2", "3"], ["0", "1", "2", "3", "4"]]

    run(cluster, tmp_path / "data", test)


def test_a_client_s_folders_are_tickets_and_a_new_one_begins_one(cluster, tmp_path):
    root = tmp_path / "client"
    (root / "Attic rooms").mkdir(parents=True)
    (root / "no slip here").mkdir()

    async def test(context, queue):
        await context.database.run(
            "keep_slip", name="Watched", body=Jsonb(SLIP | {"name_pattern": "{ticket}"}), user=None
        )
        made = await add_client(context.database, Actor("t"), NewClient(name="Watch Mill", slip="Watched"))
        client = await context.database.row(Client, "client_by_id", client=made)
        await watch(context, root, client=client.id)
        (root / "Attic rooms" / "one.jpg").write_bytes(picture(11))
        (root / "no slip here" / "text.jpg").write_text("no picture")
        (root / "loose.jpg").write_bytes(picture(12))
        for _ in range(3):
            await look_at_watches(context, queue)
        asked = {"client": client.id, "name": "attic ROOMS"}
        ticket = await context.database.row(Ticket, "ticket_of_client_called", **asked)
        assert ticket.slip["name"] == "Watched"
        assert await titles(context, ticket.id) == ["one"]
        ((row),) = await rows(context, root)
        assert row.taken == 1
        assert len(row.refused) == 1
        # a file that comes later goes to the same ticket
        (root / "Attic rooms" / "two.jpg").write_bytes(picture(13))
        for _ in range(2):
            await look_at_watches(context, queue)
        assert await titles(context, ticket.id) == ["one", "two"]

    run(cluster, tmp_path / "data", test)


def test_a_folder_that_is_away_is_said_and_found_again(cluster, tmp_path):
    async def test(context, queue):
        await watched_ticket(context, tmp_path / "away", "WT-2", 32)
        await look_at_watches(context, queue)
        ((row),) = await rows(context, tmp_path / "away")
        assert "it is not there" in row.trouble
        (tmp_path / "away").mkdir()
        await look_at_watches(context, queue)
        ((row),) = await rows(context, tmp_path / "away")
        assert (row.trouble, row.looked_at is not None) == ("", True)

    run(cluster, tmp_path / "data", test)
