"""Fixtures that several folders share."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from tests.application import Application, Cluster, ready_photos, until


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Tests that share the running application stay in one process."""
    for item in items:
        if "application" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.xdist_group("application"))
        elif "cluster" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.xdist_group("cluster"))


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
        running.run("load-demo", "--ticket", "FT-0201")
        with running.client() as client:
            until("the demo photos to be ready", lambda: ready_photos(client))
        yield running


@pytest.fixture
def own_application() -> Iterator[Application]:
    """An application that a test may kill."""
    with running_on_its_own() as running:
        yield running


@contextmanager
def running_on_its_own() -> Iterator[Application]:
    """Cluster, data folder and application; all of it gone afterwards, whatever happened."""
    cluster = Cluster()
    try:
        data = cluster.folder / "data"
        data.mkdir()
        running = Application(cluster, data)
        try:
            yield running
        finally:
            running.stop()
    finally:
        cluster.remove()
