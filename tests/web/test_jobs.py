"""Jobs when things go wrong: a desk that is down, a person who cancels, a photo that cannot be rendered."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from dataclasses import replace
from uuid import UUID

import httpx
import psycopg
import pytest
from PIL import Image
from PIL.TiffImagePlugin import IFDRational
from psycopg.types.json import Jsonb

from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.jobs import handing_over, preparing
from fern_ticket.jobs.checking import check_photo, keep_check
from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.deferring import defer_desk, defer_hand_over
from fern_ticket.jobs.preparing import prepare_photo
from fern_ticket.jobs.queue import _rescue, make_queue, prepare_database
from fern_ticket.jobs.trimming import keep_to_budget
from fern_ticket.settings import Settings
from fern_ticket.store.database import Transaction, opened
from fern_ticket.store.errors import Away
from fern_ticket.store.records import Check, Delivery, HandOver, Id, Note, Photo
from fern_ticket.web.demo import scenario
from tests import pictures
from tests.rows import photo_on_ticket

TAKEN = {"receipt": "VH-1"}
LIKED = {"accepted": True, "reasons": [], "receipt": "VH-1"}


class Desk:
    """A desk that answers as it is told, and remembers what it was sent."""

    def __init__(self, *answers, said=(LIKED,)):
        self.answers = list(answers)
        self.said = list(said)
        self.keys = []

    def __call__(self, request: httpx.Request) -> httpx.Response:
        if request.method == "GET":
            return httpx.Response(200, json=self.said.pop(0) if len(self.said) > 1 else self.said[0])
        self.keys.append(request.headers["Idempotency-Key"])
        answer = self.answers.pop(0) if len(self.answers) > 1 else self.answers[0]
        if isinstance(answer, Exception):
            raise answer
        return answer if isinstance(answer, httpx.Response) else httpx.Response(202, json=answer)


def run(cluster, folder, test, desk=None):
    """Run `test(context, queue)` with a real database and a desk of our own."""
    prepare_database(cluster.url)

    @asynccontextmanager
    async def setting():
        settings = Settings(data=folder, database_url=cluster.url, desk_token="t", heartbeat=0.05)
        async with opened(cluster.url) as database:
            desks = httpx.AsyncClient(transport=httpx.MockTransport(desk or Desk(TAKEN)), base_url="http://desk")
            context = replace(make_context(settings, database), desks=desks)
            queue = make_queue(cluster.url, context)
            async with queue.open_async():
                yield context, queue

    async def inside():
        async with setting() as (context, queue):
            await test(context, queue)

    with ThreadPoolExecutor(1) as thread:
        thread.submit(asyncio.run, inside()).result()


async def brought(context, data, seed) -> UUID:
    slip = scenario().slips["Valley Homes"].model_dump(mode="json")
    return await photo_on_ticket(context.database, f"FT-8{seed:03}", context.blobs.add(data), slip)


async def changed(context, photo, *steps) -> None:
    """A further revision of the photo, with just these steps."""
    ledger = await context.ledgers.head(photo)
    await context.ledgers.add(context.database, photo, ledger.revision, "s", read_steps(list(steps)), None)


async def asked(context, photo) -> HandOver:
    ledger = await context.ledgers.head(photo)
    made = await context.database.row(
        Id,
        "add_hand_over",
        photo=photo,
        revision=ledger.revision,
        file_name="Race-Mill_01.jpg",
        wanted=["web"],
        user=None,
    )
    return await state(context, made.id)


async def state(context, hand_over) -> HandOver:
    return await context.database.row(HandOver, "hand_over_by_id", hand_over=hand_over)


async def hand_over_at_once(context, order) -> float | None:
    """Go on with it as if the pause that it was told to make were over."""
    with psycopg.connect(context.settings.database_url, autocommit=True) as connection:
        connection.execute("update deliveries set ask_again_at = null where hand_over = %s", [order.id])
    return await handing_over.hand_over(context, str(order.id))


def png(seed, rows=300, columns=400):
    return pictures.file(pictures.texture(rows, columns, seed), "PNG", icc_profile=srgb_icc())


async def ready_photo(context, seed) -> UUID:
    photo = await brought(context, png(seed), seed)
    await prepare_photo(context, str(photo))
    return photo


def test_a_photo_is_prepared_once_and_starts_with_an_empty_ledger(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 1)
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert (row.state, row.width, row.height, row.steps) == ("ready", 400, 300, 0)
        first = await context.ledgers.head(photo)
        await prepare_photo(context, str(photo))
        assert await context.ledgers.head(photo) == first
        await prepare_photo(context, "00000000-0000-0000-0000-000000000000")

    run(cluster, tmp_path, test)


def test_a_worker_with_a_folder_of_its_own_takes_part_through_the_shared_store(cluster, tmp_path):
    """Two machines that share the database and the store of files, and no folder."""
    shared = f"memory://{tmp_path.name}"

    async def test(context, _):
        here, away = (
            replace(
                make_context(Settings(data=tmp_path / name, blob_store=shared), context.database), desks=context.desks
            )
            for name in ("here", "away")
        )
        photo = await brought(here, png(30), 30)
        await prepare_photo(away, str(photo))
        made = await asked(here, photo)
        await handing_over.hand_over(away, str(made.id))
        await handing_over.hand_over(away, str(made.id))
        row = await state(here, made.id)
        assert row.state == "accepted"
        assert here.blobs.read(row.blob)[:2] == b"\xff\xd8"
        assert any((tmp_path / "away" / "pyramids").iterdir())
        assert not any((tmp_path / "here" / "pyramids").iterdir())

    run(cluster, tmp_path / "first", test)


def test_beyond_the_budget_prepared_copies_go_but_for_photos_on_a_bench(cluster, tmp_path):
    async def test(context, _):
        leased, other = [await ready_photo(context, number) for number in (41, 42)]
        ada = await context.database.row(
            Id, "new_user", sign_in="ada-41", name="Ada", role="editor", password_hash="none"
        )
        page = "40000000-0000-0000-0000-000000000001"
        await context.database.row(Id, "take_lease", photo=leased, page=page, user=ada.id, seconds=60)
        small = replace(context, settings=context.settings.model_copy(update={"disk_budget": 0}))
        await keep_to_budget(small)
        blobs = [(await context.database.row(Photo, "photo_by_id", photo=photo)).blob for photo in (leased, other)]
        kept = [(context.settings.pyramids / blob / "pyramid.json").exists() for blob in blobs]
        assert kept == [True, False]
        assert context.prepared.open(blobs[1]).size == context.prepared.open(blobs[0]).size

    run(cluster, tmp_path, test)


def test_a_worker_that_cannot_reach_a_file_leaves_the_photo_to_others(cluster, tmp_path):
    """As one does that was started on the wrong data folder: the photo is fine, and stays to be prepared."""

    async def test(context, _):
        photo = await brought(context, png(31), 31)
        lost = make_context(Settings(data=tmp_path / "wrong"), context.database)
        await prepare_photo(lost, str(photo))
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).state == "preparing"
        assert str(photo) in await context.photos_preparing()
        await prepare_photo(context, str(photo))
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).state == "ready"

    run(cluster, tmp_path / "right", test)


def test_a_picture_that_breaks_the_reader_is_refused_not_tried_for_ever(cluster, tmp_path, monkeypatch):
    async def test(context, _):
        photo = await brought(context, png(2), 2)
        monkeypatch.setattr(type(context.prepared), "prepare", lambda *_: 1 / 0)
        await prepare_photo(context, str(photo))
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert row.state == "refused"
        assert "another format" in row.problem

    run(cluster, tmp_path, test)


def test_what_a_camera_writes_past_the_end_of_its_texts_holds_no_photo_up(cluster, tmp_path):
    async def test(context, _):
        said = Image.Exif()
        said[0x0110], said[0x010F], said[0x013B], said[0x8298] = (
            "N9\0\0",
            "Maker\0 2",
            "Ada\0Fenn",
            "Ada\0Reed and Holt",
        )
        said.get_ifd(0x8769)[0x829A] = IFDRational(0, 0)
        photo = await brought(context, pictures.file(pictures.texture(300, 400, 3), "JPEG", exif=said), 3)
        await prepare_photo(context, str(photo))
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert (row.state, row.facts.creator, row.facts.copyright) == ("ready", "Ada", "Ada, Reed and Holt")

    run(cluster, tmp_path, test)


def test_a_photo_of_which_something_cannot_be_kept_is_refused_not_tried_for_ever(cluster, tmp_path, monkeypatch):
    async def test(context, _):
        photo = await brought(context, png(4), 4)
        monkeypatch.setattr(preparing, "panorama_of", lambda *_: "it says \0")
        await prepare_photo(context, str(photo))
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert row.state == "refused"
        assert "another format" in row.problem

    run(cluster, tmp_path, test)


def test_a_database_that_is_away_says_nothing_of_the_picture(cluster, tmp_path, monkeypatch):
    async def test(context, _):
        photo = await brought(context, png(5), 5)

        async def away(*_, **__):
            raise Away("It does not answer.")

        with monkeypatch.context() as patch:
            patch.setattr(type(context.database), "run", away)
            with pytest.raises(Away):
                await prepare_photo(context, str(photo))
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).state == "preparing"
        await prepare_photo(context, str(photo))
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).state == "ready"

    run(cluster, tmp_path, test)


def test_a_delivery_that_was_repeated_is_the_same_delivery(cluster, tmp_path):
    """The desk took it, but its answer was lost: the next try carries the same key and the same file."""
    desk = Desk(httpx.ReadTimeout("lost"), httpx.Response(503), TAKEN)

    async def test(context, _):
        order = await asked(context, await ready_photo(context, 3))
        waits = [await hand_over_at_once(context, order) for _ in range(2)]
        assert waits == [2, 4]
        waiting = await state(context, order.id)
        (delivery,) = await context.database.rows(Delivery, "deliveries_of", hand_over=order.id)
        assert (waiting.state, waiting.ended_at, delivery.attempts) == ("delivering", None, 2)
        assert await hand_over_at_once(context, order) is None
        ended = await state(context, order.id)
        assert (ended.state, ended.receipt) == ("accepted", "VH-1")
        assert context.blobs.path(ended.blob).stat().st_size == ended.bytes
        await handing_over.hand_over(context, str(order.id))
        assert desk.keys == [str(order.id)] * 3

    run(cluster, tmp_path, test, desk)


def test_cancelling_in_the_middle_stops_before_the_desk(cluster, tmp_path, monkeypatch):
    desk = Desk(TAKEN)

    async def test(context, _):
        order = await asked(context, await ready_photo(context, 4))
        real = handing_over._say_progress

        async def cancel_then_say(context, order, share):
            await context.database.value("cancel_hand_over", hand_over=order.id, photo=order.photo)
            await real(context, order, share)

        monkeypatch.setattr(handing_over, "_say_progress", cancel_then_say)
        await handing_over.hand_over(context, str(order.id))
        ended = await state(context, order.id)
        assert (ended.state, ended.blob) == ("cancelled", None)
        assert desk.keys == []

    run(cluster, tmp_path, test, desk)


def test_a_ledger_that_cannot_be_rendered_fails_with_its_reason(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 5)
        everything = {"kind": "strokes", "strokes": [{"points": [[200, 150, 1]], "size": 2000, "hardness": 1}]}
        await changed(context, photo, {"op": "heal", "mask": everything})
        order = await asked(context, photo)
        await handing_over.hand_over(context, str(order.id))
        ended = await state(context, order.id)
        assert ended.state == "failed"
        assert "whole picture" in ended.reasons[0]

    run(cluster, tmp_path, test)


def test_what_was_asked_but_never_queued_is_queued_again(cluster, tmp_path):
    async def test(context, queue):
        order = await asked(context, await ready_photo(context, 6))
        await _rescue(queue, context)
        await _rescue(queue, context)
        waiting = await queue.job_manager.list_jobs_async(task="hand_over", status="todo")
        mine = [job for job in waiting if job.task_kwargs["hand_over"] == str(order.id)]
        assert len(mine) == 1
        await defer_hand_over(queue, str(order.id))
        assert len(await queue.job_manager.list_jobs_async(queueing_lock=f"hand_over:{order.id}")) == 1

    run(cluster, tmp_path, test)


def test_a_desk_that_needs_a_moment_is_asked_after_it_and_not_all_the_while(cluster, tmp_path):
    """A job that finds it is too early queues itself anew: it must have its time."""

    async def test(context, queue):
        order = await asked(context, await ready_photo(context, 33))
        await defer_desk(queue, str(order.id), 0.9)
        (waiting,) = await queue.job_manager.list_jobs_async(queueing_lock=f"ask_desk:{order.id}", status="todo")
        assert waiting.scheduled_at is not None

    run(cluster, tmp_path, test)


def test_rescue_leaves_alone_what_a_job_waits_for(cluster, tmp_path):
    async def test(context, queue):
        order = await asked(context, await ready_photo(context, 34))
        assert str(order.id) in await context.hand_overs_to_make()
        await defer_hand_over(queue, str(order.id))
        assert str(order.id) not in await context.hand_overs_to_make()

    run(cluster, tmp_path, test)


def test_a_job_that_keeps_killing_its_worker_is_given_up(cluster, tmp_path):
    """Its worker's last sign of life is long ago, and it was tried four times."""

    async def test(context, queue):
        order = await asked(context, await ready_photo(context, 7))
        await defer_hand_over(queue, str(order.id))
        sql = queue.connector
        await sql.execute_query_async("insert into procrastinate_workers (last_heartbeat) values ('2020-01-01')")
        await sql.execute_query_async(
            "update procrastinate_jobs set status = 'doing', attempts = 4, "
            "worker_id = (select max(id) from procrastinate_workers) "
            f"where queueing_lock = 'hand_over:{order.id}'"
        )
        await _rescue(queue, context)
        ended = await state(context, order.id)
        assert ended.state == "failed"
        assert "several times" in ended.reasons[0]
        assert ended.ended_at is not None

    run(cluster, tmp_path, test)


