"""Ledgers as they are kept: each step once by its content, each revision as what it changes of the one before.

A revision never changes, so what was read of it stays in memory; steps that two revisions share are one object, with
all that was worked out of it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any
from uuid import UUID

from psycopg.types.json import Jsonb

from fern_ticket.core.ledger.steps import Step, read_steps, steps_json
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.store.database import Database, Queries
from fern_ticket.store.records import Chained, Ledger, LedgerHead, StepBody

#: After so many splices a revision keeps its whole list again.
_DEEPEST = 256
#: Memory for revisions that were read, and what a step and its place in a list take of it, roughly.
_BUDGET, _STEP_BYTES, _PLACE_BYTES = 96 << 20, 4096, 24


@dataclass(frozen=True)
class Listed:
    """The steps of a revision with the digests that they are kept under."""

    digests: tuple[bytes, ...]
    steps: tuple[Step, ...]
    depth: int


@dataclass(frozen=True)
class Splice:
    """In a list, `gone` items from `at` on replaced by others."""

    at: int
    gone: int
    new: tuple[bytes, ...]


class Ledgers:
    """Reads and adds revisions."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._kept = ByteCache(_BUDGET)

    async def head(self, photo: UUID) -> Ledger | None:
        """A photo's newest revision."""
        return await self.at(photo, None)

    async def at(self, photo: UUID, revision: int | None) -> Ledger | None:
        """A revision of a photo; the newest for None."""
        head = await self._database.row(LedgerHead, "ledger_head", photo=photo, revision=revision)
        if head is None:
            return None
        listed = await self._listed(photo, head.revision)
        return Ledger(**head.model_dump(), steps=listed.steps)

    async def steps(self, photo: UUID, revision: int) -> tuple[Step, ...] | None:
        """The steps of a revision; None where the photo has no such revision."""
        kept: Listed | None = self._kept.get(Key("revision", (photo, revision)))
        if kept is not None:
            return kept.steps
        found = await self.at(photo, revision)
        return None if found is None else found.steps

    async def add(
        self,
        within: Queries,
        photo: UUID,
        expected: int,
        summary: str,
        steps: Sequence[Step],
        user: UUID | None,
    ) -> int | None:
        """A revision after the one that is expected to be newest. Its number; None where another is newest.

        `within` is the transaction that it is written in.
        """
        before = await self._listed(photo, expected)
        digests = tuple(digest_of(step) for step in steps)
        known = set(before.digests)
        added = {digest: step for digest, step in zip(digests, steps, strict=True) if digest not in known}
        if added:
            bodies = [json.dumps(body, allow_nan=False) for body in steps_json(list(added.values()))]
            await within.run("keep_steps", photo=photo, digests=list(added), bodies=bodies)
        whole = before.depth + 1 >= _DEEPEST
        splices = [] if whole else spliced(before.digests, digests)
        made = await within.value(
            "add_revision",
            photo=photo,
            expected=expected,
            summary=summary,
            step_count=len(digests),
            whole=list(digests) if whole else None,
            splices=None if whole else Jsonb([_as_json(one) for one in splices]),
            depth=0 if whole else before.depth + 1,
            user=user,
        )
        if made is None:
            return None
        for digest, step in added.items():
            self._keep_step(photo, digest, step)
        self._keep(photo, made, Listed(digests, tuple(steps), 0 if whole else before.depth + 1))
        return int(made)

    async def _listed(self, photo: UUID, revision: int) -> Listed:
        kept: Listed | None = self._kept.get(Key("revision", (photo, revision)))
        if kept is not None:
            return kept
        chain = await self._database.rows(Chained, "revision_chain", photo=photo, revision=revision)
        digests: tuple[bytes, ...] = ()
        for link in chain:
            if link.digests is not None:
                digests = tuple(link.digests)
            for splice in link.splices or ():
                new = tuple(bytes.fromhex(digest) for digest in splice["new"])
                digests = digests[: splice["at"]] + new + digests[splice["at"] + splice["gone"] :]
        steps = await self._steps_of(photo, digests)
        listed = Listed(digests, steps, chain[-1].depth if chain else 0)
        self._keep(photo, revision, listed)
        return listed

    async def _steps_of(self, photo: UUID, digests: tuple[bytes, ...]) -> tuple[Step, ...]:
        known: dict[bytes, Step] = {}
        for digest in digests:
            step = self._kept.get(Key("step", (photo, digest)))
            if step is not None:
                known[digest] = step
        missing = [digest for digest in digests if digest not in known]
        if missing:
            rows = await self._database.rows(StepBody, "step_bodies", photo=photo, digests=missing)
            for row, step in zip(rows, read_steps([row.body for row in rows]), strict=True):
                known[row.digest] = step
                step.derived["digest"] = row.digest
                self._keep_step(photo, row.digest, step)
        return tuple(known[digest] for digest in digests)

    def _keep_step(self, photo: UUID, digest: bytes, step: Step) -> None:
        self._kept.put(Key("step", (photo, digest)), step, _STEP_BYTES)

    def _keep(self, photo: UUID, revision: int, listed: Listed) -> None:
        self._kept.put(Key("revision", (photo, revision)), listed, 200 + _PLACE_BYTES * len(listed.steps))


def digest_of(step: Step) -> bytes:
    """What a step is kept under: all of its content, in 16 bytes."""
    found: bytes | None = step.derived.get("digest")
    if found is None:
        found = hashlib.sha256(step.model_dump_json(exclude_none=True).encode()).digest()[:16]
        step.derived["digest"] = found
    return found


def spliced(before: Sequence[bytes], after: Sequence[bytes]) -> list[Splice]:
    """What turns one list into the other, from the end to the beginning.

    >>> spliced([b"a", b"b", b"c"], [b"a", b"x", b"c", b"d"])
    [Splice(at=3, gone=0, new=(b'd',)), Splice(at=1, gone=1, new=(b'x',))]
    """
    least = min(len(before), len(after))
    start = next((at for at in range(least) if before[at] != after[at]), least)
    end = next((at for at in range(least - start) if before[-1 - at] != after[-1 - at]), least - start)
    old, new = before[start : len(before) - end], after[start : len(after) - end]
    codes = SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
    found = [
        Splice(start + low, high - low, tuple(new[first:last]))
        for kind, low, high, first, last in codes
        if kind != "equal"
    ]
    return found[::-1]


def _as_json(splice: Splice) -> dict[str, Any]:
    return {"at": splice.at, "gone": splice.gone, "new": [digest.hex() for digest in splice.new]}
