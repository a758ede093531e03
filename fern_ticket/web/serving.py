"""Run the web application."""

from __future__ import annotations

import uvicorn

from fern_ticket import logs
from fern_ticket.core.threads import keep_to
from fern_ticket.settings import settings
from fern_ticket.web.app import create_app


def serve() -> None:
    """Serve until SIGINT or SIGTERM. Frames go uncompressed: they are JPEGs, and deflate would only cost time."""
    logs.set_up()
    keep_to(settings().threads)
    uvicorn.run(
        create_app(settings()),
        host=settings().host,
        port=settings().port,
        server_header=False,
        ws_per_message_deflate=False,
        ws_max_size=8 * 1024 * 1024,
        log_config=None,
        log_level="warning",
        timeout_graceful_shutdown=5,
    )
