"""The round in the page: finding a ticket, bringing a folder, ticking and noting, a slip, the client's proofs."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests import pictures
from tests.browser.gestures import bring, choose, faults, go_to_photo, make_proof_link, settled, sign_in, station

pytestmark = pytest.mark.usefixtures("tidy")


def test_a_ticket_is_found_and_photos_are_brought_with_a_report(page: Page, application, tmp_path):
    sign_in(page)
    field = page.get_by_role("searchbox")
    field.fill("no such ticket")
    expect(page.get_by_text("No ticket fits.")).to_be_visible()
    field.fill("race")
    expect(page.locator(".stub")).to_have_count(1)
    page.locator(".stub").click()
    picture, text = tmp_path / "sketch.png", tmp_path / "list.txt"
    picture.write_bytes(pictures.file(pictures.noise(300, 420, 31), "PNG"))
    text.write_text("not a picture")
    bring(page, picture, text)
    expect(page.locator(".file.here")).to_contain_text("sketch.png")
    expect(page.locator(".file.refused")).to_contain_text("not a picture")
    expect(page.locator("a.photo", has_text="sketch")).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="Noted").click()
    expect(page.locator(".file")).to_have_count(0)
    assert faults(page) == []
    application.rows("delete from photos where title = 'sketch' returning 1")


def test_a_line_by_eye_is_ticked_and_words_go_with_the_photo(page: Page):
    go_to_photo(page, "Breakfast table")
    eye = page.locator(".line", has_text="the house is as it stands")
    eye.get_by_role("checkbox").check()
    expect(eye).to_have_class("line holds")
    said = page.locator('[data-line="metadata"]')
    expect(said).to_contain_text("no creator")
    station(page, "Check")
    page.get_by_label("creator").fill("M. Holt")
    page.get_by_label("copyright").fill("© Race Mill")
    page.get_by_label("copyright").blur()
    expect(said).to_contain_text("all said")
    # a change asks for another look
    station(page, "Balance")
    page.get_by_role("slider", name="exposure").focus()
    page.keyboard.press("ArrowRight")
    settled(page)
    expect(eye).to_have_class("line open")


def test_a_note_is_pinned_shown_and_done(page: Page):
    go_to_photo(page, "Breakfast table")
    page.get_by_role("button", name="pin a note").click()
    box = page.locator("main.stage").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.get_by_label("Note", exact=True).fill("The knife stays.")
    page.keyboard.press("Enter")
    expect(page.locator("svg .pin")).to_have_count(1)
    assert faults(page) == []
    page.get_by_label("Done: The knife stays.").check()
    expect(page.locator("svg .pin")).to_have_count(0)
    page.get_by_role("button", name="Take off the note The knife stays.").click()
    expect(page.get_by_text("The knife stays.")).to_have_count(0)


@pytest.mark.console(allowed="422")
def test_a_slip_is_written_with_its_meaning_beside_and_kept_as_a_version(page: Page):
    sign_in(page)
    page.goto("/slips")
    page.get_by_role("button", name="New slip").click()
    page.get_by_label("name", exact=True).fill("Page trial")
    choose(page, "Another line", "file size")
    expect(page.locator(".example")).to_contain_text("file size")
    expect(page.get_by_role("combobox", name="Another line")).to_have_text("another line…")
    page.get_by_label("files are called").fill("{colour}")
    expect(page.get_by_role("alert")).to_contain_text("cannot be used")
    expect(page.get_by_role("button", name="Keep", exact=True)).to_be_disabled()
    page.get_by_label("files are called").fill("{photo}_{number:03}")
    expect(page.locator(".example .name")).to_have_text("Long-room_003.jpg")
    assert faults(page) == []
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator(".kept", has_text="Page trial")).to_contain_text("version 1")


def test_the_client_sees_pins_and_approves(page: Page):
    sign_in(page)
    path = make_proof_link(page)
    page.goto("/fern.svg")  # what still asks as somebody who is signed in is left behind
    page.context.clear_cookies()
    page.goto(path)
    first = page.locator("article").first
    expect(first.locator("img")).to_be_visible()
    first.locator(".frame").click(position={"x": 200, "y": 150})
    first.get_by_label("Note").fill("A little warmer here.")
    first.get_by_role("button", name="Pin it").click()
    expect(first.locator("li", has_text="A little warmer here.")).to_be_visible()
    first.get_by_role("button", name="Approve:").click()
    expect(first.get_by_role("button", name="Approved:")).to_be_visible()
    assert faults(page) == []
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in", exact=True)).to_be_visible()
