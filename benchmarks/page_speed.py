"""A drag of a ruler in the page itself: from the hand's movement to the drawn picture, in Chromium."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from statistics import median, quantiles

from playwright.sync_api import sync_playwright

from benchmarks.balance_speed import RULERS
from benchmarks.bench_speed import bring, demo_application
from benchmarks.figures import Figure, large_photo
from tests.application import Application
from tests.browser.conftest import QUIET

#: Moves the ruler in hand a little, again and again, and waits each time until the stage's canvas is drawn anew.
_DRAG = """async ([x0, y, count]) => {
  const canvas = document.querySelector('main.stage canvas')
  const draw = CanvasRenderingContext2D.prototype.drawImage
  let drawn = () => {}
  CanvasRenderingContext2D.prototype.drawImage = function (...given) {
    draw.apply(this, given)
    if (this.canvas === canvas) drawn()
  }
  const track = document.elementFromPoint(x0, y).closest('.track')
  const taken = []
  for (let k = 0; k < count; k++) {
    const start = performance.now()
    const next = new Promise((resolve) => { drawn = resolve })
    const clientX = x0 + 40 * Math.sin(k / 4)
    const how = { clientX, clientY: y, bubbles: true, pointerId: 1, buttons: 1 }
    track.dispatchEvent(new PointerEvent('pointermove', how))
    await next
    taken.push(performance.now() - start)
    await new Promise((resolve) => setTimeout(resolve, 15))
  }
  CanvasRenderingContext2D.prototype.drawImage = draw
  return taken
}"""


def run(folder: Path) -> Iterator[Figure]:
    with demo_application() as application:
        yield from _figures(application, large_photo(folder))


def _figures(application: Application, photo: Path) -> Iterator[Figure]:
    with application.client() as client:
        identity = bring(client, photo)
        expected = client.get(f"/api/photos/{identity}/ledger").json()["revision"]
        changes = [{"kind": "put", "step": dict(ruler)} for ruler in RULERS]
        body = {"expected": expected, "summary": "All rulers", "changes": changes}
        client.post(f"/api/photos/{identity}/changes", json=body).raise_for_status()
        cookie = {"name": "fern_session", "value": client.cookies["fern_session"], "url": application.url}

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application.url)
        context.add_cookies([cookie])  # type: ignore[list-item]
        page = context.new_page()
        page.goto(f"/photos/{identity}")
        page.wait_for_selector('main.stage[data-settled="true"]')
        page.wait_for_timeout(1500)
        box = page.get_by_role("slider", name="exposure", exact=True).bounding_box()
        if box is None:
            raise AssertionError("the exposure ruler is not there")
        x, y = box["x"] + box["width"] * 0.55, box["y"] + 8
        page.mouse.move(x, y)
        page.mouse.down()
        taken = page.evaluate(_DRAG, [x, y, 90])[10:]
        page.mouse.up()
        browser.close()
    against = "the page on its own machine, every ruler in use, 24 MP"
    yield Figure("exposure drag, hand to drawn, median", round(median(taken), 1), "ms", against, 100)
    yield Figure(
        "exposure drag, hand to drawn, 95th percentile", round(quantiles(taken, n=20)[18], 1), "ms", against, 160
    )
