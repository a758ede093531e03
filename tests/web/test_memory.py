"""Free memory goes back to the machine, where the C library can give it."""

from __future__ import annotations

import asyncio
from types import SimpleNamespace

import pytest

from fern_ticket import memory
from tests.application import run_apart


def test_free_memory_is_given_back_again_and_again(monkeypatch: pytest.MonkeyPatch):
    given = []
    enough = asyncio.Event()

    def trim(kept):
        given.append(kept)
        if len(given) == 3:
            loop[0].call_soon_threadsafe(enough.set)

    loop = []

    async def until_enough():
        loop.append(asyncio.get_running_loop())
        work = asyncio.create_task(memory.give_back_often())
        await asyncio.wait_for(enough.wait(), 20)
        work.cancel()

    monkeypatch.setattr(memory, "_OFTEN", 0)
    monkeypatch.setattr(memory.ctypes, "CDLL", lambda _: SimpleNamespace(malloc_trim=trim))
    run_apart(until_enough())
    assert given[:3] == [0, 0, 0]


def test_another_c_library_has_none_of_it(monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(memory.ctypes, "CDLL", lambda _: SimpleNamespace())
    run_apart(memory.give_back_often())
    memory.keep_together()
