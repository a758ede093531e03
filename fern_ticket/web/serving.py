"""Run the web application: in one process, or in several behind one port."""

from __future__ import annotations

import ctypes
import os
import shutil
import signal
import sys
from multiprocessing import parent_process

import uvicorn
from fastapi import FastAPI

from fern_ticket import logs
from fern_ticket.core.threads import keep_to
from fern_ticket.memory import keep_together
from fern_ticket.settings import settings

#: Seconds in which a process has to say that it lives: it is busy with pictures at times.
_SIGN_OF_LIFE = 60
#: Seconds for which an idle connection is kept: longer than a hand rests, or a change meets one that is just closing.
_KEPT_OPEN = 75
#: What Linux's `prctl` calls the signal that comes when the process above dies.
_PARENT_DIES = 1


def serve() -> None:
    """Serve until SIGINT or SIGTERM. Frames go uncompressed: they are JPEGs, and deflate would only cost time.

    Of several processes each takes connections as they come; one that dies is started again, and the pages whose
    benches it had connect to another: whatever was saved is the database's.
    """
    logs.set_up()
    if settings().processes > 1:
        _share_figures()
    uvicorn.run(
        "fern_ticket.web.serving:application",
        factory=True,
        workers=settings().processes,
        host=settings().host,
        port=settings().port,
        server_header=False,
        ws_per_message_deflate=False,
        ws_max_size=8 * 1024 * 1024,
        log_config=None,
        log_level="warning",
        timeout_graceful_shutdown=5,
        timeout_keep_alive=_KEPT_OPEN,
        timeout_worker_healthcheck=_SIGN_OF_LIFE,
    )


def application() -> FastAPI:
    """The application of this process."""
    from fern_ticket.web.app import create_app  # figures are shared only when that is known before

    own, count = settings(), settings().processes
    keep_together()
    keep_to(own.threads)
    if count > 1:
        logs.set_up()
        _end_with_parent()
        own = own.model_copy(update={"cache_budget": own.cache_budget // count})
    return create_app(own)


def _end_with_parent() -> None:
    """Without the process above nobody would stop this one, which holds the port."""
    ctypes.CDLL(None).prctl(_PARENT_DIES, signal.SIGKILL)
    above = parent_process()
    if above is not None and os.getppid() != above.pid:  # it died before
        sys.exit("The server's process is gone.")


def _share_figures() -> None:
    """Where processes keep what they count, so that any of them can tell of all."""
    folder = settings().data / "figures"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700, parents=True)
    os.environ["PROMETHEUS_MULTIPROC_DIR"] = str(folder)
