"""From sign-in to a file at the desk, as a person goes it, and the file then measured by others."""

from __future__ import annotations

import io
import json
import re
import subprocess

import pytest
from PIL import Image, ImageCms
from playwright.sync_api import Page, expect

from tests.browser.gestures import (
    at,
    bring,
    drag,
    go_to_photo,
    line,
    middle_of_picture,
    open_photo,
    settled,
    sign_in,
    stage,
    station,
    stay_with_heal,
    stubs,
)


@pytest.mark.usefixtures("tidy")
def test_from_sign_in_to_an_accepted_file(page: Page, application, tmp_path):
    sign_in(page)
    open_photo(page, "Long room")
    expect(line(page, "ratio")).to_contain_text("slip asks 4:5 or 5:4")
    expect(line(page, "cast")).to_contain_text("pick a neutral")

    # level by a line drawn along the window's sill, then crop by a handle
    station(page, "Frame")
    page.get_by_role("button", name="Line", exact=True).click()
    drag(page, at(page, 0.30, 0.700), at(page, 0.70, 0.724))
    expect(stubs(page)).to_have_text(["Straighten"])
    settled(page)
    turned = page.locator(".ruler", has_text="straighten").locator(".value").inner_text()
    assert -4 < float(turned.rstrip("°")) < -1
    page.get_by_role("button", name="5:4").click()
    expect(stubs(page)).to_have_text(["Straighten", "Crop 5:4"])
    settled(page)
    before = page.locator("svg .label").text_content()
    handle = page.locator("[data-handle=nw]").bounding_box()
    start = (handle["x"] + 12, handle["y"] + 12)
    drag(page, start, (start[0] + 18, start[1] + 12))
    expect(page.locator("svg .label")).not_to_have_text(before)
    settled(page)
    expect(line(page, "ratio").locator(".value")).to_have_text("5:4")

    # neutral and exposure
    station(page, "Balance")
    page.get_by_role("button", name=re.compile("^Neutral")).click()
    page.mouse.click(*at(page, 0.30, 0.30))
    expect(line(page, "cast").locator(".value")).to_have_text(re.compile(r"ΔE 0\.\d"))
    page.keyboard.press("Escape")
    plain = middle_of_picture(page)
    ruler = page.get_by_role("slider", name="exposure").bounding_box()
    y = ruler["y"] + 8
    drag(page, (ruler["x"] + ruler["width"] / 2, y), (ruler["x"] + ruler["width"] * 0.53, y), 10)
    expect(stubs(page)).to_have_text(["Straighten", "Crop 5:4", "White balance", "Exposure"])
    settled(page)
    assert middle_of_picture(page).mean() > plain.mean() + 5

    # two dabs and a heal whose source is dragged
    station(page, "Clean")
    for x in (0.35, 0.55):
        page.mouse.click(*at(page, x, 0.22))
        settled(page)
    page.keyboard.press("h")
    stay_with_heal(page)
    drag(page, at(page, 0.42, 0.45), at(page, 0.44, 0.47))
    expect(stubs(page)).to_have_text(["Straighten", "Crop 5:4", "White balance", "Exposure", "Dab", "Dab", "Heal"])
    settled(page)
    source = page.locator("path.source").bounding_box()
    grip = (source["x"] + source["width"] / 2, source["y"] + source["height"] / 2)
    drag(page, grip, (grip[0] + 40, grip[1] + 25))
    settled(page)
    moved = page.locator("path.source").bounding_box()
    assert moved["x"] == pytest.approx(source["x"] + 40, abs=3)

    # the original at a held key
    page.keyboard.down("o")
    expect(stage(page).get_by_text("original", exact=True)).to_be_visible()
    page.keyboard.up("o")
    expect(stage(page).get_by_text("original", exact=True)).to_be_hidden()

    # reload: nothing is lost, and undo goes back past it
    page.reload()
    expect(stubs(page)).to_have_count(7)
    for left in (7, 6):
        page.keyboard.press("Control+z")
        expect(stubs(page)).to_have_count(left)
        settled(page)
    page.keyboard.press("Control+Shift+z")
    expect(stubs(page)).to_have_count(7)
    settled(page)

    # hand over
    page.get_by_role("button", name="Hand over", exact=True).click()
    page.get_by_role("button", name=re.compile("^Hand over (now|all)")).click()
    expect(page.locator(".now .state")).to_contain_text(re.compile("accepted|returned"), timeout=120_000)
    reasons = page.locator(".reasons li").all_inner_texts()
    assert all("blown out" in reason for reason in reasons)
    with page.expect_download() as waiting:
        page.locator(".past a").first.click()
    assert re.fullmatch(r"Race-Mill_FT-0201_01(_v\d+)?\.jpg", waiting.value.suggested_filename)
    file = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(file)
    measure(file)


