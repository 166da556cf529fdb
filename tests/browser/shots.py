"""Take the pictures of docs/screenshots anew from the demo data: python tests/browser/shots.py FOLDER."""

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page
from running import chromium, demo_server, on_screen, set_key, wait_drawn

SETTLE_MS = 3500
POURED = (0.6, 0.0, 3.4)
"""An empty place of the kiln yard."""


def choose(page: Page, prop: str) -> None:
    page.keyboard.press("/")
    page.keyboard.type(prop)
    page.keyboard.press("Enter")
    page.fill("#find-prop", "")
    page.locator("#find-prop").blur()


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, demo_server(Path(data)) as address, chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})

        def shot(name: str) -> None:
            page.wait_for_timeout(SETTLE_MS)
            page.screenshot(path=folder / f"{name}.png")

        page.goto(address)
        shot("sets")
        page.goto(f"{address}/sets/{set_key(page, address, 'Workshop')}")
        wait_drawn(page)
        shot("stage")
        choose(page, "cider jug")
        page.mouse.move(*on_screen(page, 1.1, 0.86, -2.78))
        shot("set-down")
        page.mouse.down()
        page.mouse.up()
        wait_drawn(page, 1)
        page.mouse.move(400, 90)
        shot("set-down-done")
        page.keyboard.press("Control+z")
        page.keyboard.press("Escape")
        page.keyboard.press("2")
        page.mouse.click(*on_screen(page, -0.2, 0.1, -1.2))
        page.keyboard.press("l")
        page.mouse.move(400, 90)
        shot("through-the-gap")
        page.keyboard.press("?")
        shot("keys")
        page.keyboard.press("Escape")
        page.reload()
        wait_drawn(page)
        page.keyboard.press("0")
        shot("repair")
        page.keyboard.press("2")
        page.mouse.click(*on_screen(page, 0.5, 0.41, -1.55))
        page.keyboard.press("t")
        page.mouse.move(400, 90)
        shot("ledger")
        page.keyboard.press("t")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press(".")
        page.wait_for_function("window.brickseat.state().revision >= 4")
        page.keyboard.press("y")
        page.get_by_label("History").get_by_role("listitem").nth(2).get_by_role("button").hover()
        shot("history")
        page.keyboard.press("y")
        page.keyboard.press("Escape")
        page.keyboard.press("9")
        page.mouse.click(*on_screen(page, 0.4, 0.0, -0.6))
        page.mouse.move(*on_screen(page, -0.6, 0.0, -0.6))
        page.keyboard.press("s")
        shot("build")
        key = set_key(page, address, "Workshop")
        page.goto(f"{address}/store?set={key}")
        page.wait_for_timeout(SETTLE_MS)
        shot("store")
        page.get_by_role("tab", name="from the prop house").click()
        shot("prop-house")
        page.goto(f"{address}/bench/cider-jug")
        page.get_by_role("button", name="Draw it over the prop").click()
        shot("bench")
        page.goto(f"{address}/sets/{set_key(page, address, 'Kiln yard')}")
        wait_drawn(page)
        shot("kiln-yard")
        page.keyboard.press("7")
        stones = "[...window.brickseat.state().pieces.values()].filter(p => /stone|brick|tile/.test(p.prop))"
        page.evaluate(f"window.brickseat.state().select({stones}.map(p => p.key))")
        page.evaluate("window.brickseat.state().setSettle({lift: 0.3, jitter: 0.1, trials: 3})")
        page.get_by_label("Slip").get_by_role("button", name="Settle").click()
        page.get_by_role("region", name="Trials").get_by_role("img").nth(2).wait_for(timeout=180_000)
        shot("trials")
        page.get_by_label("Slip").get_by_role("button", name="Discard").click()
        page.keyboard.press("8")
        page.evaluate("window.brickseat.state().select([])")
        choose(page, "round stone")
        choose(page, "mug")
        page.evaluate("window.brickseat.state().setPour({from: 0.3, to: 0.8, most: 60, rate: 15, spread: 0.25})")
        page.mouse.move(*on_screen(page, *POURED))
        page.mouse.down()
        page.get_by_text("poured 45 of 60").or_(page.get_by_text("poured 5")).first.wait_for(timeout=120_000)
        page.screenshot(path=folder / "pour.png")
        page.wait_for_function("window.brickseat.state().job?.state === 'done'", timeout=120_000)
        page.mouse.up()
        page.get_by_label("Slip").get_by_role("button", name="Discard").click()
        page.keyboard.press("1")
        for prop, across in (("cider jug", -0.3), ("milk jug", 0.0), ("tall jar", 0.3)):
            choose(page, prop)
            page.mouse.move(*on_screen(page, POURED[0] + across, 0.0, POURED[2]))
            page.wait_for_timeout(SETTLE_MS)
            page.mouse.down()
            page.mouse.up()
            page.wait_for_timeout(SETTLE_MS)
        pots = "[...window.brickseat.state().pieces.values()].filter(p => /jug|tall-jar/.test(p.prop))"
        page.keyboard.press("Escape")
        page.evaluate(f"window.brickseat.state().select({pots}.map(p => p.key))")
        page.keyboard.press("7")
        page.evaluate(
            "window.brickseat.state().setSettle({lift: 0.45, jitter: 0.05, trials: 1, calm: 0, breaks: 0.03})"
        )
        page.get_by_label("Slip").get_by_role("button", name="Settle").click()
        page.wait_for_function("window.brickseat.state().job?.state === 'done'", timeout=120_000)
        page.get_by_label("Slip").get_by_role("button", name="Adopt", exact=True).click()
        page.wait_for_function("(window.brickseat.state().canUndo ?? '').includes('broke')")
        page.evaluate("window.brickseat.view.standAt([0.9, 1.1, 5.6], [0.6, 0.0, 3.4])")
        page.keyboard.press("2")
        shot("shards")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