def test_one_that_waits_behind_a_job_of_a_dead_worker_is_let_through(cluster, tmp_path):
    """Killed after it had asked to be done again: both have the same lock, and only one of a kind may wait."""

    async def test(context, queue):
        order, other = [await asked(context, await ready_photo(context, seed)) for seed in (17, 18)]
        sql = queue.connector
        for one in (order, other):
            await defer_desk(queue, str(one.id), 0)
            await sql.execute_query_async("insert into procrastinate_workers (last_heartbeat) values ('2020-01-01')")
            await sql.execute_query_async(
                "update procrastinate_jobs set status = 'doing', "
                "worker_id = (select max(id) from procrastinate_workers) "
                f"where queueing_lock = 'ask_desk:{one.id}'"
            )
        await defer_desk(queue, str(order.id), 0)
        await _rescue(queue, context)
        found = await queue.job_manager.list_jobs_async(queueing_lock=f"ask_desk:{order.id}")
        assert sorted(job.status for job in found) == ["aborted", "todo"]
        # and the next of them is rescued all the same
        (left,) = await queue.job_manager.list_jobs_async(queueing_lock=f"ask_desk:{other.id}")
        assert left.status == "todo"

    run(cluster, tmp_path, test)


def test_an_answer_is_waited_for_and_a_return_is_pinned_to_the_photo(cluster, tmp_path):
    looking = {"accepted": None, "reasons": [], "receipt": "VH-1", "seconds": 1.5}
    desk = Desk(TAKEN, said=[looking, {"accepted": False, "reasons": ["Too dark.", "Askew."], "receipt": "VH-1"}])

    async def test(context, queue):
        photo = await ready_photo(context, 8)
        order = await asked(context, photo)
        assert await handing_over.hand_over(context, str(order.id)) == 1.5
        assert (await state(context, order.id)).state == "delivered"
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).stage == "handed_over"
        assert await hand_over_at_once(context, order) is None
        assert (await state(context, order.id)).reasons == ["Too dark.", "Askew."]
        notes = await context.database.rows(Note, "notes_of_photo", photo=photo)
        assert [(note.side, note.text) for note in notes] == [("desk", "Too dark."), ("desk", "Askew.")]
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).stage == "returned"
        assert desk.keys == [str(order.id)]
        await changed(context, photo, {"op": "exposure", "params": {"ev": 0.2}})
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).stage == "bench"
        again = await asked(context, photo)
        assert (await state(context, order.id)).state == "superseded"
        assert again.id != order.id
        assert (await context.database.row(Photo, "photo_by_id", photo=photo)).stage == "handed_over"

    run(cluster, tmp_path, test, desk)