def measure(file) -> None:
    """Pillow and exiftool, neither of which wrote it."""
    image = Image.open(file)
    image.load()
    assert image.format == "JPEG"
    assert image.size == (2400, 1920)
    assert image.mode == "RGB"
    assert max(max(table) for table in image.quantization.values()) == 1
    profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
    assert ImageCms.getProfileDescription(profile).startswith("sRGB")
    told = json.loads(subprocess.run(["exiftool", "-json", "-n", str(file)], check=True, capture_output=True).stdout)[0]
    assert (told["ImageWidth"], told["ImageHeight"]) == (2400, 1920)
    assert told["Model"] == "Orrery M3"
    assert told["Orientation"] == 1
    assert (told["ExifImageWidth"], told["ExifImageHeight"]) == (2400, 1920)
    assert "Warning" not in told
    assert "Error" not in told


@pytest.mark.usefixtures("tidy")
def test_turning_takes_the_crop_along_and_back(page: Page):
    go_to_photo(page, "Breakfast table")
    station(page, "Frame")
    page.get_by_role("button", name="4:5").click()
    settled(page)
    label = page.locator("svg .label")
    expect(label).to_have_text("2304 × 2880 px")
    page.get_by_role("button", name="Quarter turn right").click()
    expect(label).to_have_text("2880 × 2304 px")
    expect(stubs(page)).to_have_text(["Turn", "Crop 5:4"])
    page.get_by_role("button", name="Mirror ↔").click()
    settled(page)
    page.get_by_role("button", name="Mirror ↔").click()
    settled(page)
    page.get_by_role("button", name="Quarter turn left").click()
    expect(label).to_have_text("2304 × 2880 px")
    expect(stubs(page)).to_have_text(["Crop 4:5"])


@pytest.mark.usefixtures("tidy")
def test_a_step_is_switched_weakened_and_removed(page: Page):
    go_to_photo(page, "Breakfast table")
    page.get_by_role("slider", name="exposure").focus()
    for _ in range(10):
        page.keyboard.press("ArrowRight")
    expect(stubs(page)).to_have_text(["Exposure"])
    settled(page)
    light = middle_of_picture(page).mean()
    page.get_by_role("switch", name="Exposure on").click()
    settled(page)
    plain = middle_of_picture(page).mean()
    assert light > plain + 5
    page.get_by_role("switch", name="Exposure on").click()
    settled(page)
    strength = page.get_by_role("slider", name="Exposure strength")
    bar = strength.bounding_box()
    page.mouse.click(bar["x"] + bar["width"] / 2, bar["y"] + 8)
    expect(strength).not_to_have_attribute("aria-valuenow", "100")
    settled(page)
    assert plain + 1 < middle_of_picture(page).mean() < light - 1
    page.locator("li.stub").hover()
    page.get_by_role("button", name="Remove Exposure").click()
    expect(stubs(page)).to_have_count(0)


def test_bad_files_are_refused_in_the_page(page: Page, tmp_path):
    sign_in(page)
    page.get_by_text("FT-0201").click()
    bad = tmp_path / "letter.jpg"
    bad.write_text("dear diary " * 30)
    bring(page, bad)
    expect(page.get_by_role("alert")).to_contain_text("not a picture that can be read")
    page.get_by_role("button", name="Noted").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.locator(".photo")).to_have_count(5)


@pytest.mark.console(allowed="401")
def test_without_signing_in_every_address_leads_to_the_door(page: Page):
    for path in ("/", "/tickets/FT-0201", "/photos/00000000-0000-0000-0000-000000000000"):
        page.goto(path)
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    page.get_by_label("Name").fill("mara")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
