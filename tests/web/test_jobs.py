"""Jobs when things go wrong: a desk that is down, a person who cancels, a photo that cannot be rendered."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from dataclasses import replace
from uuid import UUID

import httpx
import pytest
from psycopg.types.json import Jsonb

from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.jobs import work
from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.queue import _rescue, defer_hand_over, make_queue, prepare_database
from fern_ticket.settings import Settings
from fern_ticket.store.database import opened
from fern_ticket.store.records import HandOver, Id, Ledger, Photo
from fern_ticket.web.demo import scenario
from tests import pictures
from tests.rows import photo_on_ticket

TAKEN = {"accepted": True, "reasons": [], "receipt": "VH-1"}


class Desk:
    """A desk that answers as it is told, and remembers what it was sent."""

    def __init__(self, *answers):
        self.answers = list(answers)
        self.keys = []

    def __call__(self, request: httpx.Request) -> httpx.Response:
        self.keys.append(request.headers["Idempotency-Key"])
        answer = self.answers.pop(0) if len(self.answers) > 1 else self.answers[0]
        if isinstance(answer, Exception):
            raise answer
        return answer if isinstance(answer, httpx.Response) else httpx.Response(200, json=answer)


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


async def asked(context, photo) -> HandOver:
    ledger = await context.database.row(Ledger, "ledger_at_head", photo=photo)
    made = await context.database.row(
        Id, "add_hand_over", photo=photo, revision=ledger.revision, file_name="Race-Mill_01.jpg", user=None
    )
    return await state(context, made.id)


async def state(context, hand_over) -> HandOver:
    return await context.database.row(HandOver, "hand_over_by_id", hand_over=hand_over)


def png(seed, rows=300, columns=400):
    return pictures.file(pictures.texture(rows, columns, seed), "PNG", icc_profile=srgb_icc())


async def ready_photo(context, seed) -> UUID:
    photo = await brought(context, png(seed), seed)
    await work.prepare_photo(context, str(photo))
    return photo


def test_a_photo_is_prepared_once_and_starts_with_an_empty_ledger(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 1)
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert (row.state, row.width, row.height, row.steps) == ("ready", 400, 300, 0)
        first = await context.database.row(Ledger, "ledger_at_head", photo=photo)
        await work.prepare_photo(context, str(photo))
        assert await context.database.row(Ledger, "ledger_at_head", photo=photo) == first
        await work.prepare_photo(context, "00000000-0000-0000-0000-000000000000")

    run(cluster, tmp_path, test)


def test_a_picture_that_breaks_the_reader_is_refused_not_tried_for_ever(cluster, tmp_path, monkeypatch):
    async def test(context, _):
        photo = await brought(context, png(2), 2)
        monkeypatch.setattr(type(context.prepared), "prepare", lambda *_: 1 / 0)
        await work.prepare_photo(context, str(photo))
        row = await context.database.row(Photo, "photo_by_id", photo=photo)
        assert row.state == "refused"
        assert "another format" in row.problem

    run(cluster, tmp_path, test)


def test_a_delivery_that_was_repeated_is_the_same_delivery(cluster, tmp_path):
    """The desk took it, but its answer was lost: the next try carries the same key and the same file."""
    desk = Desk(httpx.ReadTimeout("lost"), httpx.Response(503), TAKEN)

    async def test(context, _):
        order = await asked(context, await ready_photo(context, 3))
        for _ in range(2):
            with pytest.raises(httpx.HTTPError):
                await work.hand_over(context, str(order.id))
            assert (await state(context, order.id)).ended_at is None
        await work.hand_over(context, str(order.id))
        ended = await state(context, order.id)
        assert (ended.state, ended.receipt) == ("accepted", "VH-1")
        assert context.blobs.path(ended.blob).stat().st_size == ended.bytes
        await work.hand_over(context, str(order.id))
        assert desk.keys == [str(order.id)] * 3

    run(cluster, tmp_path, test, desk)


def test_cancelling_in_the_middle_stops_before_the_desk(cluster, tmp_path, monkeypatch):
    desk = Desk(TAKEN)

    async def test(context, _):
        order = await asked(context, await ready_photo(context, 4))
        real = work._say_progress

        async def cancel_then_say(context, order, share):
            await context.database.value("cancel_hand_over", hand_over=order.id, photo=order.photo)
            await real(context, order, share)

        monkeypatch.setattr(work, "_say_progress", cancel_then_say)
        await work.hand_over(context, str(order.id))
        ended = await state(context, order.id)
        assert (ended.state, ended.blob) == ("cancelled", None)
        assert desk.keys == []

    run(cluster, tmp_path, test, desk)


def test_a_ledger_that_cannot_be_rendered_fails_with_its_reason(cluster, tmp_path):
    async def test(context, _):
        photo = await ready_photo(context, 5)
        ledger = await context.database.row(Ledger, "ledger_at_head", photo=photo)
        everything = {"kind": "strokes", "strokes": [{"points": [[200, 150, 1]], "size": 2000, "hardness": 1}]}
        steps = Jsonb([{"op": "heal", "mask": everything}])
        await context.database.value(
            "add_revision", photo=photo, expected=ledger.revision, summary="s", steps=steps, user=None
        )
        order = await asked(context, photo)
        await work.hand_over(context, str(order.id))
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
