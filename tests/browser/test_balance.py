"""Balance, lamps, proof, walkover and recipes, as a person uses them."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.application import until
from tests.browser.gestures import at, go_to_photo, middle_of_picture, settled, stage, stubs

pytestmark = pytest.mark.usefixtures("tidy")


def ruler(page: Page, name: str):
    return page.get_by_role("slider", name=name, exact=True)


def press_on(page: Page, name: str, key: str, times: int = 1) -> None:
    ruler(page, name).focus()
    for _ in range(times):
        page.keyboard.press(key)
    page.wait_for_timeout(450)
    settled(page)


@pytest.fixture
def bench(page: Page) -> Page:
    go_to_photo(page, "Long room")
    return page


def coloured(picture: np.ndarray) -> float:
    return float(np.abs(picture - picture.mean(axis=2, keepdims=True)).max())


def test_rulers_make_their_steps_in_the_order_in_which_they_work(bench: Page):
    press_on(bench, "saturation", "Shift+ArrowLeft", 10)
    until("the colour to go", lambda: coloured(middle_of_picture(bench)) < 6)
    grey = middle_of_picture(bench)
    press_on(bench, "exposure", "Shift+ArrowRight")
    assert middle_of_picture(bench).mean() > grey.mean() + 8
    expect(stubs(bench)).to_have_text(["Exposure", "Saturation"])

    # by keys, a stub goes to another place
    stubs(bench).nth(1).focus()
    bench.keyboard.press("Alt+ArrowUp")
    expect(stubs(bench)).to_have_text(["Saturation", "Exposure"])


def test_a_part_of_everything_proposed_is_taken(bench: Page):
    expect(bench.get_by_role("button", name="Take the proposed contrast")).to_be_visible()
    press_on(bench, "take of all △", "Shift+ArrowRight")
    whole = float(ruler(bench, "contrast").get_attribute("aria-valuenow")) * 2
    bench.get_by_role("button", name="Take the proposed contrast").click()
    settled(bench)
    assert float(ruler(bench, "contrast").get_attribute("aria-valuenow")) == pytest.approx(whole, abs=1.01)


def test_a_curve_is_drawn_and_anchored(bench: Page):
    bench.get_by_role("button", name="Curve").click()
    before = middle_of_picture(bench).mean()
    bench.get_by_role("button", name="Anchor").click()
    point = bench.get_by_role("slider", name="Point 2")
    point.focus()
    for _ in range(3):
        bench.keyboard.press("Shift+ArrowUp")
        settled(bench)
    assert middle_of_picture(bench).mean() > before + 10
    bench.keyboard.press("Delete")
    expect(bench.get_by_role("slider", name="Point 2")).to_have_attribute("aria-valuenow", "255")


def test_a_hue_is_picked_and_turned(bench: Page):
    bench.keyboard.press("g")
    bench.mouse.click(*at(bench, 0.78, 0.75))
    expect(bench.get_by_role("button", name="Band at")).to_have_count(1)
    settled(bench)
    press_on(bench, "saturation", "Shift+ArrowLeft", 3)
    expect(stubs(bench)).to_have_text(["Hue bands"])


def test_a_colour_is_drawn_to_seen_at_once_and_kept_once(bench: Page):
    bench.get_by_role("button", name="Recolour", exact=True).click()
    bench.get_by_label("Any colour").click()
    field = bench.locator(".p-colorpicker-color-selector").bounding_box()
    corner = field["x"] + field["width"] - 20, field["y"] + 20
    bench.mouse.move(field["x"] + 20, field["y"] + 120)
    bench.mouse.down()
    bench.mouse.move(*corner, steps=8)
    until("the picture to follow the hand", lambda: coloured(middle_of_picture(bench)) > 60)
    expect(stubs(bench)).to_have_count(0)
    bench.mouse.up()
    bench.keyboard.press("Escape")
    settled(bench)
    expect(stubs(bench)).to_have_text(["Recolour"])
    red, green, blue = map(int, bench.get_by_label("New colour, red green blue").input_value().split())
    # where the hand let go: strong and light, of the hue that the picker begins with
    assert red > 200
    assert red > green > blue
    bench.get_by_role("button", name="Undo").click()
    expect(stubs(bench)).to_have_count(0)


def test_lamps_only_light_the_view(bench: Page):
    plain = middle_of_picture(bench)
    bench.get_by_role("button", name="clip", exact=True).click()
    expect(stage(bench).get_by_text("clip lamp")).to_be_visible()
    settled(bench)
    bench.wait_for_timeout(300)
    assert np.ptp(middle_of_picture(bench), axis=2).mean() < np.ptp(plain, axis=2).mean() / 2
    bench.keyboard.press("x")
    settled(bench)
    bench.wait_for_timeout(300)
    assert np.abs(middle_of_picture(bench) - plain).max() < 3
    expect(stubs(bench)).to_have_count(0)


def test_the_original_lies_beside_and_under_the_wipe_line(bench: Page):
    press_on(bench, "saturation", "Shift+ArrowLeft", 10)
    bench.keyboard.press("w")
    expect(stage(bench).get_by_role("slider", name="Wipe line")).to_be_visible()
    bench.wait_for_timeout(700)
    both = middle_of_picture(bench)
    colour = np.ptp(both, axis=2).mean(axis=0)
    assert colour[:100].mean() > 12 > 4 > colour[-40:].mean()
    bench.keyboard.press("b")
    settled(bench)
    expect(bench.get_by_role("button", name="pair")).to_have_attribute("aria-pressed", "true")


def test_a_walkover_keeps_account(bench: Page):
    bench.keyboard.press("k")
    expect(bench.get_by_text("window 1 of")).to_be_visible()
    settled(bench)
    bench.wait_for_timeout(700)
    bench.keyboard.press("Space")
    expect(bench.get_by_text("window 2 of")).to_be_visible()
    bench.wait_for_timeout(1600)
    bench.keyboard.press("Escape")
    walked = bench.locator("[data-line=walkover]")
    expect(walked).not_to_contain_text(" 0 %")
    said = walked.inner_text()
    bench.reload()
    settled(bench)
    expect(walked).to_have_text(said.replace("\n", ""), use_inner_text=False)


def test_a_recipe_goes_to_another_photo(bench: Page):
    press_on(bench, "exposure", "Shift+ArrowRight")
    bench.get_by_role("button", name="Copy…").click()
    bench.get_by_placeholder("name of a new recipe").fill("A bit of light")
    bench.get_by_role("button", name="Keep").click()
    expect(bench.get_by_role("button", name="A bit of light", exact=True)).to_be_visible()
    bench.keyboard.press("Escape")
    bench.keyboard.press("PageDown")
    settled(bench)
    expect(stubs(bench)).to_have_count(0)
    bench.get_by_role("button", name="Copy…").click()
    bench.get_by_role("button", name="A bit of light", exact=True).click()
    expect(stubs(bench)).to_have_text(["Exposure"])


def test_what_is_only_material_is_passed_over(bench: Page):
    photos = bench.request.get("/api/tickets/FT-0201").json()["photos"]
    here = next(at for at, one in enumerate(photos) if one["id"] in bench.url)
    next_one, after = photos[here + 1 : here + 3]
    headers = {"Origin": bench.evaluate("location.origin")}

    def set_material(material: bool):
        answer = bench.request.patch(f"/api/photos/{next_one['id']}", data={"material": material}, headers=headers)
        assert answer.ok

    set_material(True)
    try:
        bench.reload()
        settled(bench)
        expect(bench.get_by_text(f"{here + 1} / {len(photos) - 1}", exact=True)).to_be_visible()
        bench.keyboard.press("PageDown")
        expect(bench).to_have_url(re.compile(after["id"]))
    finally:
        set_material(False)


def test_keys_are_shown_and_the_page_is_free_of_scripts_errors(bench: Page):
    bench.keyboard.press("?")
    expect(bench.get_by_role("dialog")).to_contain_text("pick neutral")