def test_a_return_that_is_cut_off_half_way_loses_no_reason(cluster, tmp_path, monkeypatch):
    """The database goes away between the end of the hand-over and its notes: it is asked again, and all is there."""
    desk = Desk(TAKEN, said=[{"accepted": False, "reasons": ["Too dark.", "Askew."], "receipt": "VH-1"}] * 2)
    whole = Transaction.run

    async def cut_off(self, query, **values):
        if query == "add_note":
            raise Away("the database is gone")
        await whole(self, query, **values)

    async def test(context, _):
        photo = await ready_photo(context, 12)
        order = await asked(context, photo)
        monkeypatch.setattr(Transaction, "run", cut_off)
        with pytest.raises(Away):
            await handing_over.hand_over(context, str(order.id))
        monkeypatch.undo()
        assert (await state(context, order.id)).state == "delivered"
        assert await handing_over.hand_over(context, str(order.id)) is None
        assert (await state(context, order.id)).state == "returned"
        notes = await context.database.rows(Note, "notes_of_photo", photo=photo)
        assert [note.text for note in notes] == ["Too dark.", "Askew."]

    run(cluster, tmp_path, test, desk)


def test_a_check_that_began_before_the_words_changed_is_not_kept(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 13)
        before = await context.database.row(Photo, "photo_by_id", photo=photo)
        await context.database.run("set_facts", photo=photo, title="Another", facts=Jsonb({}))
        await keep_check(context, before, before.head, [])
        assert await context.database.row(Check, "check_of_head", photo=photo) is None
        now = await context.database.row(Photo, "photo_by_id", photo=photo)
        await keep_check(context, now, now.head, [])
        assert (await context.database.row(Check, "check_of_head", photo=photo)).holds

    run(cluster, tmp_path, test)


