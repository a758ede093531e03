"""The desks' door: one inbox each. A delivery is known by its key, so the same one twice is answered once."""

from __future__ import annotations

import asyncio
import hashlib
import json
import os
import secrets
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, File, Form, Header, HTTPException, UploadFile
from pydantic import BaseModel

from fern_ticket.desks.measuring import DESKS, Asks, reasons_against

#: Longest delivery that a desk takes.
_LARGEST = 200 * 1024 * 1024


class Answer(BaseModel):
    accepted: bool
    reasons: list[str]
    receipt: str


def desk_router(inbox: Path, token: str) -> APIRouter:
    """Routes of every desk, with their files under `inbox`; `token` is what a sender must show."""
    router = APIRouter(prefix="/desks", tags=["desks"])

    @router.post("/{desk}/inbox")
    async def take(
        desk: str,
        file: Annotated[UploadFile, File()],
        order: Annotated[str, Form(max_length=40)],
        idempotency_key: Annotated[str, Header(max_length=80)],
        authorization: Annotated[str, Header()] = "",
    ) -> Answer:
        """Take one file, measure it, and answer with a receipt or a return."""
        if not token or not secrets.compare_digest(authorization.encode(), f"Bearer {token}".encode()):
            raise HTTPException(401, "This desk does not know the sender.")
        asks = DESKS.get(desk)
        if asks is None:
            raise HTTPException(404, "There is no such desk.")
        data = await file.read(_LARGEST + 1)
        if len(data) > _LARGEST:
            raise HTTPException(413, "The file is too large for this desk.")
        return await asyncio.to_thread(_answer, inbox / desk, asks, idempotency_key, order, file.filename, data)

    return router


def _answer(folder: Path, asks: Asks, key: str, order: str, name: str | None, data: bytes) -> Answer:
    entry = folder / hashlib.sha256(key.encode()).hexdigest()[:32]
    kept = entry.with_suffix(".json")
    if kept.exists():
        return Answer.model_validate(json.loads(kept.read_text())["answer"])
    folder.mkdir(parents=True, exist_ok=True)
    _write(entry.with_suffix(".bin"), data)
    reasons = reasons_against(data, asks)
    answer = Answer(accepted=not reasons, reasons=reasons, receipt=f"{asks.receipts}-{entry.name[:8].upper()}")
    record = {"order": order, "name": name, "bytes": len(data), "answer": answer.model_dump()}
    _write(kept, json.dumps(record).encode())
    return answer


def _write(path: Path, data: bytes) -> None:
    part = path.with_name(path.name + ".part")
    with part.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
