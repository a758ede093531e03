"""What the processes say of themselves: a line each, with the request that it belongs to, and no word of anybody's."""

from __future__ import annotations

import json
import logging
import re
import sys
from contextvars import ContextVar
from datetime import UTC, datetime
from uuid import uuid4

#: The request that is being answered; none in background work.
request_id: ContextVar[str] = ContextVar("request_id", default="")
_TAKEN = re.compile(r"[A-Za-z0-9_-]{1,64}")


class Lines(logging.Formatter):
    """JSON, an object a line: `at`, `level`, `from`, `says`, and where there are `request` and `trouble`."""

    def format(self, record: logging.LogRecord) -> str:
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "says": record.getMessage(),
        }
        if request_id.get():
            line["request"] = request_id.get()
        if record.exc_info:
            line["trouble"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


class Plain(logging.Formatter):
    """The same for a person at a terminal."""

    def __init__(self) -> None:
        super().__init__("%(asctime)s %(name)s %(message)s")

    def format(self, record: logging.LogRecord) -> str:
        said, of = super().format(record), request_id.get()
        return f"{said} [{of}]" if of else said


def set_up() -> None:
    """Say what matters on standard error: lines for a person at a terminal, JSON for everything else."""
    handler = logging.StreamHandler()
    handler.setFormatter(Plain() if sys.stderr.isatty() else Lines())
    logging.basicConfig(level=logging.INFO, handlers=[handler])
    for noisy in ("procrastinate", "httpx"):
        logging.getLogger(noisy).setLevel(logging.WARNING)


def id_of_request(asked: str) -> str:
    """The identifier that a proxy gave a request, where it is one; else a new one."""
    return asked if _TAKEN.fullmatch(asked) else uuid4().hex[:16]
