"""Fixtures that several folders share."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling

from tests.application import Application, Cluster, ready_photos, until

#: Tests that share what takes long to start stay in one process, whichever is free first.
_TOGETHER = {
    "one application": re.compile(r"tests/browser/test_(access|clean|sizes|ten_people)\.py"),
    "another": re.compile(r"tests/browser/test_(?!a_studio_begins)|tests/web/test_(bench|cleaning|mended)\.py"),
    "a third": re.compile(
        r"tests/web/test_(backup|clients|doors|intake|links|logs|orders|photos|roles|round|ways)\.py"
    ),
    "cluster": re.compile(r"tests/store/|tests/web/test_(jobs|watching)\.py"),
    "demo pictures": re.compile(r"tests/reference/test_demo_pictures\.py"),
    "every operation": re.compile(r"tests/core/test_rendering\.py::test_with_every_operation"),
    "power cuts": re.compile(r"tests/web/test_power_cuts\.py"),
    "two processes": re.compile(r"tests/web/test_processes\.py"),
}


#: What takes longest goes first, so that no process waits for another at the end.
_FIRST = (
    *_TOGETHER.values(),
    re.compile(r"tests/(web/test_(any_request|fern_command)|browser/test_a_studio_begins)\.py"),
    re.compile(r"tests/(core/test_(repairs|lamps_and_prints|preparing|source|charts)|reference)"),
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: next((at for at, fits in enumerate(_FIRST) if fits.match(item.nodeid)), len(_FIRST)))


class _Together(LoadScopeScheduling):
    def _split_scope(self, nodeid: str) -> str:
        return next((name for name, fits in _TOGETHER.items() if fits.match(nodeid)), nodeid)


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> LoadScopeScheduling:
    config.option.loadscopereorder = False
    return _Together(config, log)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    made = Cluster()
    yield made
    made.remove()


@pytest.fixture(scope="session")
def application() -> Iterator[Application]:
    """The demo, running, with its photos ready. Tests change its ledgers; each begins with what it needs."""
    with running_on_its_own() as running:
        running.start_server()
        running.start_worker()
        running.load_demo("FT-0201")
        with running.client() as client:
            until("the demo photos to be ready", lambda: ready_photos(client))
        yield running


@pytest.fixture
def own_application() -> Iterator[Application]:
    """An application that a test may kill."""
    with running_on_its_own() as running:
        yield running


@pytest.fixture
def empty_application() -> Iterator[Application]:
    """An application on an empty data folder, as it is for whoever begins."""
    with running_on_its_own(demo=False) as running:
        yield running


@contextmanager
def running_on_its_own(*, demo: bool = True, processes: int = 1, threads: int = 0) -> Iterator[Application]:
    """Cluster, data folder and application; all of it gone afterwards, whatever happened."""
    cluster = Cluster()
    try:
        data = cluster.folder / "data"
        data.mkdir()
        running = Application(cluster, data, demo=demo, processes=processes, threads=threads)
        try:
            yield running
        finally:
            running.stop()
    finally:
        cluster.remove()
