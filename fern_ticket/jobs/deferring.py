"""Putting work on the queue, each kind once for a subject."""

from __future__ import annotations

import contextlib
import math

import procrastinate
from procrastinate import App


async def defer_hand_over(queue: App, hand_over: str) -> None:
    await _defer_once(queue, "hand_over", hand_over)


async def defer_desk(queue: App, hand_over: str, wait: float) -> None:
    """Deliver, or ask for the desk's answer, after `wait` seconds."""
    await _defer_once(queue, "ask_desk", hand_over, wait)


async def defer_prepare(queue: App, photo: str) -> None:
    await _defer_once(queue, "prepare_photo", photo)


async def defer_take_back(queue: App, photo: str, blob: str, revision: int) -> None:
    """Lay what was lent and came back over its photo; a file that is brought twice is laid once at a time."""
    task = queue.configure_task("take_back", lock=f"take_back:{photo}", queueing_lock=f"take_back:{photo}:{blob}")
    with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
        await task.defer_async(photo=photo, blob=blob, revision=revision)


async def defer_check(queue: App, photo: str) -> None:
    await _defer_once(queue, "check_photo", photo)


async def checks_under_way(queue: App, photos: list[str]) -> set[str]:
    """Those of the photos that wait for a check or are being checked."""
    found = set()
    for status in ("todo", "doing"):
        for job in await queue.job_manager.list_jobs_async(task="check_photo", status=status):
            found.add(str(job.task_kwargs["photo"]))
    return found & set(photos)


_ARGUMENTS = {"prepare_photo": "photo", "check_photo": "photo", "hand_over": "hand_over", "ask_desk": "hand_over"}


async def _defer_once(queue: App, task: str, subject: str, wait: float = 0) -> None:
    """Queue a task for a subject unless one is waiting; two that run for the same subject wait for each other."""
    if task != "ask_desk":  # which is still running when it asks to be done again
        running = await queue.job_manager.list_jobs_async(task=task, status="doing", lock=f"{task}:{subject}")
        if list(running):
            return
    later = {"milliseconds": math.ceil(1000 * wait)} if wait > 0 else None
    with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
        await queue.configure_task(
            task, lock=f"{task}:{subject}", queueing_lock=f"{task}:{subject}", schedule_in=later
        ).defer_async(**{_ARGUMENTS[task]: subject})
