"""Clean, as a person uses it: strokes, outlines, lines of clicks, takes, specks, keys."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import (
    at,
    choose,
    drag,
    go_to_photo,
    middle_of_picture,
    settled,
    stage,
    station,
    stay_with_heal,
    stubs,
)

pytestmark = pytest.mark.usefixtures("tidy")


@pytest.fixture
def bench(page: Page) -> Page:
    go_to_photo(page, "Long room")
    station(page, "Clean")
    return page


def outline(page: Page, *corners) -> None:
    for corner in corners:
        page.mouse.click(*at(page, *corner))
    page.keyboard.press("Enter")
    settled(page)


def method(page: Page, name: str):
    return page.get_by_role("group", name="Method").get_by_role("button", name=name)


@pytest.mark.parametrize(
    ("key", "name"), [("h", "heal"), ("c", "clone"), ("y", "regrow"), ("a", "calm"), ("i", "nudge")]
)
def test_a_key_takes_a_method_and_a_stroke_makes_its_step(bench: Page, key: str, name: str):
    bench.keyboard.press(key)
    expect(method(bench, name).first).to_have_attribute("aria-pressed", "true")
    if name == "heal":
        stay_with_heal(bench)
    drag(bench, at(bench, 0.4, 0.3), at(bench, 0.45, 0.32))
    expect(stubs(bench)).to_have_text([name.capitalize()])
    settled(bench)
    # it is taken up, so its rulers change it
    expect(bench.locator(".row.taken")).to_contain_text("taken up")
    bench.keyboard.press("Delete")
    expect(stubs(bench)).to_have_count(0)


def test_where_an_edge_runs_through_heal_gives_way_and_comes_back_by_enter(bench: Page):
    bench.keyboard.press("h")
    drag(bench, at(bench, 0.4, 0.3), at(bench, 0.45, 0.32))
    expect(stubs(bench)).to_have_text(["Regrow"])
    expect(bench.get_by_text("instead of heal")).to_be_visible()
    bench.keyboard.press("Enter")
    expect(stubs(bench)).to_have_text(["Heal"])
    settled(bench)


def test_a_clone_takes_what_lies_under_the_cursor_at_s(bench: Page):
    bench.keyboard.press("0")
    bench.keyboard.press("c")
    x, y = at(bench, 0.62, 0.35)
    bench.mouse.move(x, y)
    bench.keyboard.press("s")
    before = middle_of_picture(bench)
    drag(bench, at(bench, 0.42, 0.5), at(bench, 0.5, 0.5))
    settled(bench)
    expect(bench.locator(".source canvas")).to_be_visible()
    assert np.abs(middle_of_picture(bench) - before).max() > 20


def test_a_patch_is_outlined_by_clicks_and_dragged_by_its_inside(bench: Page):
    bench.keyboard.press("p")
    outline(bench, (0.4, 0.4), (0.5, 0.4), (0.5, 0.5), (0.4, 0.5))
    expect(stubs(bench)).to_have_text(["Patch"])
    expect(bench.locator(".source canvas")).to_be_visible()
    # its corners are handles
    expect(bench.locator("circle.handle")).to_have_count(4)


def test_takes_come_one_by_one_and_a_click_chooses(bench: Page):
    bench.keyboard.press("y")
    drag(bench, at(bench, 0.4, 0.3), at(bench, 0.43, 0.3))
    takes = bench.get_by_role("group", name="Takes")
    expect(takes.locator("img")).to_have_count(3, timeout=30_000)
    takes.get_by_role("button", name="Take 2").click()
    expect(takes.get_by_role("button", name="Take 2")).to_have_attribute("aria-pressed", "true")
    bench.keyboard.press("Control+z")
    expect(takes.get_by_role("button", name="Take 1", exact=True)).to_have_attribute("aria-pressed", "true")


def test_several_places_are_gathered_and_run_at_once(bench: Page):
    bench.keyboard.press("y")
    bench.get_by_label("several places").check()
    drag(bench, at(bench, 0.4, 0.3), at(bench, 0.42, 0.3))
    drag(bench, at(bench, 0.6, 0.3), at(bench, 0.62, 0.3))
    expect(stubs(bench)).to_have_count(0)
    stage(bench).focus()
    bench.keyboard.press("Enter")
    expect(stubs(bench)).to_have_text(["Regrow"])


def test_a_place_is_switched_to_another_method(bench: Page):
    bench.keyboard.press("h")
    drag(bench, at(bench, 0.4, 0.3), at(bench, 0.45, 0.32))
    settled(bench)
    choose(bench, "Taken up as", "calm")
    expect(stubs(bench)).to_have_text(["Calm"])


def test_a_fence_is_clicked_and_stays_over_the_picture(bench: Page):
    bench.keyboard.press("f")
    outline(bench, (0.3, 0.3), (0.4, 0.6), (0.5, 0.7))
    expect(stubs(bench)).to_have_text(["Fence"])
    settled(bench)


def test_specks_are_gone_through_with_keys(page: Page):
    go_to_photo(page, "Breakfast table")
    station(page, "Clean")
    method(page, "specks").click()
    place = page.locator(".specks .big")
    expect(place).to_contain_text("1 /")
    stage(page).focus()
    page.keyboard.press("Space")
    page.keyboard.press("-")
    expect(page.locator(".review")).to_contain_text("1 accepted, 1 refused")
    page.get_by_role("button", name="Only the accepted").click()
    expect(stubs(page)).to_have_text(["Specks · 1"])


def test_a_straight_stretch_runs_on_from_the_last_stroke(bench: Page):
    bench.keyboard.press("a")
    bench.mouse.click(*at(bench, 0.35, 0.3))
    expect(stubs(bench)).to_have_count(1)
    bench.keyboard.down("Shift")
    bench.mouse.click(*at(bench, 0.45, 0.3))
    bench.keyboard.up("Shift")
    expect(stubs(bench)).to_have_count(2)
    settled(bench)
    ledger = bench.request.get(f"{bench.url.replace('/photos/', '/api/photos/')}/ledger").json()
    points = ledger["steps"][1]["step"]["mask"]["strokes"][0]["points"]
    assert len(points) == 2
    assert abs(points[0][0] - points[1][0]) > 100


def test_dabs_stand_as_one_step_that_is_switched_and_removed_whole_and_the_slip_makes_room(bench: Page):
    bench.keyboard.press("d")
    for number in range(5):
        bench.mouse.click(*at(bench, 0.3 + 0.06 * number, 0.3))
    expect(stubs(bench)).to_have_text(["Dab × 5 ▸"])
    settled(bench)
    held = bench.get_by_role("region", name="Slip").locator(".line.holds").first
    fold = bench.get_by_role("button", name="fold what holds")
    expect(held).to_be_hidden()
    bench.locator(".folding").get_by_role("button", name="show").click()
    expect(held).to_be_visible()
    fold.click()
    expect(held).to_be_hidden()
    run = bench.locator("li.stub.run")
    run.get_by_role("switch").click()
    run.locator(".name").click()
    expect(stubs(bench)).to_have_text(["Dab × 5 ▾", *["Dab"] * 5])
    expect(bench.locator("li.stub.off")).to_have_count(6)
    run.get_by_role("button", name="Remove Dab × 5").click()
    expect(stubs(bench)).to_have_count(0)
    bench.keyboard.press("Control+z")
    expect(stubs(bench)).to_have_count(6)
