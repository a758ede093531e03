"""Pieces, as a person uses them: a text placed by hand, a thing cut and moved, a photo in perspective and matched."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.application import until
from tests.browser.gestures import (
    amiss_in_groups,
    at,
    choose,
    drag,
    faults,
    go_to_photo,
    middle_of_picture,
    pixels_at,
    settled,
    stage,
    station,
    stubs,
)

pytestmark = pytest.mark.usefixtures("tidy")


@pytest.fixture
def bench(page: Page) -> Page:
    go_to_photo(page, "Breakfast table")
    station(page, "Pieces")
    return page


def handle(page: Page, name: str):
    return stage(page).get_by_role("button", name=name)


def middle_of(handle) -> tuple[float, float]:
    box = handle.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_a_text_is_written_placed_turned_and_kept(bench: Page):
    plain = middle_of_picture(bench)
    bench.get_by_role("button", name="text", exact=True).click()
    expect(stubs(bench)).to_have_text(["“Text”"])
    settled(bench)
    bench.get_by_role("textbox", name="Text").fill("Fern")
    bench.get_by_role("textbox", name="Text").blur()
    expect(stubs(bench)).to_have_text(["“Fern”"])
    expect(bench.get_by_text(re.compile(r"contrast \d"))).to_be_visible()
    settled(bench)
    written = middle_of_picture(bench)
    assert np.abs(written - plain).max() > 40
    # dragged away by its middle, turned by its stalk
    corner = middle_of(handle(bench, "Corner 1"))
    sheet = middle_of(handle(bench, "The piece"))
    drag(bench, sheet, (sheet[0] - 200, sheet[1] + 60))
    settled(bench)
    moved = middle_of(handle(bench, "Corner 1"))
    assert moved == (pytest.approx(corner[0] - 200, abs=3), pytest.approx(corner[1] + 60, abs=3))
    stalk = middle_of(handle(bench, "Turn it"))
    drag(bench, stalk, (stalk[0] + 60, stalk[1] + 40))
    settled(bench)
    assert amiss_in_groups(bench, "Groups of rulers of the piece") == []
    bench.get_by_role("button", name="place").click()
    turned = bench.locator(".ruler", has_text="turn").locator(".value").inner_text()
    assert float(turned.rstrip("°")) > 10
    assert faults(bench) == []
    seen = middle_of_picture(bench)
    bench.reload()
    settled(bench)
    expect(stubs(bench)).to_have_text(["“Fern”"])
    bench.keyboard.press("Control+z")
    settled(bench)
    assert np.abs(middle_of_picture(bench) - seen).max() > 20


def test_a_text_lies_in_a_plane_that_is_set_for_it(bench: Page):
    bench.get_by_role("button", name="text", exact=True).click()
    expect(stubs(bench)).to_have_text(["“Text”"])
    choose(bench, "Lies in", "a plane to set…")
    bench.get_by_role("button", name="Set the plane").click()
    expect(stubs(bench)).to_have_text(["Plane 1", "“Text”"])
    expect(bench.get_by_role("combobox", name="Lies in")).to_have_text("Plane 1")
    settled(bench)

    def corners():
        return np.array([middle_of(handle(bench, f"Corner {k}")) for k in (1, 2, 3, 4)])

    # the plane that is offered narrows upward, and so does what lies in it; farther up it is smaller
    upper, lower = np.linalg.norm(corners()[1] - corners()[0]), np.linalg.norm(corners()[2] - corners()[3])
    assert upper < 0.97 * lower
    sheet = middle_of(handle(bench, "The piece"))
    drag(bench, sheet, (sheet[0], sheet[1] - 60))
    settled(bench)
    assert np.linalg.norm(corners()[1] - corners()[0]) < 0.95 * upper
    assert faults(bench) == []
    choose(bench, "Lies in", "the photo")
    settled(bench)
    flat = corners()
    assert flat[1] - flat[0] == pytest.approx(flat[2] - flat[3], abs=1)


def test_a_thing_is_cut_of_the_photo_moved_and_its_old_place_grown_shut(bench: Page):
    bench.get_by_role("button", name="from this photo").click()
    centre = at(bench, 0.5, 0.5)
    bench.mouse.move(centre[0] + 90, centre[1])
    bench.mouse.down()
    for turn in np.linspace(0, 2 * np.pi, 24):
        bench.mouse.move(centre[0] + 90 * np.cos(turn), centre[1] + 70 * np.sin(turn))
    bench.mouse.up()
    expect(stubs(bench)).to_have_text(["piece of this photo"])
    settled(bench)
    before = middle_of_picture(bench)
    drag(bench, centre, (centre[0] - 40, centre[1] + 20))
    settled(bench)
    assert np.abs(middle_of_picture(bench) - before).max() > 20
    # half seen through while the key is held
    laid = middle_of_picture(bench)
    bench.keyboard.down("h")
    bench.wait_for_timeout(400)
    half = middle_of_picture(bench)
    bench.keyboard.up("h")
    settled(bench)
    assert np.abs(half - laid).max() > 8
    x, y = middle_of(handle(bench, "The piece"))
    moved = pixels_at(bench, x - 8, y - 8, 16, 16)
    bench.get_by_role("button", name="Grow the old place shut").click()
    expect(stubs(bench)).to_have_text(["Regrow", "piece of this photo"])
    until("the old place to be grown", lambda: np.abs(middle_of_picture(bench) - laid).max() > 20)
    settled(bench)
    # what was cut from it lies where it lay
    assert np.abs(pixels_at(bench, x - 8, y - 8, 16, 16) - moved).max() < 4


def test_another_photo_is_laid_in_set_in_perspective_and_matched(bench: Page):
    choose(bench, "From the ticket", "Race and reeds, linocut")
    expect(stubs(bench)).to_have_text(["Race and reeds, linocut"])
    settled(bench)
    assert amiss_in_groups(bench, "Groups of rulers of the piece") == []
    bench.get_by_role("button", name="four corners").click()
    settled(bench)
    expect(handle(bench, "Turn it")).to_have_count(0)
    corner = middle_of(handle(bench, "Corner 3"))
    drag(bench, corner, (corner[0] - 80, corner[1] - 50))
    settled(bench)
    bench.get_by_role("button", name="△ 100 %").click()
    bench.get_by_role("button", name="fit", exact=True).click()
    settled(bench)
    warmth = bench.get_by_role("slider", name="warmth")
    expect(warmth).not_to_have_attribute("aria-valuenow", "0")
    assert faults(bench) == []
    bench.get_by_role("button", name=re.compile("^Remove")).first.focus()
    bench.keyboard.press("Enter")
    expect(stubs(bench)).to_have_count(0)
