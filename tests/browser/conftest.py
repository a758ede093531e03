"""Debian's Chromium, headless, driven by Playwright."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=QUIET)
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser: Browser, application) -> Iterator[Page]:
    """A page of 1280×800 that fails the test on any script error."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application.url)
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    context.close()
    assert not errors, errors


@pytest.fixture
def tidy(application) -> Iterator[None]:
    """Take every step away again afterwards."""
    yield
    with application.client() as client:
        for photo in client.get("/api/tickets/FT-0201").json()["photos"]:
            ledger = client.get(f"/api/photos/{photo['id']}/ledger").json()
            changes = [{"kind": "remove", "id": s["step"]["id"]} for s in ledger["steps"]]
            if changes:
                body = {"expected": ledger["revision"], "summary": "tidy", "changes": changes}
                client.post(f"/api/photos/{photo['id']}/changes", json=body).raise_for_status()
