"""Panoramas, as a person uses them: looking around, working in a view and in a plane, levelling, from inside."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect

from fern_ticket.core.pictures.sphere import turned_by
from tests import pictures, spheres
from tests.application import ready_photos, until
from tests.browser.gestures import (
    at,
    choose,
    drag,
    faults,
    go_to_photo,
    middle_of_picture,
    settled,
    stage,
    station,
    stay_with_heal,
    stubs,
)

pytestmark = pytest.mark.usefixtures("tidy")


@pytest.fixture(scope="module")
def room(application) -> Iterator[None]:
    pixels = spheres.room(2048, turned_by(0, 2, -3))
    pixels[-68:] = (40, 42, 60)
    file = pictures.file(pixels, "JPEG", quality=92)
    with application.client() as client:
        brought = client.post("/api/tickets/FT-0201/photos", files=[("files", ("Made room.jpg", file))]).json()[0]
        until("the panorama to be prepared", lambda: ready_photos(client))
        yield
        client.delete(f"/api/photos/{brought['photo']}").raise_for_status()


@pytest.fixture
def bench(page: Page, room) -> Page:
    go_to_photo(page, "Made room")
    expect(ruler(page, "heading")).to_be_visible()
    return page


def ruler(page: Page, name: str):
    return stage(page).get_by_role("slider", name=name, exact=True)


def test_one_looks_around_by_hand_by_keys_and_by_the_rulers(bench: Page):
    before = middle_of_picture(bench)
    drag(bench, at(bench, 0.5, 0.4), at(bench, 0.3, 0.4))
    settled(bench)
    assert float(ruler(bench, "heading").get_attribute("aria-valuenow")) > 5
    assert np.abs(middle_of_picture(bench) - before).mean() > 3
    bench.keyboard.press("9")
    settled(bench)
    expect(ruler(bench, "pitch")).to_have_attribute("aria-valuenow", "-90")
    assert middle_of_picture(bench).mean() < 160
    ruler(bench, "pitch").focus()
    bench.keyboard.press("Shift+ArrowUp")
    expect(ruler(bench, "pitch")).to_have_attribute("aria-valuenow", "-80")
    bench.mouse.move(*at(bench, 0.5, 0.5))
    bench.mouse.wheel(0, -400)
    settled(bench)
    assert float(ruler(bench, "field").get_attribute("aria-valuenow")) < 80
    bench.keyboard.press("Backspace")
    expect(ruler(bench, "heading")).to_have_count(0)
    settled(bench)
    bench.keyboard.press("Backspace")
    expect(ruler(bench, "heading")).to_be_visible()
    assert faults(bench) == []


def test_what_is_painted_looking_down_is_done_there_and_stays_when_one_looks_away(bench: Page):
    bench.keyboard.press("9")
    station(bench, "Clean")
    bench.keyboard.press("a")
    plain = middle_of_picture(bench)
    drag(bench, at(bench, 0.46, 0.45), at(bench, 0.54, 0.52))
    expect(stubs(bench)).to_have_text(["Calm"])
    settled(bench)
    assert np.abs(middle_of_picture(bench) - plain).max() > 8
    calmed = middle_of_picture(bench)
    bench.keyboard.press("5")
    settled(bench)
    bench.keyboard.press("9")
    settled(bench)
    assert np.abs(middle_of_picture(bench) - calmed).mean() < 3


def test_a_plane_is_set_by_its_corners_and_repairs_work_in_it(bench: Page):
    station(bench, "Clean")
    bench.get_by_role("button", name="plane", exact=True).click()
    corner = stage(bench).get_by_role("button", name="upper left corner of the plane")
    box = corner.bounding_box()
    start = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    drag(bench, start, (start[0] + 30, start[1] + 10))
    bench.get_by_role("button", name="Set the plane").click()
    expect(stubs(bench)).to_have_text(["Plane 1"])
    expect(bench.get_by_role("combobox", name="The plane that repairs work in")).to_have_text(re.compile("Plane 1"))
    bench.keyboard.press("h")
    stay_with_heal(bench)
    drag(bench, at(bench, 0.48, 0.6), at(bench, 0.52, 0.62))
    expect(stubs(bench)).to_have_text(["Plane 1", "Heal"])
    photo = bench.url.rsplit("/", 1)[1]
    steps = bench.request.get(f"/api/photos/{photo}/ledger").json()["steps"]
    assert steps[1]["step"]["chart"]["kind"] == "plane"


def test_a_text_is_written_where_one_looks_and_lies_in_a_plane_there(bench: Page):
    bench.keyboard.press("5")
    station(bench, "Pieces")
    bench.get_by_role("button", name="text", exact=True).click()
    expect(stubs(bench)).to_have_text(["“Text”"])
    settled(bench)
    photo = bench.url.rsplit("/", 1)[1]

    def step():
        steps = [one["step"] for one in bench.request.get(f"/api/photos/{photo}/ledger").json()["steps"]]
        return next(one for one in steps if one["op"] == "text")

    first = step()
    assert first["chart"]["kind"] == "view"
    sheet = bench.get_by_role("button", name="The piece: drag it, or move it by the arrow keys")
    box = sheet.bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    assert middle == pytest.approx(at(bench, 0.5, 0.5), abs=40)
    plain = middle_of_picture(bench)
    drag(bench, middle, (middle[0] + 60, middle[1] + 40))
    settled(bench)
    assert np.abs(middle_of_picture(bench) - plain).max() > 60
    moved = np.subtract(step()["params"]["at"], first["params"]["at"])
    assert moved[0] / moved[1] == pytest.approx(1.5, abs=0.05)
    # it stays where it was laid when one looks elsewhere, and is seen on the flat picture
    before = sheet.bounding_box()
    ruler(bench, "heading").focus()
    bench.keyboard.press("ArrowRight")
    settled(bench)
    assert sheet.bounding_box()["x"] < before["x"] - 5
    bench.get_by_role("combobox", name="Lies in").click()
    bench.get_by_role("option", name="a plane to set…").click()
    bench.get_by_role("button", name="Set the plane").click()
    expect(bench.get_by_role("combobox", name="Lies in")).to_have_text(re.compile("Plane 1"))
    settled(bench)
    assert step()["chart"]["kind"] == "plane"
    assert faults(bench) == []


def test_a_thing_is_cut_as_it_is_seen_and_brought_to_where_one_looks(bench: Page):
    station(bench, "Pieces")
    bench.get_by_role("button", name="from this photo").click()
    (x, y), reach = at(bench, 0.5, 0.45), 70
    bench.mouse.move(x + reach, y)
    bench.mouse.down()
    for turn in np.linspace(0, 2 * np.pi, 16):
        bench.mouse.move(x + reach * np.cos(turn), y + reach * np.sin(turn))
    bench.mouse.up()
    expect(stubs(bench)).to_have_text(["piece of this photo"])
    settled(bench)
    photo = bench.url.rsplit("/", 1)[1]

    def step(op):
        steps = [one["step"] for one in bench.request.get(f"/api/photos/{photo}/ledger").json()["steps"]]
        return next(one for one in steps if one["op"] == op)

    first = step("piece")
    assert first["params"]["cut_in"] == first["chart"]
    bench.keyboard.press("7")
    settled(bench)
    plain = middle_of_picture(bench)
    choose(bench, "Lies in", "what is seen now")
    settled(bench)
    assert np.abs(middle_of_picture(bench) - plain).max() > 20
    assert step("piece")["params"]["cut_in"] == first["chart"]
    assert step("piece")["chart"] != first["chart"]
    bench.get_by_role("button", name="Grow the old place shut").click()
    expect(stubs(bench)).to_have_text(["Regrow", "piece of this photo"])
    assert step("regrow")["chart"] == first["chart"]


def test_mirrors_are_marked_and_ticked(bench: Page):
    station(bench, "Clean")
    bench.get_by_role("button", name="mirrors", exact=True).click()
    bench.mouse.click(*at(bench, 0.5, 0.4))
    expect(stubs(bench)).to_have_text(["Mirrors · 0 of 1"])
    shown = bench.get_by_alt_text("What the mirror should show")
    expect(shown).to_be_visible()
    shown.evaluate("one => one.decode()")
    assert shown.evaluate("one => [one.naturalWidth, one.naturalHeight]") == [600, 400]
    expect(stage(bench).get_by_text("camera and stand")).to_be_attached()
    bench.get_by_role("button", name="Nothing shows").click()
    expect(stubs(bench)).to_have_text(["Mirrors · 1 of 1"])


def test_a_panorama_is_levelled_by_its_upright_edges(bench: Page):
    station(bench, "Frame")
    bench.get_by_role("button", name="Horizon").click()
    bench.get_by_role("button", name="Level by upright edges").click()
    expect(stubs(bench)).to_have_text(["Horizon"])
    said = bench.get_by_role("alert").filter(has_text="Levelled.")
    expect(said).to_be_visible()
    box = said.bounding_box()
    assert box["width"] > 200
    assert 30 < box["height"] < 120
    photo = bench.url.rsplit("/", 1)[1]
    params = bench.request.get(f"/api/photos/{photo}/ledger").json()["steps"][0]["step"]["params"]
    assert (params["pitch"], params["roll"]) == (pytest.approx(2, abs=0.3), pytest.approx(-3, abs=0.3))
    bench.get_by_role("button", name=re.compile("Start at")).click()
    expect(stubs(bench)).to_have_text(["Horizon", "Start of the look"])
    bench.mouse.move(*at(bench, 0.5, 0.5))
    expect(bench.get_by_role("tooltip")).to_have_count(0)
    assert faults(bench) == []


def test_the_delivery_is_looked_at_from_inside_by_a_viewer_of_others(browser: Browser, bench: Page):
    """In a browser that draws in three dimensions, which the others are begun without."""
    drawing = browser.browser_type.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
    context = drawing.new_context(
        base_url=re.sub(r"/photos/.*", "", bench.url), viewport={"width": 1280, "height": 800}
    )
    context.add_cookies(bench.context.cookies())
    page = context.new_page()
    page.goto(bench.url)
    settled(page)
    page.get_by_role("tab", name=re.compile("Check")).click()
    page.get_by_role("button", name="Look around in the delivery").click()
    inside = page.get_by_role("region", name=re.compile("looked at from inside"))
    expect(inside).to_have_attribute("data-ready", "true", timeout=30_000)
    drawing.close()
