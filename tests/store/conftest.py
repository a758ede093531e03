"""A database with both schemas."""

from __future__ import annotations

import pytest

from fern_ticket.jobs.queue import prepare_database
from tests.application import Cluster


@pytest.fixture(scope="module")
def url(cluster: Cluster) -> str:
    prepare_database(cluster.url)
    return cluster.url
