"""Every screen under axe-core, and the bench by keys alone."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import SIZES, amiss, faults, go_to_photo, open_photo, settled, sign_in, station, stubs

pytestmark = pytest.mark.usefixtures("tidy")


def screens(page: Page) -> Iterator[str]:
    """Through every screen of those who lead; says where one is."""
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in", exact=True)).to_be_visible()
    yield "sign-in"
    sign_in(page)
    yield "board"
    page.get_by_role("button", name="New ticket").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    yield "new ticket"
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    open_photo(page, "Long room")
    for name in ("Frame", "Clean", "Finish", "Check", "Balance"):
        station(page, name)
        yield name
    for group in ("Curve", "Hues", "Cast", "Recolour", "Mono", "Toning", "Scan", "Source"):
        page.get_by_role("button", name=group, exact=True).click()
        yield group
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    yield "keys"
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Copy…").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    yield "copy"
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.go_back()
    expect(page.locator("a.photo").first).to_be_visible()
    yield "ticket"
    for path in ("/slips", "/people", "/clients", "/ways", "/studio", "/bin", "/me"):
        page.goto(path)
        expect(page.get_by_role("main")).to_be_visible()
        page.wait_for_load_state("networkidle")
        yield path


def test_no_screen_has_a_fault_or_something_cut_off_or_too_small_at_any_size(page: Page):
    for name in screens(page):
        assert (name, faults(page)) == (name, [])
        for width, height in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            assert (name, width, amiss(page)) == (name, width, [])
            over = page.get_by_role("button", name="Hand over", exact=True)
            if over.is_visible():
                box = over.bounding_box()
                assert box["x"] + box["width"] <= width
        page.set_viewport_size({"width": 1280, "height": 800})


def test_a_photo_is_worked_on_by_keys_alone(page: Page):
    go_to_photo(page, "Long room")
    page.get_by_role("tab", name="Balance").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("tab", name="Frame")).to_have_attribute("aria-selected", "true")
    settled(page)
    page.get_by_role("button", name="5:4").focus()
    page.keyboard.press("Enter")
    expect(stubs(page)).to_have_text(["Crop 5:4"])
    settled(page)
    crop = page.get_by_label("Crop: arrow keys move it")
    before = crop.bounding_box()
    crop.focus()
    for _ in range(4):
        page.keyboard.press("Shift+ArrowLeft")
    page.wait_for_timeout(600)
    settled(page)
    assert crop.bounding_box()["x"] < before["x"] - 5
    page.get_by_role("slider", name="straighten").focus()
    page.keyboard.press("End")
    expect(stubs(page)).to_have_text(["Crop 5:4", "Straighten"])
    page.keyboard.press("Control+z")
    expect(stubs(page)).to_have_text(["Crop 5:4"])
