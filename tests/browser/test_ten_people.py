"""Ten people: who leads gives out the work, an editor sees the own part, a client's link shows one page."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import another_browser
from tests.browser.gestures import make_proof_link, sign_in

NAMES = ("Ada Fenn", "Ben Quill", "Cleo Marsh", "Dov Larkin", "Edie Thorn", "Finn Osier", "Gus Tansy", "Hetty Vole")
PASSWORD = "limewash and reeds at dusk"


@pytest.fixture
def others(application) -> Iterator[None]:
    """Those who are added here are taken away again, and what they were given."""
    yield
    with application.client() as client:
        client.put("/api/tickets/FT-0201/editors", json={"editors": []}).raise_for_status()
        for person in client.get("/api/people").json():
            if person["name"] in NAMES:
                client.delete(f"/api/people/{person['id']}").raise_for_status()


def add(page: Page, name: str) -> None:
    form = page.get_by_role("form", name="Somebody new")
    form.get_by_label("name", exact=True).fill(name)
    form.get_by_label("signs in as").fill(name.split()[0].lower())
    form.get_by_label("password").fill(PASSWORD)
    form.get_by_role("button", name="Add").click()
    expect(page.locator(".row strong", has_text=name)).to_be_visible()


def number_of(page: Page, name: str) -> str:
    return page.get_by_label("Who works here").locator(".person", has_text=name).locator("b").inner_text()


def test_ten_work_here_and_each_sees_what_is_theirs(page: Page, browser: Browser, application, others):
    sign_in(page)
    page.goto("/people")
    for name in NAMES:
        add(page, name)
    expect(page.locator(".people .row")).to_have_count(10)

    # by key, and by dragging the one who has no number any more
    page.goto("/")
    stub = page.locator("a.stub", has_text="FT-0201")
    expect(page.locator(".person")).to_have_count(10)
    stub.focus()
    page.keyboard.press(number_of(page, "Cleo Marsh"))
    expect(stub).to_contain_text("Cleo Marsh")
    page.locator(".person").nth(9).drag_to(stub)
    expect(stub.locator(".what .soft")).to_contain_text(re.compile(", "))

    link = make_proof_link(page)
    with another_browser(browser, application) as editor:
        an_editor_sees_the_own_part(editor)
    with another_browser(browser, application) as client:
        a_client_sees_one_page(client, link)


def an_editor_sees_the_own_part(page: Page) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("cleo")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("button", name="Only what is mine").click()
    expect(page.locator("a.stub")).to_have_count(1)
    expect(page.locator("a.stub")).to_contain_text("FT-0201")
    for place in ("People", "Bin", "Studio"):
        expect(page.get_by_role("link", name=place, exact=True)).to_have_count(0)
    expect(page.get_by_role("button", name="New ticket")).to_have_count(0)


def a_client_sees_one_page(page: Page, link: str) -> None:
    """And nothing that it leads to further."""
    page.goto(link)
    expect(page.locator("article img").first).to_be_visible()
    assert page.get_by_role("link").all() == []
    for path in ("/", "/tickets/FT-0201", "/people"):
        page.goto(path)
        expect(page).to_have_url(re.compile("/sign-in"))
