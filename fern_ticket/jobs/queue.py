"""The queue itself, its schema, and what brings lost work back."""

from __future__ import annotations

import logging

import procrastinate
import psycopg
from procrastinate import App, PsycopgConnector

from fern_ticket.jobs import handing_over
from fern_ticket.jobs.checking import check_photo
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.deferring import defer_desk, defer_hand_over, defer_prepare
from fern_ticket.jobs.emptying import empty_bin
from fern_ticket.jobs.intake import fetch_arrivals
from fern_ticket.jobs.preparing import prepare_photo
from fern_ticket.jobs.taking_back import take_back
from fern_ticket.jobs.trimming import keep_to_budget
from fern_ticket.jobs.watching import look_at_watches
from fern_ticket.store.database import migrate

log = logging.getLogger("fern.jobs")

#: A worker that missed so many signs of life is dead, and its jobs are given to others.
_MISSED = 4
#: A job that killed its worker so often is not tried again.
_MOST_TRIES = 4


def prepare_database(url: str) -> None:
    """Bring both schemas, ours and the queue's, up to date. Safe when two processes start at once."""
    migrate(url)
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("select pg_advisory_lock(4276002)")
        there = connection.execute("select to_regclass('procrastinate_jobs')").fetchone()
        if there is not None and there[0] is None:
            sync = App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
            with sync.open():
                sync.schema_manager.apply_schema()


def make_queue(url: str, context: JobContext) -> App:
    """The queue with its tasks bound to `context`."""
    queue = App(connector=PsycopgConnector(conninfo=url))

    @queue.task(name="prepare_photo", queue="pictures")
    async def prepare(photo: str) -> None:
        await prepare_photo(context, photo)

    @queue.task(name="take_back", queue="pictures")
    async def taking_back(photo: str, blob: str, revision: int) -> None:
        await take_back(context, photo, blob, revision)

    @queue.task(name="check_photo", queue="pictures")
    async def check(photo: str) -> None:
        await check_photo(context, photo)

    @queue.task(name="hand_over", queue="pictures")
    async def hand_over(hand_over: str) -> None:
        await _go_on(hand_over)

    @queue.task(name="ask_desk", queue="upkeep")
    async def ask_desk(hand_over: str) -> None:
        await _go_on(hand_over)

    async def _go_on(hand_over: str) -> None:
        wait = await handing_over.hand_over(context, hand_over)
        if wait is not None:
            await defer_desk(queue, hand_over, wait)

    # six fields: the seconds come last
    @queue.periodic(cron="* * * * * */10")
    @queue.task(name="rescue", queue="upkeep", queueing_lock="rescue", pass_context=True)
    async def rescue(job_context: procrastinate.JobContext, timestamp: int) -> None:  # noqa: ARG001
        await _rescue(job_context.app, context)

    @queue.periodic(cron="* * * * * */4")
    @queue.task(name="arrivals", queue="upkeep", queueing_lock="arrivals", pass_context=True)
    async def arrivals(job_context: procrastinate.JobContext, timestamp: int) -> None:  # noqa: ARG001
        await fetch_arrivals(context, job_context.app)

    @queue.periodic(cron="* * * * * */10")
    @queue.task(name="watches", queue="watching", queueing_lock="watches", pass_context=True)
    async def watches(job_context: procrastinate.JobContext, timestamp: int) -> None:  # noqa: ARG001
        await look_at_watches(context, job_context.app)

    @queue.periodic(cron="*/10 * * * *")
    @queue.task(name="trim", queue="upkeep", queueing_lock="trim")
    async def trimming(timestamp: int) -> None:  # noqa: ARG001
        await keep_to_budget(context)

    @queue.periodic(cron="17 3 * * *")
    @queue.task(name="empty_bin", queue="upkeep", queueing_lock="empty_bin")
    async def emptying(timestamp: int) -> None:  # noqa: ARG001
        await empty_bin(context)

    return queue


async def _tried_again(queue: App, job: procrastinate.jobs.Job) -> None:
    """Queue a job of a dead worker; or end it where one of its kind waits already, which it would hold up for ever."""
    try:
        await queue.job_manager.retry_job(job)
    except procrastinate.exceptions.UniqueViolation:
        log.info("job %s is left to the one of %s that waits already", job.id, job.queueing_lock)
        await queue.job_manager.finish_job(job, procrastinate.jobs.Status.ABORTED, delete_job=False)


async def _rescue(queue: App, context: JobContext) -> None:
    """Hand the jobs of dead workers to living ones, and queue again what was asked for but never queued."""
    silence = _MISSED * context.settings.heartbeat
    for job in await queue.job_manager.get_stalled_jobs(seconds_since_heartbeat=silence):
        if job.attempts >= _MOST_TRIES:
            log.error("job %s killed its worker %s times and is given up", job.id, job.attempts)
            await queue.job_manager.finish_job(job, procrastinate.jobs.Status.FAILED, delete_job=False)
            if job.task_name == "hand_over":
                await handing_over.give_up(context, str(job.task_kwargs["hand_over"]))
        else:
            await _tried_again(queue, job)
    for hand_over in await context.hand_overs_to_make():
        await defer_hand_over(queue, hand_over)
    for hand_over in await context.hand_overs_to_deliver():
        await defer_desk(queue, hand_over, 0)
    for photo in await context.photos_preparing():
        await defer_prepare(queue, photo)
