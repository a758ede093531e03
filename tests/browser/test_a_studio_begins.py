"""On an empty data folder, with no hidden call: from the first person to a ticket that is closed, and all of it there
after a stop and a start."""

from __future__ import annotations

import base64
import hashlib
import json
import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from fern_ticket.web.common.first import first_path
from tests import pictures
from tests.browser.conftest import another_browser
from tests.browser.gestures import at, choose, faults, line, settled, station, stubs

PASSWORD = "limewash and reeds at dusk"


@pytest.fixture
def studio(browser: Browser, empty_application):
    """A page of an application where nobody is yet."""
    empty_application.start_server()
    empty_application.start_worker()
    with another_browser(browser, empty_application) as page:
        yield page


def test_from_the_first_person_to_a_closed_ticket(studio: Page, empty_application, tmp_path: Path):
    page, out = studio, tmp_path / "share"
    out.mkdir()
    first = first_path(empty_application.data)
    begin(page, first)
    assert faults(page) == []
    take_slips(page)
    add_folder(page, out)
    add_client(page)
    number = make_ticket(page, photos(tmp_path))
    for title in ("front", "stairs"):
        balance(page, number, title)
    check_and_hand_over(page, number)
    delivered = [path for path in out.rglob("*") if path.is_file()]
    assert sorted(path.name for path in delivered) == sorted(
        [f"Wren-Mill_{k:02}.jpg{more}" for k in (1, 3) for more in ("", ".manifest.json")]
    )
    for path in out.rglob("*.manifest.json"):
        (told,) = json.loads(path.read_text())["files"]
        assert hashlib.sha256((path.parent / told["file"]).read_bytes()).hexdigest() == told["sha256"]
    close(page, number)
    before = ticket(page, number)

    empty_application.stop()
    empty_application.start_server()
    page.goto(f"/tickets/{number}")
    expect(page.get_by_text("Closed: paid", exact=True)).to_be_visible()
    assert ticket(page, number) == before
    page.goto(first)
    expect(page.get_by_text("This address was good once")).to_be_visible()


def begin(page: Page, first: str) -> None:
    page.goto(first)
    page.get_by_label("The studio is called").fill("Reed and Holt")
    page.get_by_label("Your name").fill("Ada Fenn")
    page.get_by_label("Password").fill(PASSWORD)
    expect(page.get_by_label("You sign in as")).to_have_value("ada")
    expect(page.get_by_text(re.compile("^(Fair|Good|Very good)"))).to_be_visible()
    page.get_by_role("button", name="Begin with an empty board").click()
    expect(page.get_by_role("heading", name="Reed and Holt")).to_be_visible()
    expect(page.get_by_text("No open ticket.")).to_be_visible()


def take_slips(page: Page) -> None:
    page.get_by_role("link", name="take slips from the library").click()
    page.get_by_role("main").get_by_role("button", name="Take the library of eight").last.click()
    expect(page.locator("button.kept")).to_have_count(8)


def add_folder(page: Page, out: Path) -> None:
    page.goto("/ways")
    page.get_by_role("button", name="folder or store").click()
    page.get_by_label("name").fill("The share")
    page.get_by_label("address").fill(str(out / "not there"))
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text("It does not work.")).to_be_visible()
    page.get_by_label("address").fill(str(out))
    page.get_by_role("button", name="Try it").click()
    expect(page.get_by_text("It works.")).to_be_visible()
    assert list(out.iterdir()) == []
    choose(page, "Accepted by", "a person here")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator("button.kept")).to_have_count(1)


def add_client(page: Page) -> None:
    page.goto("/clients")
    page.get_by_role("button", name="Write one down").click()
    page.get_by_label("name", exact=True).fill("Wren Mill")
    page.get_by_label("files are called").fill("{client}_{number:02}")
    page.get_by_label("taste").fill("keeps the plaster uneven")
    page.get_by_label("copyright").fill("Wren Mill Ltd")
    choose(page, "Usual slip", "Web page")
    choose(page, "Usual way out", "The share")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("Wren Mill is kept.")).to_be_visible()


