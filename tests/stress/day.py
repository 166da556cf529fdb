"""A day at the stage: two thousand actions by pointer and keys, and how much memory page and server take meanwhile.

Prints a line every so often; ends with 1 where either grows by more than it may. Usage: day.py [ACTIONS] [SEED]
"""

import random
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "browser"))

from playwright.sync_api import Page
from running import DemoServer, chromium, set_key, stage_context, wait_drawn

MOST_GROWN = 1.25
"""Times the memory after the first fifth, in which everything comes up."""
LOOKS = 10
SECONDS = 180


def box_of(page: Page) -> tuple[float, float, float, float]:
    box = page.get_by_test_id("stage").bounding_box()
    assert box is not None
    return box["x"], box["y"], box["width"], box["height"]


def act(page: Page, chance: random.Random) -> str:
    """One thing that a dresser does."""
    x, y, width, height = box_of(page)
    at = (x + width * chance.uniform(0.1, 0.85), y + height * chance.uniform(0.3, 0.9))
    what = chance.choice(
        [
            "press",
            "press",
            "slide",
            "turn",
            "raise",
            "drag",
            "sweep",
            "undo",
            "verb",
            "panel",
            "set down",
            "look",
            "wheel",
        ]
    )
    if what == "press":
        page.mouse.click(*at)
    elif what == "slide":
        page.keyboard.press(chance.choice(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"]))
    elif what == "turn":
        page.keyboard.press(chance.choice([",", "."]))
    elif what == "raise":
        page.keyboard.press(chance.choice(["-", "="]))
    elif what in ("drag", "sweep"):
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0] + chance.uniform(-80, 80), at[1] + chance.uniform(-60, 60), steps=6)
        page.mouse.up()
    elif what == "undo":
        page.keyboard.press(chance.choice(["Control+z", "Control+z", "Control+Shift+z"]))
    elif what == "verb":
        page.keyboard.press(chance.choice("2345679"))
        page.keyboard.press("2")
    elif what == "panel":
        key = chance.choice("tyvx")
        page.keyboard.press(key)
        page.keyboard.press(key)
    elif what == "set down":
        page.get_by_role("list", name="props").get_by_role("button").nth(chance.randrange(6)).click()
        page.mouse.click(*at)
        page.keyboard.press("Escape")
        page.keyboard.press("2")
    elif what == "look":
        page.keyboard.press(chance.choice("fnl"))
    else:
        page.mouse.move(*at)
        page.mouse.wheel(0, chance.choice([-200, 200]))
    return what


def settled(page: Page) -> None:
    """Until nothing is under way any more."""
    page.wait_for_function("window.brickseat.state().saving === 0", timeout=1000 * SECONDS)


def resident(pid: int) -> float:
    """Megabytes that a process has in memory."""
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS")) / 1024


def main(actions: int, seed: int) -> int:
    chance = random.Random(seed)
    taken: list[tuple[float, float]] = []
    with tempfile.TemporaryDirectory() as data, chromium() as browser:
        server = DemoServer(Path(data))
        context = stage_context(browser)
        page = context.new_page()
        problems: list[str] = []
        page.on("pageerror", lambda error: problems.append(str(error)))
        try:
            key = set_key(page, server.address, "Workshop")
            page.goto(f"{server.address}/sets/{key}?quality=low&seed=7")
            wait_drawn(page)
            devtools = context.new_cdp_session(page)
            for number in range(1, actions + 1):
                act(page, chance)
                if number % (actions // LOOKS):
                    continue
                settled(page)
                page.keyboard.press("Escape")
                devtools.send("HeapProfiler.collectGarbage")
                heap = devtools.send("Runtime.getHeapUsage")["usedSize"] / 2**20
                nodes = page.evaluate("document.getElementsByTagName('*').length")
                cards = page.evaluate("window.brickseat.view.geometries")
                taken.append((heap, resident(server.process.pid)))
                print(
                    f"{number:6d} actions: page {heap:.1f} MB, {nodes} elements, {cards} geometries; server {taken[-1][1]:.0f} MB",
                    flush=True,
                )
        finally:
            context.close()
            server.stop()
    first, last = taken[LOOKS // 5 - 1], taken[-1]
    grown = [after / before for before, after in zip(first, last, strict=True)]
    print(
        f"grown by {grown[0]:.2f} (page) and {grown[1]:.2f} (server) since the first fifth; errors of the page: {problems or 'none'}"
    )
    return int(max(grown) > MOST_GROWN or bool(problems))


if __name__ == "__main__":
    given = [int(word) for word in sys.argv[1:]]
    raise SystemExit(main(*(given + [2000, 11][len(given) :])))
