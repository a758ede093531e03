"""Errors of the domain as problem details (RFC 9457): a sentence and what to do."""

from __future__ import annotations

import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from fern_ticket.core.errors import FernError
from fern_ticket.logs import request_id
from fern_ticket.store.errors import Away, Unkeepable

log = logging.getLogger("fern.web")

_MEDIA_TYPE = "application/problem+json"
#: How every route answers what it cannot do, for the interface's description, where `Problem` stands among the schemas.
ANSWERS: dict[int | str, dict[str, Any]] = {
    "default": {
        "description": "What is wrong, and what to do about it (RFC 9457).",
        "content": {_MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
}


class Problem(BaseModel):
    """What is wrong, as a sentence, and what to do about it."""

    type: str
    status: int
    title: str
    detail: str


class Stale(FernError):
    """Somebody else changed the ledger in the meantime."""

    def __init__(self) -> None:
        super().__init__(
            "This photo was changed somewhere else in the meantime.",
            "The bench shows its newest state now; make your change again.",
        )


def problem(status: int, sentence: str, hint: str = "") -> JSONResponse:
    body = Problem(type="about:blank", status=status, title=sentence, detail=hint).model_dump(mode="json")
    # what is too much is not read to its end, for nobody
    headers = {"Connection": "close"} if status == 413 else None
    return JSONResponse(body, status, headers, media_type=_MEDIA_TYPE)


def install_problems(app: FastAPI) -> None:
    @app.exception_handler(FernError)
    async def fern_error(_: Request, error: FernError) -> JSONResponse:
        return problem(409 if isinstance(error, Stale) else 422, error.sentence, error.hint)

    @app.exception_handler(HTTPException)
    async def http_error(_: Request, error: HTTPException) -> JSONResponse:
        answer = problem(error.status_code, str(error.detail))
        answer.headers.update(error.headers or {})
        return answer

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        return problem(422, "The request does not fit.", f"{place}: {first['msg']}")

    @app.exception_handler(Unkeepable)
    async def unkeepable(_: Request, __: Unkeepable) -> JSONResponse:
        log.warning("the database cannot keep a value")
        return problem(
            422, "A text holds a character that cannot be kept.", "Take control characters out, and try again."
        )

    @app.exception_handler(Away)
    async def away(_: Request, error: Away) -> JSONResponse:
        log.warning("the database is away: %s", error)
        return problem(503, "The database does not answer at the moment.", "What was saved is kept. Try again soon.")

    @app.exception_handler(Exception)
    async def unexpected(_: Request, error: Exception) -> JSONResponse:
        log.exception("unexpected error", exc_info=error)
        hint = f"Nothing that was saved is lost. Try again, or ask whoever runs this: request {request_id.get()}."
        return problem(500, "Something went wrong here.", hint)