def photos(folder: Path) -> list[dict]:
    """Four photos as a browser tells of dropped files, their bytes as text."""

    def file(seed: int) -> str:
        data = pictures.file(pictures.texture(1300, 1800, seed), "JPEG", quality=80)
        return base64.b64encode(data).decode()

    names = ("front", "hall", "stairs", "yard")
    return [{"name": f"{name}.jpg", "data": file(60 + k)} for k, name in enumerate(names)]


def make_ticket(page: Page, files: list[dict]) -> str:
    """Drop photos on the board, and say what the ticket is."""
    page.goto("/")
    expect(page.get_by_text("No open ticket.")).to_be_visible()
    dropped = page.evaluate_handle(
        """(files) => {
          const data = new DataTransfer()
          for (const { name, data: text } of files) {
            data.items.add(new File([Uint8Array.from(atob(text), (one) => one.charCodeAt(0))], name))
          }
          return data
        }""",
        files,
    )
    page.dispatch_event("main.board", "drop", {"dataTransfer": dropped})
    dialog = page.get_by_role("dialog", name="New ticket for 4 photos")
    dialog.get_by_label("title").fill("Three rooms and a yard")
    dialog.get_by_label("client").fill("Wren Mill")
    expect(page.get_by_role("listbox")).to_be_visible()
    page.keyboard.press("Escape")  # the list of clients, not the dialog
    # it takes the focus back as it closes
    expect(page.get_by_role("listbox")).to_be_hidden()
    dialog.get_by_label("for single photos").fill("stairs: take the bucket out")
    expect(dialog.get_by_text("keeps the plaster uneven")).to_be_visible()
    dialog.get_by_role("button", name="Make it").click()
    expect(page).to_have_url(re.compile(r"/tickets/\d{4}-0001$"))
    expect(page.locator("a.photo.ready")).to_have_count(4, timeout=60_000)
    expect(page.locator("a.photo", has_text="stairs")).to_contain_text("take the bucket out")
    return page.url.rsplit("/", 1)[1]


def balance(page: Page, number: str, title: str) -> None:
    page.goto(f"/tickets/{number}")
    page.locator("a.photo", has_text=title).click()
    settled(page)
    station(page, "Balance")
    page.get_by_role("slider", name="exposure", exact=True).focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(stubs(page)).to_have_text(["Exposure"])
    page.get_by_role("button", name=re.compile("^Neutral")).click()
    page.mouse.click(*at(page, 0.5, 0.4))
    expect(stubs(page)).to_have_count(2)
    expect(line(page, "cast").locator(".value")).to_have_text(re.compile(r"ΔE [01]\."))


def check_and_hand_over(page: Page, number: str) -> None:
    page.goto(f"/tickets/{number}")
    page.get_by_role("button", name="Check all").click()
    hand_over = page.get_by_role("button", name="Hand over 2 checked")
    expect(hand_over).to_be_enabled(timeout=60_000)
    hand_over.click()
    for title in ("front", "stairs"):
        page.goto(f"/tickets/{number}")
        page.locator("a.photo", has_text=title).click()
        station(page, "Check")
        expect(page.locator(".now .delivery")).to_have_text("The share: there", timeout=60_000)
        page.get_by_role("button", name="Accepted", exact=True).click()
        expect(page.locator(".now .state strong")).to_have_text("accepted")


def close(page: Page, number: str) -> None:
    page.goto(f"/tickets/{number}")
    page.get_by_role("button", name="More that can be done with this ticket").click()
    page.get_by_role("menuitem", name="Close…").click()
    page.get_by_label("why").fill("paid")
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_text("Closed: paid", exact=True)).to_be_visible()
    page.goto("/")
    expect(page.get_by_text("No open ticket.")).to_be_visible()


def ticket(page: Page, number: str) -> dict:
    """All that the page is told of the ticket."""
    return page.request.get(f"/api/tickets/{number}").json()
