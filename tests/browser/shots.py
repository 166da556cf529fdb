"""Take the pictures of docs/screenshots anew from the demo data: python tests/browser/shots.py FOLDER."""

import math
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page
from running import chromium, demo_server, on_screen, select, set_key, wait_drawn
from test_dressing import corner_of_yard, look_at, post

from test_fill import BOARD, workshop
from test_scatter import press

SETTLE_MS = 3500
HEAP = ("mug", "fire-brick", "dip-bowl", "round-stone", "floor-tile")
POURED = (0.6, 0.0, 3.4)
"""An empty place of the kiln yard."""


def choose(page: Page, prop: str) -> None:
    page.keyboard.press("/")
    page.keyboard.type(prop)
    page.keyboard.press("Enter")
    page.fill("#find-prop", "")
    page.locator("#find-prop").blur()


def made_anew(page: Page, address: str, prop: str) -> None:
    """A prop of everybody's measured anew on the bench, which the histories of its sets tell."""
    token = next(str(c["value"]) for c in page.context.cookies() if c["name"] == "csrftoken")
    url = f"{address}/api/props/{prop}"
    assert page.request.patch(url, data={"unit": "m"}, headers={"X-CSRFToken": token, "Referer": url}).ok


CHALKED = [[3.2, 0, 5.5], [2.2, 0, 3.6], [1.2, 0, 1.9], [1.0, 0, 0.6]]
"""From the yard to the door step."""
AROUND = {"on": ["kiln-yard"], "keep_out": ["beehive-kiln"]}
OFF_THE_PATH = [{"points": CHALKED, "radius_m": 0.9, "fade_m": 0.4, "weight": 0}]
RECIPES: dict[str, dict[str, object]] = {
    "stones": {
        **AROUND,
        "props": [{"prop": "round-stone", "size": [0.25, 0.9], "size_up": [0.7, 1.1], "lean": 0.6, "sink_m": 0.02}],
        "count": 140,
        "pattern": "clumped",
        "seed": 4,
        "rules": {"chalk": OFF_THE_PATH},
    },
    "thyme": {
        **AROUND,
        "props": [{"prop": "thyme-pot", "size": [0.8, 1.3], "elbow_room_m": 0.25}],
        "count": 24,
        "seed": 2,
        "no_overlap": "elbow",
        "rules": {"near": [{"of": "beehive-kiln", "within_m": 1.6, "fade_m": 0.8}], "chalk": OFF_THE_PATH},
    },
    "pebbles": {
        **AROUND,
        "props": [{"prop": "round-stone", "size": [0.05, 0.16], "lean": 0.6}],
        "count": 1500,
        "seed": 7,
        "rules": {"chalk": [{"points": CHALKED, "radius_m": 1.3, "fade_m": 0.9}]},
    },
}
"""The yard dressed by three recipes."""


