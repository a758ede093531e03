"""The application, put together."""

from __future__ import annotations

import asyncio
import gc
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.docs import get_swagger_ui_html
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from fern_ticket.core.threads import cores
from fern_ticket.desks.router import clear_unfinished, desk_router
from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.queue import make_queue
from fern_ticket.memory import give_back, give_back_often
from fern_ticket.settings import Settings
from fern_ticket.store.database import opened
from fern_ticket.web.bench import socket
from fern_ticket.web.bench.background import Background
from fern_ticket.web.bench.messages import message_schemas
from fern_ticket.web.common.guard import Guard
from fern_ticket.web.common.hosts import Hosts
from fern_ticket.web.common.memory_limit import MemoryLimit, limit_for_each
from fern_ticket.web.common.metrics import Metrics
from fern_ticket.web.common.problems import ANSWERS, Problem, install_problems
from fern_ticket.web.common.state import Shared
from fern_ticket.web.common.turns import SharedThreads, Shares, Turns
from fern_ticket.web.common.who import SignedIn
from fern_ticket.web.routes import (
    around,
    binned,
    cleaning,
    clients,
    decks,
    devices,
    first,
    hand_overs,
    health,
    hours,
    leases,
    ledgers,
    links,
    me,
    moving,
    orders,
    people,
    photos,
    pieces,
    proofs,
    recipes,
    saying,
    sessions,
    slips,
    smalls,
    studio,
    tickets,
    uploads,
    walkovers,
    watches,
    ways,
)

#: Seconds between two notes of what a process holds.
_FIGURES_NOTED = 5.0
#: Changes that one person has made at once; more wait for these.
_CHANGES = 2
#: Threads for what is asked about pictures, such as where faces are, and how many of them one person's questions take.
_LOOKING, _LOOKING_EACH = 8, 2
#: Of the time, what one person's long messages are read in.
_READING = 0.2
_READER = Path(__file__).parents[2] / "frontend" / "node_modules" / "swagger-ui-dist"
_PAGE = Path(__file__).parents[2] / "frontend" / "dist"


