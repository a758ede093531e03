"""Figures for whoever watches over the application, as Prometheus reads them."""

from __future__ import annotations

import asyncio
import os
import shutil
from pathlib import Path
from typing import Literal, cast

from fastapi import Request, WebSocket
from prometheus_client import CollectorRegistry, Gauge, Histogram, ProcessCollector, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector, mark_process_dead

from fern_ticket.memory import resident
from fern_ticket.store.records import Load
from fern_ticket.store.trimming import held
from fern_ticket.web.common.state import Shared

#: Seconds up to which frames and answers are counted.
_FRAMES = (0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5)
_ANSWERS = (0.01, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 15)


class Metrics:
    """Of all processes of the server, and of what they share with others, as it is when it is asked for."""

    def __init__(self) -> None:
        self._registry = CollectorRegistry()
        shared = os.environ.get("PROMETHEUS_MULTIPROC_DIR")
        self._shared = Path(shared) if shared else None
        if self._shared is None:
            ProcessCollector(registry=self._registry)
        self._frames = Histogram(
            "fern_frame_seconds", "From a look to its frame.", ["kind"], buckets=_FRAMES, registry=self._registry
        )
        self._answers = Histogram(
            "fern_answer_seconds",
            "What answering a request took, by whether it changes anything and how it ended.",
            ["kind", "status"],
            buckets=_ANSWERS,
            registry=self._registry,
        )
        self._benches = self._gauge("fern_benches", "Benches that are open here.", each=True)
        self._cache = self._gauge("fern_cache_bytes", "What the cache holds, and may hold.", "of", each=True)
        self._memory = self._gauge("fern_memory_bytes", "Resident memory of the server's processes.", each=True)
        self._prepared = self._gauge("fern_prepared_bytes", "What prepared copies take on disk, and may take.", "of")
        self._disk = self._gauge("fern_disk_bytes", "The data folder's disk, all of it and what is free.", "of")
        self._jobs = self._gauge("fern_jobs", "Background work by how it stands.", "state")
        self._leases = self._gauge("fern_leases", "Photos that lie on somebody's bench.")

    def framed(self, seconds: float, *, fine: bool) -> None:
        self._frames.labels("fine" if fine else "moving").observe(seconds)

    def answered(self, seconds: float, *, changing: bool, status: int) -> None:
        self._answers.labels("change" if changing else "read", f"{status // 100}xx").observe(seconds)

    def opened(self) -> None:
        self._benches.inc()

    def closed(self) -> None:
        self._benches.dec()

    def noted(self, shared: Shared) -> None:
        """Note what only this process knows of itself."""
        self._cache.labels("held").set(shared.cache.held)
        self._cache.labels("budget").set(shared.cache.budget)
        self._memory.set(resident())

    async def told(self, shared: Shared) -> bytes:
        """All of it in the text format."""
        self.noted(shared)
        settings = shared.settings
        prepared = await asyncio.to_thread(held, settings.pyramids, settings.patches)
        self._prepared.labels("held").set(prepared)
        self._prepared.labels("budget").set(settings.disk_budget)
        disk = await asyncio.to_thread(shutil.disk_usage, settings.data)
        self._disk.labels("free").set(disk.free)
        self._disk.labels("total").set(disk.total)
        load = await shared.database.row(Load, "load")
        assert load is not None
        self._leases.set(load.leases)
        for state, count in (("waiting", load.waiting), ("doing", load.doing), ("failed", load.failed)):
            self._jobs.labels(state).set(count)
        return await asyncio.to_thread(self._written)

    def _written(self) -> bytes:
        if self._shared is None:
            return generate_latest(self._registry)
        for process in {int(path.stem.rsplit("_", 1)[1]) for path in self._shared.glob("*.db")}:
            if not Path(f"/proc/{process}").exists():
                mark_process_dead(process, self._shared)  # type: ignore[no-untyped-call]
        registry = CollectorRegistry()
        MultiProcessCollector(registry, self._shared)  # type: ignore[no-untyped-call]
        return generate_latest(registry)

    def _gauge(self, name: str, says: str, *labels: str, each: bool = False) -> Gauge:
        """A figure that stands; one that `each` process has is added up."""
        mode: Literal["livesum", "livemostrecent"] = "livesum" if each else "livemostrecent"
        return Gauge(name, says, labels, registry=self._registry, multiprocess_mode=mode)


def metrics_of(connection: Request | WebSocket) -> Metrics:
    return cast(Metrics, connection.app.state.metrics)
