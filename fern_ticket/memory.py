"""What memory this process has; what of it is free is given back to the machine.

Large arrays are made and freed in many threads, beside small things that stay. What was freed lies between them, and
the C library keeps it, for each of its arenas: 0.8 GB after an hour at a bench (`./fern bench soak`).
"""

from __future__ import annotations

import asyncio
import ctypes
import os
from pathlib import Path

#: Seconds between two times that memory is given back.
_OFTEN = 20.0
#: Arenas of glibc's malloc, and its own number for that setting.
_ARENAS, _ARENA_MAX = 2, -8
_PAGE = os.sysconf("SC_PAGE_SIZE")


def resident() -> int:
    """Bytes of memory that this process has, mapped files included."""
    return _pages()[0] * _PAGE


def own() -> int:
    """Bytes of memory that this process does not share with files."""
    all_of_it, shared = _pages()
    return (all_of_it - shared) * _PAGE


def _pages() -> tuple[int, int]:
    """Pages in memory, and those of them that are shared with files."""
    _, all_of_it, shared, *_ = map(int, Path("/proc/self/statm").read_text().split())
    return all_of_it, shared


def keep_together() -> None:
    """Have all threads share few arenas. Counts for those that begin afterwards."""
    set_up = getattr(ctypes.CDLL(None), "mallopt", None)
    if set_up is not None:  # glibc alone has it
        set_up(_ARENA_MAX, _ARENAS)


def give_back() -> bool:
    """Give back what is free; tells whether the C library can."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
    return trim is not None


async def give_back_often() -> None:
    """Give back what is free, again and again."""
    can = True
    while can:
        await asyncio.sleep(_OFTEN)
        can = await asyncio.to_thread(give_back)
