"""Whoever stands at the doors: one who leads, and an editor."""

from __future__ import annotations

from collections.abc import Iterator

import httpx
import pytest

from tests.application import Application


def sign_in(application: Application, name: str, password: str) -> httpx.Client:
    """Anew, through the door."""
    client = application.visitor()
    client.headers["Origin"] = application.url
    client.post("/api/session", json={"sign_in": name, "password": password}).raise_for_status()
    return client


@pytest.fixture
def client(application: Application) -> Iterator[httpx.Client]:
    with application.client() as client:
        yield client


@pytest.fixture
def visitor(application: Application) -> Iterator[httpx.Client]:
    """Somebody who has not signed in."""
    with application.visitor() as visitor:
        yield visitor


@pytest.fixture
def tidy_board(application: Application) -> Iterator[None]:
    """Takes the tickets away again that a test has made."""
    yield
    application.rows("delete from tickets where number not like 'FT-%%' returning 1")


@pytest.fixture
def editor(application: Application) -> Iterator[httpx.Client]:
    with application.client("jonas") as client:
        yield client
