"""The picture has the room on the bench at every size; and the telephone."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import SIZES, amiss, faults, go_to_photo, sign_in

pytestmark = pytest.mark.usefixtures("tidy")


def test_the_picture_is_the_largest_thing_on_the_bench(page: Page):
    go_to_photo(page, "Long room")
    for width, height in SIZES:
        page.set_viewport_size({"width": width, "height": height})
        stage = page.locator("main.stage").bounding_box()
        assert stage["width"] * stage["height"] > 0.5 * width * height


@pytest.fixture
def proofs(phone: Page, application) -> Page:
    with application.client() as client:
        phone.goto(client.post("/api/tickets/FT-0201/links/proofs", json={}).json()["path"])
    expect(phone.locator("article img").first).to_be_visible()
    phone.wait_for_function("() => document.querySelector('article img').naturalWidth > 0")
    return phone


@pytest.fixture
def fingers(proofs: Page):
    """Puts fingers on the screen, moves and lifts them, as a screen reports them: `(what, *places)`."""
    session = proofs.context.new_cdp_session(proofs)

    def touch(kind: str, *points: tuple[float, float]) -> None:
        where = [{"x": x, "y": y, "id": k} for k, (x, y) in enumerate(points)]
        session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": where})

    return touch


def middle(page: Page) -> tuple[float, float]:
    box = page.locator("article .frame").first.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def scale_of(page: Page) -> float:
    way = "new DOMMatrix(getComputedStyle(document.querySelector('article .picture')).transform).a"
    return float(page.evaluate(way))


def test_on_a_telephone_proofs_fill_the_width_one_below_another(proofs: Page):
    boxes = [frame.bounding_box() for frame in proofs.locator("article .frame").all()[:2]]
    assert all(box["width"] >= 388 for box in boxes)
    assert boxes[1]["y"] > boxes[0]["y"] + boxes[0]["height"]
    assert amiss(proofs) == []
    assert faults(proofs) == []


def test_on_a_telephone_two_taps_and_two_fingers_come_closer(proofs: Page, fingers):
    x, y = middle(proofs)
    proofs.touchscreen.tap(x, y)
    proofs.touchscreen.tap(x, y)
    proofs.wait_for_function("() => document.querySelector('article .frame').classList.contains('close')")
    assert scale_of(proofs) == pytest.approx(2.5)
    proofs.touchscreen.tap(x, y)
    proofs.touchscreen.tap(x, y)
    proofs.wait_for_function("() => !document.querySelector('article .frame').classList.contains('close')")

    fingers("touchStart", (x - 30, y), (x + 30, y))
    for apart in (50, 70, 90):
        fingers("touchMove", (x - apart, y), (x + apart, y))
    fingers("touchEnd")
    assert scale_of(proofs) == pytest.approx(3, abs=0.35)
    expect(proofs.get_by_label("Note", exact=True)).to_have_count(0)


def test_on_a_telephone_a_held_finger_compares_and_a_tap_pins(proofs: Page, fingers):
    x, y = middle(proofs)
    fingers("touchStart", (x, y))
    expect(proofs.get_by_alt_text("as it came").first).to_be_visible()
    fingers("touchEnd")
    expect(proofs.get_by_alt_text("as it came")).to_have_count(0)
    expect(proofs.get_by_label("Note", exact=True)).to_have_count(0)

    proofs.touchscreen.tap(x, y)
    field = proofs.get_by_label("Note", exact=True)
    field.fill("Warmer, on the telephone.")
    proofs.get_by_role("button", name="Pin it").tap()
    expect(proofs.locator("li", has_text="Warmer, on the telephone.")).to_be_visible()


def test_on_a_telephone_approving_is_in_one_thumb_s_reach(proofs: Page):
    approve = proofs.get_by_role("button", name="Approve").first
    box = approve.bounding_box()
    # the lower two thirds, and as large as a thumb
    assert box["y"] > 844 / 3
    assert box["height"] >= 44
    said = approve.get_attribute("aria-pressed")
    approve.tap()
    expect(proofs.locator("article").first.locator(".approve")).not_to_have_attribute("aria-pressed", said)
    proofs.locator("article").first.locator(".approve").tap()


@pytest.mark.parametrize(("kind", "says"), [("take", "Nothing was handed over yet"), ("bring", "Drop photos")])
def test_on_a_telephone_a_client_takes_and_brings_photos(phone: Page, application, kind, says):
    with application.client() as client:
        made = client.post(f"/api/tickets/FT-0201/links/{kind}", json={}).json()
    phone.goto(made["path"])
    expect(phone.get_by_text(says)).to_be_visible()
    assert amiss(phone) == []
    assert faults(phone) == []
    with application.client() as client:
        client.delete(f"/api/links/{made['link']['id']}").raise_for_status()


def test_the_board_and_a_ticket_can_be_read_on_a_telephone(phone: Page):
    sign_in(phone)
    assert amiss(phone) == []
    assert faults(phone) == []
    phone.get_by_text("FT-0201").tap()
    expect(phone.locator("a.photo").first).to_be_visible()
    phone.wait_for_function("() => document.querySelector('a.photo img').naturalWidth > 0")
    assert amiss(phone) == []
    assert phone.locator("a.photo img").first.bounding_box()["width"] > 300


def test_the_bench_wants_a_larger_screen_than_a_telephone_s(phone: Page):
    sign_in(phone)
    phone.goto("/tickets/FT-0201")
    phone.locator("a.photo").first.tap()
    expect(phone.get_by_text("wants a larger screen")).to_be_visible()
    phone.get_by_role("link", name="Back to the ticket").tap()
    expect(phone.locator("a.photo").first).to_be_visible()
