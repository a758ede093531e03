"""What every request passes: where it comes from, how large it is, and the headers of the answer."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fern_ticket.web.problems import problem

_SAFE = {"GET", "HEAD", "OPTIONS"}
_POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


class Guard:
    """Refuses changing requests and sockets of other origins, and bodies beyond the upload limit.

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
        changing = scope["type"] == "websocket" or scope["method"] not in _SAFE
        if changing and not _same_origin(headers):
            await _refuse(scope, receive, send, 403, "This request came from another site.")
            return
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > 40 * self._limit:
            await _refuse(scope, receive, send, 413, "That is more than can be taken at once.")
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                out.setdefault("X-Content-Type-Options", "nosniff")
                out.setdefault("Referrer-Policy", "no-referrer")
                out.setdefault("Content-Security-Policy", _POLICY)
            await send(message)

        await self._app(scope, receive, with_headers)


def _same_origin(headers: Headers) -> bool:
    origin = headers.get("origin")
    if origin is None:
        return "cookie" not in headers
    return origin.split("://", 1)[-1] == headers.get("host", "")


async def _refuse(scope: Scope, receive: Receive, send: Send, status: int, sentence: str) -> None:
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 4403, "reason": sentence})
        return
    await problem(status, sentence)(scope, receive, send)
