"""Debian's Chromium, headless, driven by Playwright."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

_QUIET = [
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
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_QUIET)
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
