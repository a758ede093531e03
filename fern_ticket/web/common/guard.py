"""What every request passes: where it comes from, how large it is, and the headers of the answer."""

from __future__ import annotations

import re
import time
from typing import cast

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fern_ticket.logs import id_of_request, request_id
from fern_ticket.web.common.metrics import Metrics
from fern_ticket.web.common.problems import problem
from fern_ticket.web.common.state import Shared

_TOO_MUCH = "That is more than can be taken at once."
#: Bodies that anybody may send, and what JSON of a page may measure.
_OPEN_TO_ALL, _PLAIN = 16 << 10, 12 << 20
#: A part of a file that comes by a link.
_PART = 9 << 20
_BEFORE_SIGN_IN = ("/api/session",)
#: Where files come in, and how many at once.
_FILES, _FILES_AT_ONCE = re.compile(r"/api/tickets/[^/]+/photos"), 40
_ONE_FILE = re.compile(r"/api/photos/[^/]+/original")
#: Seconds for which a browser asks over TLS only, once it was answered so.
_ONLY_SAFE = f"max-age={365 * 86400}"
_SAFE = {"GET", "HEAD", "OPTIONS"}
_POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


class Guard:
    """Refuses requests under other host names, changing ones and sockets of other origins, and bodies beyond the
    upload limit.

    A browser always sends Origin with those; a script that sends none must show no cookie either, or it is refused.
    """

    def __init__(self, app: ASGIApp, upload_limit: int) -> None:
        self._app = app
        self._limit = upload_limit

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        request = id_of_request(headers.get("x-request-id", ""))
        request_id.set(request)
        if not await _shared(scope).hosts.known(headers.get("host", "")):
            await _refuse(scope, receive, send, 421, "This application is not reached under that name.")
            return
        changing = scope["type"] == "websocket" or scope["method"] not in _SAFE
        if changing and not _same_origin(headers, _is_safe(scope)):
            await _refuse(scope, receive, send, 403, "This request came from another site.")
            return
        most = self._most(scope["path"], headers)
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > most:
            await _refuse(scope, receive, send, 413, _TOO_MUCH)
            return
        come = 0

        async def counted() -> Message:
            nonlocal come
            message = await receive()
            come += len(message.get("body", b"")) if message["type"] == "http.request" else 0
            if come > most:
                # answered like any other refusal by whoever reads the body
                raise HTTPException(413, _TOO_MUCH)
            return message

        began = time.perf_counter()

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                figures = cast(Metrics, scope["app"].state.metrics)
                figures.answered(time.perf_counter() - began, changing=changing, status=message["status"])
                out = MutableHeaders(scope=message)
                out["X-Request-Id"] = request
                out.setdefault("X-Content-Type-Options", "nosniff")
                out.setdefault("Referrer-Policy", "no-referrer")
                out.setdefault("Content-Security-Policy", _POLICY)
                if "json" in out.get("Content-Type", ""):
                    out.setdefault("Cache-Control", "no-store")
                if _is_safe(scope):
                    out.setdefault("Strict-Transport-Security", _ONLY_SAFE)
            await send(message)

        await self._app(scope, counted if scope["type"] == "http" else receive, with_headers)

    def _most(self, path: str, headers: Headers) -> int:
        """Most bytes of a request's body: what its route can have use for, and little from those not signed in."""
        if path.startswith("/desks/"):
            return self._limit + _PLAIN
        if path.startswith("/api/bring/"):
            return _PART
        if path in _BEFORE_SIGN_IN or "cookie" not in headers:
            return _OPEN_TO_ALL
        if path == "/api/archives":
            return _FILES_AT_ONCE * self._limit
        if _ONE_FILE.fullmatch(path):
            return self._limit + _PLAIN
        return _FILES_AT_ONCE * self._limit if _FILES.fullmatch(path) else _PLAIN


def _shared(scope: Scope) -> Shared:
    return cast(Shared, scope["app"].state.shared)


def _same_origin(headers: Headers, safe: bool) -> bool:
    """A page that came unprotected may not change what is served over TLS. The other way round is a proxy's doing."""
    origin = headers.get("origin")
    if origin is None:
        return "cookie" not in headers
    scheme, _, host = origin.rpartition("://")
    return host == headers.get("host", "") and scheme in (("https",) if safe else ("https", "http"))


def _is_safe(scope: Scope) -> bool:
    """Whether it was asked for over TLS, here or at a proxy that says so."""
    return scope["scheme"] in ("https", "wss")


async def _refuse(scope: Scope, receive: Receive, send: Send, status: int, sentence: str) -> None:
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 4403, "reason": sentence})
        return
    await problem(status, sentence)(scope, receive, send)
