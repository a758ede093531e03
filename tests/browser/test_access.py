"""Every screen under axe-core, and the bench by keys alone."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import faults, go_to_photo, open_photo, settled, sign_in, station, stubs

pytestmark = pytest.mark.usefixtures("tidy")


def test_no_screen_has_a_fault(page: Page):
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in", exact=True)).to_be_visible()
    assert faults(page) == []
    sign_in(page)
    assert faults(page) == []
    page.get_by_text("FT-0201").click()
    expect(page.locator("a.photo").first).to_be_visible()
    assert faults(page) == []
    page.go_back()
    open_photo(page, "Long room")
    for name in ("Frame", "Clean", "Finish", "Check", "Balance"):
        station(page, name)
        assert (name, faults(page)) == (name, [])
    for panel in ("Curve", "Hues", "Mono", "Scan", "Source"):
        page.get_by_role("button", name=panel, exact=True).click()
        assert (panel, faults(page)) == (panel, [])
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    assert faults(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Copy…").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    assert faults(page) == []
    for path in ("/slips", "/people", "/clients", "/ways", "/studio", "/bin", "/me"):
        page.goto(path)
        expect(page.get_by_role("main")).to_be_visible()
        page.wait_for_load_state("networkidle")
        assert (path, faults(page)) == (path, [])
    page.goto("/")
    page.get_by_role("button", name="New ticket").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    assert faults(page) == []


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
