"""What a person does on the pages, for the tests to say in one line."""

from __future__ import annotations

import io
import re
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from fern_ticket.web.demo import scenario
from fern_ticket.web.routes.sessions import DEMO_PASSWORD, DEMO_SIGN_IN

#: Who is signed in at which application, so that not every test waits for a password to be checked.
_SESSIONS: dict[str, list] = {}
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


def faults(page: Page) -> list[str]:
    """What axe-core finds, with the first place of each."""
    # a dialog on its way in is half there
    page.wait_for_function("() => document.getAnimations().every((one) => one.playState !== 'running')")
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
    return [f"{one['id']} ({one['impact']}): {one['nodes'][0]['html'][:160]}" for one in found]


#: What people look at.
SIZES = [(1024, 768), (1280, 800), (1920, 1080)]
#: Controls that can be seen: those that stick out of the window, of the row or deck they are in, and those below 24 px.
_AMISS = """() => {
  const found = []
  const controls = 'button, a[href], input:not([type=hidden]), textarea, [role=slider], [role=combobox], [role=tab]'
  for (const one of document.querySelectorAll(controls)) {
    if (one.closest("[aria-hidden=true]")) continue
    if (!one.checkVisibility({ visibilityProperty: true, opacityProperty: true })) continue
    const box = one.getBoundingClientRect()
    if (box.width < 1 || box.height < 1) continue
    const name = `${one.tagName} ${one.getAttribute('aria-label') ?? one.textContent.trim().slice(0, 30)}`
    // a check box is hit by its label too
    const label = one.closest('label, .choice')?.getBoundingClientRect()
    const hit = label ?? one.closest('.p-inputnumber, .p-select')?.getBoundingClientRect() ?? box
    const size = `${hit.width.toFixed(0)}×${hit.height.toFixed(0)}`
    if (hit.height < 23.5 || hit.width < 23.5) found.push(`small ${name} ${size}`)
    // what reaches out to be hit more easily, as a point at the end of a curve does, may end at the window's edge
    const middle = (box.left + box.right) / 2
    const reaches = one instanceof SVGElement
    const out = reaches ? middle < 0 || middle > innerWidth : box.right > innerWidth + 0.5 || box.left < -0.5
    if (out) found.push(`outside ${name}`)
    const set = one.closest('.deck .set')?.getBoundingClientRect()
    const lowest = reaches ? (box.top + box.bottom) / 2 : box.bottom
    if (set && innerWidth >= 1280 && lowest > set.bottom + 1) found.push(`below the deck ${name}`)
    for (const row of [one.closest('.bar'), one.closest('.tools')]) {
      const lies = row?.getBoundingClientRect()
      if (lies && (box.right > lies.right + 1 || box.bottom > lies.bottom + 1)) found.push(`cut ${name}`)
    }
  }
  if (document.scrollingElement.scrollWidth > innerWidth) found.push('the page scrolls sideways')
  return found
}"""


def amiss(page: Page) -> list[str]:
    """What is cut off or too small to be hit."""
    page.evaluate("() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)))")
    return page.evaluate(_AMISS)


def amiss_in_groups(page: Page, groups: str) -> list[str]:
    """The same, of every group of rulers in turn; the first is taken up again."""
    found = []
    every = page.get_by_role("group", name=groups).get_by_role("button").all()
    for group in [*every, every[0]]:
        group.click()
        found += [f"{group.inner_text()}: {one}" for one in amiss(page)]
    return found


def sign_in(page: Page) -> None:
    """Through the door, as a person does."""
    page.goto("/")
    page.get_by_role("button", name="Fill in").click()
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.get_by_text("FT-0201")).to_be_visible()


def open_photo(page: Page, title: str) -> None:
    """From the board."""
    page.get_by_text("FT-0201").click()
    page.locator("a.photo", has_text=title).first.click()
    at_the_bench(page)


def go_to_photo(page: Page, title: str) -> None:
    """Signed in, straight to a photo's bench: for tests that are not about the way there."""
    page.goto("/fern.svg")
    _be_signed_in(page)
    photos = page.request.get("/api/tickets/FT-0201").json()["photos"]
    page.goto(f"/photos/{next(one['id'] for one in photos if one['title'] == title)}")
    at_the_bench(page)


def _be_signed_in(page: Page) -> None:
    """With the cookies of the test before, as long as they hold."""
    origin = page.evaluate("location.origin")
    if origin in _SESSIONS:
        page.context.add_cookies(_SESSIONS[origin])
    if page.request.get("/api/session").json() is None:
        known = {"sign_in": DEMO_SIGN_IN, "password": DEMO_PASSWORD}
        assert page.request.post("/api/session", data=known, headers={"Origin": origin}).ok
        _SESSIONS[origin] = page.context.cookies()


def at_the_bench(page: Page) -> None:
    settled(page)
    lines = scenario().slips["Valley Homes"].lines  # and the walkover
    expect(page.get_by_role("region", name="Slip").locator(".line")).to_have_count(len(lines) + 1)


def stage(page: Page):
    return page.locator("main.stage")


def settled(page: Page) -> None:
    """Everything saved, and a fine frame of it shown."""
    expect(stage(page)).to_have_attribute("data-settled", "true")


def line(page: Page, requirement: str):
    return page.locator(f"[data-line={requirement}]")


def drag(page: Page, start, end, steps=6) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=steps)
    page.mouse.up()


def station(page: Page, name: str) -> None:
    page.get_by_role("tab", name=re.compile(name)).click()
    settled(page)


def choose(page: Page, label: str, option: str) -> None:
    """Open a list by what it is called, and take one of its options."""
    page.get_by_role("combobox", name=label, exact=True).click()
    page.get_by_role("option", name=option, exact=True).click()


def make_proof_link(page: Page) -> str:
    """From the board, on the ticket's page. Gives the path that a client opens."""
    page.get_by_text("FT-0201").click()
    page.get_by_role("button", name="Make a link for proofs").click()
    return page.locator(".link-field").input_value()


def bring(page: Page, *files) -> None:
    page.locator("input.files").set_input_files(files)


def stubs(page: Page):
    return page.locator("li.stub .name")


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """A point of the stage given as shares of its width and height."""
    box = stage(page).bounding_box()
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def middle_of_picture(page: Page) -> np.ndarray:
    box = stage(page).bounding_box()
    return pixels_at(page, box["x"] + 300, box["y"] + 150, 300, 250)


def pixels_at(page: Page, x: float, y: float, width: float, height: float) -> np.ndarray:
    clip = {"x": x, "y": y, "width": width, "height": height}
    return np.asarray(Image.open(io.BytesIO(page.screenshot(clip=clip))).convert("RGB")).astype(float)


def stay_with_heal(page: Page) -> None:
    """A heal stays one, whatever runs through it."""
    page.get_by_role("checkbox", name="gives way at edges").uncheck()
