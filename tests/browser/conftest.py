"""Debian's Chromium, headless, driven by Playwright."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import httpx
import pytest
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, ViewportSize, expect, sync_playwright

from tests.application import Application, until

_DESKTOP: ViewportSize = {"width": 1280, "height": 800}
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-software-rasterizer",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]

# on two cores with other tests beside, a frame may take its time; nothing waits longer than it has to
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET)
        yield chromium
        chromium.close()


@pytest.fixture(scope="session")
def desktop(browser: Browser, application) -> Iterator[BrowserContext]:
    """One profile for all tests at a desk: the browser keeps the page's compiled scripts from one to the next."""
    context = browser.new_context(base_url=application.url, viewport=_DESKTOP)
    yield context
    context.close()


@pytest.fixture(scope="session")
def telephone(browser: Browser, application) -> Iterator[BrowserContext]:
    size = {"width": 390, "height": 844}
    context = browser.new_context(base_url=application.url, viewport=size, has_touch=True, is_mobile=True)
    yield context
    context.close()


#: What a page has only where it is served by HTTPS, or to its own machine.
_ONLY_WHERE_SECURE = """
delete Crypto.prototype.randomUUID
delete Crypto.prototype.subtle
delete Navigator.prototype.clipboard
"""


@contextmanager
def watched(context: BrowserContext, allowed: str | None) -> Iterator[Page]:
    """A page where nobody is signed in. It fails the test on any error of a script, and on any red line in the console
    but those allowed."""
    context.clear_cookies()
    page = context.new_page()
    page.add_init_script(_ONLY_WHERE_SECURE)  # a studio's own network is plain HTTP
    errors: list[str] = []

    def hear(message: ConsoleMessage) -> None:
        if message.type == "error" and not (allowed and allowed in message.text):
            errors.append(f"{message.text} ({message.location.get('url', '')})")

    page.on("pageerror", lambda error: errors.append(str(error)))
    page.on("console", hear)
    yield page
    # what is still on its way would reach the test that comes next
    expect(page.get_by_role("status", name="saving", exact=True)).to_have_count(0)
    page.close()
    assert not errors, errors


@contextmanager
def another_browser(browser: Browser, application: Application) -> Iterator[Page]:
    """Somebody else's, at the same size, where nobody is signed in yet."""
    context = browser.new_context(base_url=application.url, viewport=_DESKTOP)
    with watched(context, None) as page:
        yield page
    context.close()


def _allowed(request: pytest.FixtureRequest) -> str | None:
    marker = request.node.get_closest_marker("console")
    return marker.kwargs["allowed"] if marker else None


@pytest.fixture
def page(desktop: BrowserContext, request) -> Iterator[Page]:
    """A page of 1280×800. A test that is refused something says so: `@pytest.mark.console(allowed=...)`."""
    with watched(desktop, _allowed(request)) as page:
        yield page


@pytest.fixture
def phone(telephone: BrowserContext, request) -> Iterator[Page]:
    """A telephone of 390×844 with a touch screen."""
    with watched(telephone, _allowed(request)) as page:
        yield page


@pytest.fixture
def tidy(application) -> Iterator[None]:
    """Take every step away again afterwards."""
    yield
    with application.client() as client:
        for photo in client.get("/api/tickets/FT-0201").json()["photos"]:
            until("a photo to have no steps", lambda of=photo["id"]: _without_steps(client, of))


def _without_steps(client: httpx.Client, photo: str) -> bool:
    """Take them away; false if there were any, as one may still be on its way."""
    ledger = client.get(f"/api/photos/{photo}/ledger").json()
    changes = [{"kind": "remove", "id": one["step"]["id"]} for one in ledger["steps"]]
    if changes:
        body = {"expected": ledger["revision"], "summary": "tidy", "changes": changes}
        answer = client.post(f"/api/photos/{photo}/changes", json=body)
        assert answer.status_code in (200, 409), answer.text
    return not changes
