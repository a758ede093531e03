"""Ledgers as they are kept: by content, by what changes, and through a change of the schema."""

from __future__ import annotations

import random

import psycopg
import pytest
from psycopg.types.json import Jsonb

from fern_ticket.core.ledger.steps import Step
from fern_ticket.store import database as database_module
from fern_ticket.store.database import migrate
from fern_ticket.store.errors import Away, Conflict, Unkeepable, translated
from fern_ticket.store.ledgers import Ledgers, digest_of, spliced
from fern_ticket.store.records import Chained
from tests.rows import photo_on_ticket, run

MIGRATIONS = database_module._HERE / "migrations"


async def new_photo(database, letter):
    photo = await photo_on_ticket(database, f"FT-L{letter}", letter * 64, {"name": "s"})
    await database.run("start_ledger", photo=photo)
    return photo


def dab(number):
    stroke = {"points": [[100.5 + number, 200.25, 1]], "size": 24}
    params = {"source": {"dx": 40.0, "dy": -12.0}}
    return Step(id=f"d{number}", op="dab", params=params, mask={"kind": "strokes", "strokes": [stroke]})


def applied(before, splices):
    out = list(before)
    for one in splices:
        out[one.at : one.at + one.gone] = one.new
    return out


@pytest.mark.parametrize("seed", range(20))
def test_splices_turn_one_list_into_the_other(seed):
    dice = random.Random(seed)
    before = [bytes([dice.randrange(12)]) for _ in range(dice.randrange(30))]
    after = list(before)
    for _ in range(dice.randrange(6)):
        at = dice.randrange(len(after) + 1)
        after[at : at + dice.randrange(3)] = [bytes([dice.randrange(12)]) for _ in range(dice.randrange(3))]
    assert applied(before, spliced(before, after)) == after


def test_a_digest_tells_all_of_a_step_and_nothing_else():
    assert digest_of(dab(1)) == digest_of(dab(1))
    for change in ({"id": "x"}, {"enabled": False}, {"strength": 0.5}, {"params": {}}):
        assert digest_of(dab(1).model_copy(update=change)) != digest_of(dab(1))


def test_any_revision_is_read_back_by_a_process_that_never_saw_it(url):
    """Three hundred revisions: put in anywhere, taken out, moved, beyond the one that keeps its whole list."""
    dice = random.Random(3)

    async def work(database):
        photo = await new_photo(database, "m")
        ledgers = Ledgers(database)
        head = (await ledgers.head(photo)).revision
        steps, states = [], {}
        for number in range(300):
            if steps and number % 5 == 4:
                steps.insert(dice.randrange(len(steps)), steps.pop(dice.randrange(len(steps))))
            elif steps and number % 7 == 6:
                steps.pop(dice.randrange(len(steps)))
            else:
                steps.insert(dice.randrange(len(steps) + 1), dab(number))
            head = await ledgers.add(database, photo, head, "s", steps, None)
            states[head] = [step.id for step in steps]
        fresh = Ledgers(database)
        for revision in dice.sample(sorted(states), 40):
            assert [step.id for step in (await fresh.at(photo, revision)).steps] == states[revision]
        newest = await Ledgers(database).head(photo)
        assert (newest.revision, list(newest.steps)) == (head, steps)
        assert (newest.can_undo, newest.can_redo) == (True, False)
        deepest = await database.rows(Chained, "revision_chain", photo=photo, revision=head)
        assert len(deepest) < 258

    run(url, work)


def test_one_more_step_takes_little_room_whatever_lies_there(url):
    async def work(database):
        photo = await new_photo(database, "n")
        ledgers = Ledgers(database)
        steps = [dab(number) for number in range(1000)]
        head = await ledgers.add(database, photo, (await ledgers.head(photo)).revision, "s", steps, None)
        before = stored()
        await ledgers.add(database, photo, head, "s", [*steps, dab(1000)], None)
        assert stored() - before < 2048
        row = await ledgers.head(photo)
        assert len(row.steps) == 1001

    def stored():
        with psycopg.connect(url) as connection:
            sums = [f"(select sum(pg_column_size({table}.*)) from {table})" for table in ("revisions", "steps")]
            return connection.execute(f"select {' + '.join(sums)}").fetchone()[0]

    run(url, work)


