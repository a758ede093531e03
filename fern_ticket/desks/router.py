"""The desks' door: one inbox each. A delivery is known by its key, so the same one twice is answered once."""

from __future__ import annotations

import asyncio
import hashlib
import json
import os
import secrets
import time
from pathlib import Path
from typing import Annotated
from uuid import uuid4

from fastapi import APIRouter, File, Form, Header, HTTPException, UploadFile
from pydantic import BaseModel, Field

from fern_ticket.desks.measuring import DESKS, Asks, reasons_against

#: Longest delivery that a desk takes.
_LARGEST = 200 * 1024 * 1024


class Taken(BaseModel):
    receipt: str


class Answer(BaseModel):
    """What the desk says of a delivery; `accepted` is None while it is being looked at, for so many seconds more."""

    accepted: bool | None
    reasons: list[str]
    receipt: str
    seconds: float = 0


class Hours(BaseModel):
    closed_for: float = Field(ge=0, le=3600, description="Seconds for which the desk takes and answers nothing.")


def desk_router(inbox: Path, token: str, looks_for: float) -> APIRouter:
    """Routes of every desk, with their files under `inbox`.

    `token` is what a sender must show; a desk looks at a file for `looks_for` seconds before it answers.
    """
    router = APIRouter(prefix="/desks", tags=["desks"])

    def asks_of(desk: str, authorization: str) -> Asks:
        if not token or not secrets.compare_digest(authorization.encode(), f"Bearer {token}".encode()):
            raise HTTPException(401, "This desk does not know the sender.")
        asks = DESKS.get(desk)
        if asks is None:
            raise HTTPException(404, "There is no such desk.")
        return asks

    def open_desk(desk: str, authorization: str) -> Asks:
        asks = asks_of(desk, authorization)
        if _opens_at(inbox, desk) > time.time():
            raise HTTPException(503, "The desk is closed for the moment.")
        return asks

    @router.post("/{desk}/inbox", status_code=202)
    async def take(
        desk: str,
        file: Annotated[UploadFile, File()],
        order: Annotated[str, Form(max_length=40)],
        idempotency_key: Annotated[str, Header(max_length=80)],
        authorization: Annotated[str, Header()] = "",
    ) -> Taken:
        """Take one file. The answer comes when it was looked at."""
        asks = open_desk(desk, authorization)
        data = await file.read(_LARGEST + 1)
        if len(data) > _LARGEST:
            raise HTTPException(413, "The file is too large for this desk.")
        return await asyncio.to_thread(_take, inbox / desk, asks, idempotency_key, order, file.filename, data)

    @router.get("/{desk}/inbox/{key}")
    async def answer(desk: str, key: str, authorization: Annotated[str, Header()] = "") -> Answer:
        """What became of a delivery."""
        asks = open_desk(desk, authorization)
        return await asyncio.to_thread(_answer, inbox / desk, asks, key, looks_for)

    @router.put("/{desk}/hours", status_code=204)
    async def hours(desk: str, asked: Hours, authorization: Annotated[str, Header()] = "") -> None:
        """Close the desk for a while, as desks do."""
        asks_of(desk, authorization)
        inbox.mkdir(parents=True, exist_ok=True)
        _write(_hours(inbox, desk), str(time.time() + asked.closed_for).encode())

    return router


def _hours(inbox: Path, desk: str) -> Path:
    return inbox / f"{desk}.opens-at"


def _opens_at(inbox: Path, desk: str) -> float:
    """When a desk opens again, as all processes know it; 0 for one that was never closed."""
    try:
        return float(_hours(inbox, desk).read_text())
    except FileNotFoundError:
        return 0.0


def clear_unfinished(inbox: Path) -> None:
    """What a desk was writing when it was stopped; whoever sent it sends it again."""
    for part in inbox.glob("*/*.part"):
        part.unlink(missing_ok=True)


def _entry(folder: Path, key: str) -> Path:
    return folder / hashlib.sha256(key.encode()).hexdigest()[:32]


def _take(folder: Path, asks: Asks, key: str, order: str, name: str | None, data: bytes) -> Taken:
    """The same delivery twice is one delivery; another file under its key is none."""
    entry = _entry(folder, key)
    receipt = f"{asks.receipts}-{entry.name[:8].upper()}"
    kept = entry.with_suffix(".json")
    if not kept.exists():
        folder.mkdir(parents=True, exist_ok=True)
        _write(entry.with_suffix(".bin"), data)
        record = {"order": order, "name": name, "bytes": len(data), "taken_at": time.time(), "receipt": receipt}
        _write(kept, json.dumps(record).encode())
    elif entry.with_suffix(".bin").read_bytes() != data:
        raise HTTPException(422, "Another file was delivered under this key. Deliver this one under a key of its own.")
    return Taken(receipt=receipt)


def _answer(folder: Path, asks: Asks, key: str, looks_for: float) -> Answer:
    entry = _entry(folder, key)
    kept = entry.with_suffix(".json")
    if not kept.exists():
        raise HTTPException(404, "The desk knows of no such delivery.")
    record = json.loads(kept.read_text())
    left = record["taken_at"] + looks_for - time.time()
    if left > 0:
        return Answer(accepted=None, reasons=[], receipt=record["receipt"], seconds=left)
    if "reasons" not in record:
        record["reasons"] = reasons_against(entry.with_suffix(".bin").read_bytes(), asks)
        _write(kept, json.dumps(record).encode())
    return Answer(accepted=not record["reasons"], reasons=record["reasons"], receipt=record["receipt"])


def _write(path: Path, data: bytes) -> None:
    """Whole or not at all. The same delivery may come twice at once: each has a name of its own until it is there."""
    part = path.with_name(f"{path.name}.{uuid4().hex}.part")
    with part.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