def test_a_desk_that_refuses_outright_ends_the_hand_over_with_its_words(cluster, tmp_path):
    desk = Desk(httpx.Response(413, json={"detail": "The file is too large for this desk."}))

    async def test(context, _):
        order = await asked(context, await ready_photo(context, 9))
        assert await handing_over.hand_over(context, str(order.id)) is None
        ended = await state(context, order.id)
        assert (ended.state, "too large" in ended.reasons[0]) == ("failed", True)

    run(cluster, tmp_path, test, desk)


def test_a_file_is_made_once_with_its_further_sizes_and_how_its_lines_stand(cluster, tmp_path):
    async def test(context, _):
        order = await asked(context, await ready_photo(context, 10))
        await handing_over.hand_over(context, str(order.id))
        made = await state(context, order.id)
        assert [(one.name, one.file_name) for one in made.renditions] == [
            ("preview", "Race-Mill_01_preview.jpg"),
            ("web", "Race-Mill_01_web.jpg"),
        ]
        assert {line.requirement: line.state for line in made.verdicts}["alterations"] == "holds"
        check = await context.database.row(Check, "check_of_head", photo=order.photo)
        assert check.verdicts == made.verdicts

    run(cluster, tmp_path, test)


def test_a_check_says_how_every_line_stands_and_a_change_asks_for_another(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 11)
        await check_photo(context, str(photo))
        check = await context.database.row(Check, "check_of_head", photo=photo)
        stands = {line.requirement: line.state for line in check.verdicts}
        assert stands["ratio"] == "short"
        assert stands["long_side"] == "short"
        assert stands["by_eye"] == "open"
        assert "later" not in stands.values()
        assert not check.holds
        await changed(context, photo, {"op": "exposure", "params": {"ev": 0.2}})
        assert await context.database.row(Check, "check_of_head", photo=photo) is None

    run(cluster, tmp_path, test)