def test_steps_that_revisions_share_are_one_object(url):
    async def work(database):
        photo = await new_photo(database, "o")
        ledgers = Ledgers(database)
        head = (await ledgers.head(photo)).revision
        one = await ledgers.add(database, photo, head, "s", [dab(1)], None)
        two = await ledgers.add(database, photo, one, "s", [dab(1), dab(2)], None)
        fresh = Ledgers(database)
        assert (await fresh.at(photo, one)).steps[0] is (await fresh.at(photo, two)).steps[0]

    run(url, work)


def test_what_a_transaction_did_is_kept_together_or_not_at_all(url):
    async def work(database):
        photo = await new_photo(database, "p")

        async def broken_off():
            async with database.transaction() as within:
                await within.run("add_note", photo=photo, x=None, y=None, text="one", author="a", side="desk")
                raise ZeroDivisionError

        with pytest.raises(ZeroDivisionError):
            await broken_off()
        with psycopg.connect(url) as connection:
            assert connection.execute("select count(*) from notes where photo = %s", [photo]).fetchone() == (0,)

    run(url, work)


def test_the_drivers_errors_become_the_stores_own(url):
    async def work(database):
        photo = await new_photo(database, "q")
        with pytest.raises(Unkeepable):
            await database.run("add_event_of_photo", photo=photo, what="\0", who="x")
        with pytest.raises(Conflict):
            await database.run("add_note", photo=photo, x=0.5, y=None, text="half a place", author="a", side="desk")
        with pytest.raises(ValueError, match="columns"):
            await database.value("photo_by_id", photo=photo)

    run(url, work)
    with pytest.raises(Away), translated():
        raise psycopg.OperationalError("the connection is lost")


def test_ledgers_of_an_older_schema_come_through_its_change(cluster):
    """Revisions that held their whole ledger: every one reads as before, and goes on."""
    name = "older_schema"
    with psycopg.connect(cluster.url, autocommit=True) as connection:
        connection.execute(f"drop database if exists {name}")
        connection.execute(f"create database {name}")
    url = cluster.url.rsplit("/", 1)[0] + f"/{name}"
    bodies = [dab(number).model_dump(mode="json", exclude_none=True) for number in range(3)]
    with psycopg.connect(url) as connection:
        connection.execute("create table migrations (name text primary key, at timestamptz default now())")
        for path in sorted(MIGRATIONS.glob("000[1-4]*.sql")):
            connection.execute(path.read_bytes())
            connection.execute("insert into migrations (name) values (%s)", [path.name])
        ticket = connection.execute(
            "insert into tickets (number, title, client, kind, desk, slip, due_at)"
            " values ('FT-1', 't', 'c', 'food', 'd', '{}', now()) returning id"
        ).fetchone()
        (photo,) = connection.execute(
            "insert into photos (ticket, position, title, blob, state) values (%s, 1, 'p', 'b', 'ready') returning id",
            ticket,
        ).fetchone()
        revisions, parent = [], None
        for count in range(4):
            (parent,) = connection.execute(
                "insert into revisions (photo, parent, summary, steps) values (%s, %s, 's', %s) returning id",
                [photo, parent, Jsonb(bodies[:count])],
            ).fetchone()
            revisions.append(parent)
        connection.execute("update photos set head = %s, tip = %s where id = %s", [parent, parent, photo])
    assert migrate(url) == [path.name for path in sorted(MIGRATIONS.glob("*.sql")) if path.name >= "0005"]

    async def work(database):
        ledgers = Ledgers(database)
        for count, revision in enumerate(revisions):
            assert [s.id for s in (await ledgers.at(photo, revision)).steps] == [f"d{n}" for n in range(count)]
        head = await ledgers.head(photo)
        assert list(head.steps) == [dab(n) for n in range(3)]
        made = await ledgers.add(database, photo, head.revision, "s", [*head.steps, dab(9)], None)
        assert [s.id for s in (await Ledgers(database).at(photo, made)).steps] == ["d0", "d1", "d2", "d9"]

    run(url, work)
    with psycopg.connect(url) as connection:
        assert connection.execute("select stage from photos").fetchone() == ("bench",)
        assert connection.execute("select count(*) from steps").fetchone() == (4,)