def scattered(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """Herbs and stones round the kiln, and pebbles on the path."""
    key = set_key(page, address, "Kiln yard")
    for name, recipe in RECIPES.items():
        post(page, f"{address}/api/sets/{key}/moves", {"move": {"kind": "scatter", "name": name, "recipe": recipe}})
    page.goto(f"{address}/sets/{key}")
    wait_drawn(page)
    page.keyboard.press("5")
    page.get_by_label("Slip").get_by_role("button", name="stones", exact=True).click()
    look_at(page, [5.5, 4.2, 8.5], [0, 0.2, 1.5])
    shot("scatter")


def filled(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """A shelf compartment, and six ways to fill it."""
    key, (x, _, z) = workshop(page, address)
    page.goto(f"{address}/sets/{key}")
    wait_drawn(page)
    look_at(page, [x + 0.5, 1.7, z + 2.0], [x, 1.22, z])
    page.keyboard.press("6")
    for prop in ("squat jar", "dip bowl", "mug"):
        choose(page, prop)
    press(page, (x + 0.2, BOARD, z))
    page.wait_for_function("window.brickseat.state().filling.bay !== ''")
    page.evaluate("window.brickseat.state().setFilling({most_stacked: 3, rough: 0.25})")
    page.get_by_label("Slip").get_by_role("button", name="try 6 ways").click()
    page.wait_for_function("window.brickseat.state().job?.state === 'done'", timeout=120_000)
    shot("fill")


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, demo_server(Path(data)) as address, chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)

        def shot(name: str) -> None:
            page.wait_for_timeout(SETTLE_MS)
            page.screenshot(path=folder / f"{name}.png")

        page.goto(f"{address}/sets/{set_key(page, address, 'Workshop')}")
        wait_drawn(page)
        shot("stage")
        choose(page, "cider jug")
        page.mouse.move(*on_screen(page, 1.1, 0.86, -2.78))
        shot("set-down")
        page.mouse.down()
        page.mouse.up()
        wait_drawn(page, 1)
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
        made_anew(page, address, "milk-jug")
        page.wait_for_function("window.brickseat.state().revision >= 6")
        page.keyboard.press("y")
        page.get_by_label("History").get_by_role("listitem").nth(3).get_by_role("button").hover()
        shot("history")
        page.keyboard.press("y")
        page.keyboard.press("Escape")
        page.keyboard.press("9")
        page.evaluate("window.brickseat.view.standAt([2.3, 1.9, 3.1], [-0.7, 0.55, -0.9])")
        page.evaluate("window.brickseat.state().setBuild({turn: 90, across: 1.0})")
        page.wait_for_timeout(SETTLE_MS)
        page.mouse.move(*on_screen(page, -1.0, 0.0, 0.35))
        page.keyboard.press("s")
        page.mouse.click(*on_screen(page, -1.75, 0.0, -0.1))
        page.wait_for_function("window.brickseat.state().selected.length === 1")
        page.mouse.move(400, 90)
        shot("build")
        key = set_key(page, address, "Workshop")
        page.goto(f"{address}/store?set={key}")
        page.wait_for_timeout(SETTLE_MS)
        shot("store")
        page.goto(f"{address}/bench/cider-jug")
        page.get_by_role("button", name="Draw it over the prop").click()
        shot("bench")
        page.goto(f"{address}/sets/{set_key(page, address, 'Kiln yard')}")
        wait_drawn(page)
        # Each set draws its picture when it has been still for a while.
        page.wait_for_timeout(2 * SETTLE_MS)
        page.goto(address)
        shot("sets")
        with page.expect_file_chooser() as chosen:
            page.get_by_role("button", name="Open a set").click()
        chosen.value.set_files(corner_of_yard(Path(data)))
        page.get_by_role("heading", name="One piece, or several?").wait_for()
        shot("whole-or-parts")
        page.goto(f"{address}/sets/{set_key(page, address, 'Kiln yard')}")
        wait_drawn(page)
        page.wait_for_timeout(SETTLE_MS)
        page.keyboard.press("7")
        key = set_key(page, address, "Kiln yard")
        heap = []
        for n in range(18):
            x, y, z = (POURED[0] + 0.16 * math.cos(2.4 * n), 0.3 + 0.07 * n, POURED[2] + 0.16 * math.sin(2.4 * n))
            pose = {"position": [x, y, z], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
            move = {"kind": "set_down", "prop": HEAP[n % len(HEAP)], "pose": pose}
            heap.append(post(page, f"{address}/api/sets/{key}/moves", {"move": move})["deltas"][0]["key"])
        page.wait_for_function("k => window.brickseat.view.pieces.frame(k)", arg=heap[-1])
        page.evaluate("window.brickseat.view.standAt([2.6, 1.7, 6.6], [0.4, 0.2, 3.2])")
        select(page, heap)
        page.evaluate("window.brickseat.state().setSettle({lift: 0, jitter: 0.1, trials: 3})")
        page.get_by_label("Slip").get_by_role("button", name="Settle").click()
        page.get_by_role("region", name="Trials").get_by_role("img").nth(2).wait_for(timeout=180_000)
        page.keyboard.press("Escape")
        shot("trials")
        page.get_by_label("Slip").get_by_role("button", name="Discard").click()
        select(page, heap)
        page.keyboard.press("Delete")
        page.wait_for_function("k => !window.brickseat.state().pieces.has(k)", arg=heap[0])
        page.keyboard.press("8")
        choose(page, "round stone")
        choose(page, "mug")
        page.evaluate("window.brickseat.state().setPour({from: 0.3, to: 0.8, most: 60, rate: 15, spread: 0.25})")
        page.mouse.move(*on_screen(page, *POURED))
        page.mouse.down()
        page.wait_for_function("(window.brickseat.state().job?.count ?? 0) >= 45", timeout=120_000)
        page.screenshot(path=folder / "pour.png")
        page.wait_for_function("window.brickseat.state().job?.state === 'done'", timeout=120_000)
        page.mouse.up()
        page.get_by_label("Slip").get_by_role("button", name="Discard").click()
        relations(page, address, shot)
        scattered(page, address, shot)
        filled(page, address, shot)


def relations(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """What belongs together: a shelf about to be joined, a tie in the way, and seats on the bench."""
    page.goto(f"{address}/sets/{set_key(page, address, 'Kiln loading')}")
    wait_drawn(page)
    page.wait_for_timeout(SETTLE_MS)
    page.evaluate("window.brickseat.view.standAt([1.5, 1.55, 2.9], [-0.45, 0.75, -0.1])")
    page.keyboard.press("3")
    choose(page, "kiln shelf")
    head = page.evaluate(
        """() => {
            const posts = [...window.brickseat.state().pieces.values()].filter((p) => p.prop === 'kiln-post');
            const [x, y, z] = posts.map((p) => p.pose.position).sort((a, b) => b[1] - a[1] || b[2] - a[2])[0];
            return [x, y + 0.16, z];
        }"""
    )
    page.mouse.move(*on_screen(page, *head))
    shot("join")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    select(page, ["low-bench-1"])
    page.evaluate("window.brickseat.view.standAt([1.3, 1.5, 1.5], [-0.5, 0.5, -1.3])")
    turn = page.evaluate("window.brickseat.state().pieces.get('shed-back-wall').pose.orientation")
    by = [0.1 * 2 * turn[1] * turn[3], 0.0, 0.1 * (1 - 2 * turn[1] ** 2)]
    page.evaluate("by => window.brickseat.state().tryOut({ kind: 'slide', pieces: ['low-bench-1'], by })", by)
    shot("ties")
    page.goto(f"{address}/bench/kiln-shelf")
    page.get_by_role("button", name="corner 2").click()
    page.get_by_role("heading", name="Seats").scroll_into_view_if_needed()
    shot("seats")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