def create_app(settings: Settings) -> FastAPI:
    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        async with opened(settings.database_url, size=8) as database:
            context = make_context(settings, database)
            queue = make_queue(settings.database_url, context)
            async with queue.open_async():
                app.state.shared = Shared(
                    settings=settings,
                    database=database,
                    queue=queue,
                    blobs=context.blobs,
                    prepared=context.prepared,
                    cache=context.cache,
                    opening=context.opening,
                    ledgers=context.ledgers,
                    desks=context.desks,
                    web=context.web,
                    safe=context.safe,
                    hosts=Hosts(database, settings.host),
                )

                def relieve() -> None:
                    context.cache.clear()
                    give_back()

                memory = MemoryLimit(limit_for_each(settings.memory, settings.processes), relieve)
                app.state.background = Background(memory)
                app.state.metrics = Metrics()
                # made at once, whoever they are for, each on one core; measuring apart, so that no change waits for it
                at_once = max(2, cores() // settings.processes)
                app.state.frames = SharedThreads(at_once, "frames", memory)
                app.state.measuring = SharedThreads(at_once, "measuring", memory)
                app.state.looking = SharedThreads(_LOOKING, "looking", memory, each=_LOOKING_EACH)
                app.state.changing = Turns(_CHANGES)
                app.state.reading = Shares(_READING)
                clear_unfinished(settings.desk_inbox)
                beside = [asyncio.create_task(give_back_often()), asyncio.create_task(memory.look_often())]
                if settings.warm:
                    beside.append(asyncio.create_task(_warm()))
                if settings.processes > 1:
                    beside.append(asyncio.create_task(_note_figures(app)))
                yield
                for task in beside:
                    task.cancel()
                app.state.background.close()
                app.state.frames.close()
                app.state.measuring.close()
                app.state.looking.close()

    app = FastAPI(
        title="Fern Ticket",
        version="0.1.0",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        responses=ANSWERS,
    )
    install_problems(app)
    app.add_middleware(Guard, upload_limit=settings.upload_limit)
    for part in (
        health,
        first,
        sessions,
        me,
        people,
        clients,
        tickets,
        orders,
        photos,
        smalls,
        binned,
        watches,
        links,
        moving,
        hours,
        ways,
        studio,
        uploads,
        devices,
        decks,
        slips,
        leases,
        ledgers,
        saying,
        cleaning,
        around,
        pieces,
        recipes,
        walkovers,
        hand_overs,
        proofs,
        socket,
    ):
        app.include_router(part.router)
    app.include_router(desk_router(settings.desk_inbox, settings.desk_token, settings.desk_looks_for))
    _describe_all(app)
    _serve_documents(app)
    _serve_page(app)
    return app


async def _warm() -> None:
    """Bring compiled kernels into memory, beside the first answers: signing in need not wait for it, the first drag
    finds them there."""

    def warm() -> None:
        from fern_ticket.core.warming import warm_kernels  # with libraries that take a second to load

        warm_kernels()

    await asyncio.to_thread(warm)
    # what stands now stands for good: the collector need not look through it again at every ledger read
    gc.collect()
    gc.freeze()


async def _note_figures(app: FastAPI) -> None:
    """Keep what only this process knows of itself where another that is asked for figures finds it."""
    while True:
        app.state.metrics.noted(app.state.shared)
        await asyncio.sleep(_FIGURES_NOTED)


def _describe_all(app: FastAPI) -> None:
    """Put what no route names beside the routes' models in the OpenAPI document: the answer to what cannot be done, and
    the socket's messages, as it cannot tell of sockets."""
    of_routes = app.openapi

    def with_all() -> dict[str, Any]:
        document = of_routes()
        known = document["components"]["schemas"]
        known["Problem"] = Problem.model_json_schema()
        for name, schema in message_schemas().items():
            known.setdefault(name, schema)
        return document

    app.openapi = with_all  # type: ignore[method-assign]


def _serve_documents(app: FastAPI) -> None:
    """The OpenAPI document and its reader, for those who are signed in. The reader ships with the page's packages."""

    @app.get("/openapi.json", include_in_schema=False)
    async def document(_: SignedIn) -> dict[str, Any]:
        return app.openapi()

    @app.get("/docs", include_in_schema=False)
    async def reader(_: SignedIn) -> HTMLResponse:
        page = get_swagger_ui_html(
            openapi_url="/openapi.json",
            title="Fern Ticket interface",
            swagger_js_url="/docs-reader/swagger-ui-bundle.js",
            swagger_css_url="/docs-reader/swagger-ui.css",
            swagger_favicon_url="/fern.svg",
        )
        page.headers["Content-Security-Policy"] = "default-src 'self' 'unsafe-inline' data:"
        return page

    if _READER.is_dir():
        app.mount("/docs-reader", StaticFiles(directory=_READER))


def _serve_page(app: FastAPI) -> None:
    """The built page: its files as they are, and its one document for every address that is the page's own."""

    @app.get("/{path:path}", include_in_schema=False)
    async def page(path: str) -> FileResponse:
        if path.startswith(("api/", "desks/")) or "\0" in path:
            raise HTTPException(404, "There is nothing here.")
        asked = (_PAGE / path).resolve()
        if path and asked.is_relative_to(_PAGE.resolve()) and asked.is_file():
            lasting = path.startswith("assets/")
            cache = "public, max-age=31536000, immutable" if lasting else "no-cache"
            return FileResponse(asked, headers={"Cache-Control": cache})
        document = _PAGE / "index.html"
        if not document.is_file():
            raise HTTPException(503, "The page is not built. Run ./fern start, which builds it.")
        return FileResponse(document, headers={"Cache-Control": "no-cache"})
