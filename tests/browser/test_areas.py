"""Areas, as a person uses them: one job from a subject to light that counts in it alone."""

from __future__ import annotations

import io
import re

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.gestures import (
    amiss_in_groups,
    at,
    faults,
    go_to_photo,
    middle_of_picture,
    settled,
    stage,
    station,
    stubs,
)

pytestmark = pytest.mark.usefixtures("tidy")


@pytest.fixture
def bench(page: Page) -> Page:
    go_to_photo(page, "Breakfast table")
    station(page, "Areas")
    return page


def sentence(page: Page):
    return page.get_by_role("list", name="Where it counts")


def press_on(page: Page, name: str, key: str, times: int = 1) -> None:
    ruler = page.get_by_role("slider", name=name, exact=True)
    ruler.focus()
    for _ in range(times):
        page.keyboard.press(key)
    page.wait_for_timeout(450)
    settled(page)


def unhatched(page: Page) -> np.ndarray:
    """The picture as it is, with the cover hidden as by the held key."""
    page.keyboard.down("/")
    settled(page)
    picture = middle_of_picture(page)
    page.keyboard.up("/")
    settled(page)
    return picture


def drag(page: Page, start, end) -> None:
    page.mouse.move(*at(page, *start))
    page.mouse.down()
    page.mouse.move(*at(page, *end), steps=6)
    page.mouse.up()
    settled(page)


def test_a_subject_is_found_refined_lit_turned_over_kept_and_delivered(bench: Page, tmp_path):
    plain = middle_of_picture(bench)
    bench.get_by_role("button", name="subject", exact=True).click()
    expect(sentence(bench)).to_have_text("subject")
    expect(stubs(bench)).to_have_text(["Area: subject"])
    settled(bench)
    # another take is another place, and undone like any change
    word = sentence(bench).get_by_role("button").first
    word.click()
    bench.get_by_role("button", name="another take").click()
    expect(sentence(bench)).to_have_text("subject, take 2")
    bench.keyboard.press("Control+z")
    expect(sentence(bench)).to_have_text("subject")
    word.click()
    settled(bench)
    # the cover shows by hatching, and nothing else of the picture has changed
    assert np.abs(middle_of_picture(bench) - plain).mean() > 3
    assert np.abs(unhatched(bench) - plain).max() < 3
    bench.keyboard.press("Escape")
    bench.get_by_role("button", name="fine edge").click()
    expect(bench.get_by_text("the fine edge is being made")).to_have_count(0)
    settled(bench)
    press_on(bench, "exposure", "Shift+ArrowRight", 2)
    press_on(bench, "contrast", "Shift+ArrowRight")
    lit = unhatched(bench)
    changed = np.abs(lit - plain).max(axis=2) > 6
    assert 0.02 < changed.mean() < 0.9
    # the rest instead
    bench.get_by_role("button", name="Invert").click()
    expect(sentence(bench)).to_have_text("not subject")
    settled(bench)
    other = unhatched(bench)
    assert ((np.abs(other - plain).max(axis=2) > 6) & changed).mean() < 0.3 * changed.mean()
    bench.keyboard.press("Control+z")
    expect(sentence(bench)).to_have_text("subject")
    bench.reload()
    settled(bench)
    expect(stubs(bench)).to_have_text(["Area: subject"])
    assert np.abs(middle_of_picture(bench) - lit).mean() < 1
    # taken up again, with its steps of light under it
    stubs(bench).first.click()
    expect(bench.get_by_role("slider", name="Contrast strength in the area")).to_be_visible()
    assert faults(bench) == []
    assert amiss_in_groups(bench, "Groups of rulers in the area") == []
    # what was seen is what is delivered
    seen = whole_picture(bench)
    bench.get_by_role("button", name="Hand over", exact=True).click()
    bench.get_by_role("button", name=re.compile("^Hand over (now|all)")).click()
    expect(bench.locator(".now .state")).to_contain_text(re.compile("accepted|returned"), timeout=120_000)
    with bench.expect_download() as waiting:
        bench.locator(".past a").first.click()
    file = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(file)
    made, shown = (in_blocks(one) for one in (Image.open(file).convert("RGB"), Image.fromarray(seen)))
    assert np.abs(made - shown)[2:-2, 2:-2].mean() < 1.5
    assert np.abs(made - shown)[2:-2, 2:-2].max() < 12


def in_blocks(picture: Image.Image) -> np.ndarray:
    return np.asarray(picture.resize((60, 40), Image.Resampling.BOX), float)


def whole_picture(page: Page) -> np.ndarray:
    """The fitted picture, with the cover hidden, without what surrounds it."""
    station(page, "Check")
    page.keyboard.press("0")
    settled(page)
    shot = stage(page).locator("canvas").first.screenshot()
    pixels = np.asarray(Image.open(io.BytesIO(shot)).convert("RGB"))
    picture = np.abs(pixels - pixels[2, 2].astype(float)).max(axis=2) > 3
    rows, columns = (np.flatnonzero(picture.mean(axis=axis) > 0.5) for axis in (1, 0))
    return pixels[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]


def test_parts_are_painted_laid_joined_and_taken_out(bench: Page):
    bench.get_by_role("button", name="brush", exact=True).click()
    drag(bench, (0.35, 0.5), (0.5, 0.5))
    drag(bench, (0.35, 0.6), (0.5, 0.6))
    expect(sentence(bench)).to_have_text("strokes")
    bench.keyboard.down("Alt")
    drag(bench, (0.4, 0.45), (0.4, 0.65))
    bench.keyboard.up("Alt")
    expect(sentence(bench).get_by_role("button", name="without")).to_be_visible()
    bench.get_by_role("button", name="straight", exact=True).click()
    drag(bench, (0.5, 0.2), (0.5, 0.8))
    expect(stage(bench).get_by_role("button", name="All of it from here")).to_be_visible()
    sentence(bench).get_by_role("button", name="and: join another way").click()
    settled(bench)
    sentence(bench).get_by_role("button", name="without: join another way").last.click()
    expect(sentence(bench).get_by_role("button", name="only in")).to_be_visible()
    sentence(bench).get_by_role("button", name="straight gradient").focus()
    bench.keyboard.press("Delete")
    expect(sentence(bench).get_by_role("button", name="straight gradient")).to_have_count(0)
