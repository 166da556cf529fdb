"""A day's dressing in a real browser: a bare shelf, a faulty set, a prop in centimetres, a server that dies."""

import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect
from running import DemoServer, figure, on_screen, redrawn, select, set_key, stage_context, wait_drawn

from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube

TWELVE = ["mug", "dip bowl", "milk jug", "oil bottle", "middle bowl", "squat jar"] * 2
AXE = Path(__file__).parent.parent.parent / "web/node_modules/axe-core/axe.min.js"
POT_IN_CM = (
    "".join(f"v {x} {y} {z}\n" for x, z in ((-6, -6), (6, -6), (6, 6), (-6, 6)) for y in (0, 14))
    + "f 1 3 5 7\nf 2 8 6 4\nf 1 2 4 3\nf 3 4 6 5\nf 5 6 8 7\nf 7 8 2 1\n"
)


def stored(page: Page, address: str, key: str) -> dict[str, Any]:
    found: dict[str, Any] = page.request.get(f"{address}/api/sets/{key}").json()
    return found


def position(page: Page, key: str) -> list[float]:
    found: list[float] = page.evaluate("k => window.brickseat.state().pieces.get(k).pose.position", key)
    return found


def post(page: Page, url: str, body: dict[str, Any]) -> Any:
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    answer = page.request.post(url, data=body, headers={"X-CSRFToken": token, "Referer": url})
    assert answer.ok, answer.text()
    return answer.json()


def choose(page: Page, prop: str) -> None:
    page.keyboard.press("/")
    page.fill("#find-prop", prop)
    page.keyboard.press("Enter")


def look_at(page: Page, eye: list[float], target: list[float]) -> None:
    page.evaluate("([eye, target]) => window.brickseat.view.standAt(eye, target)", [eye, target])
    redrawn(page)


def test_a_bare_shelf_is_built_and_dressed_with_twelve_pieces(page: Page, address: str) -> None:
    page.goto(address)
    page.get_by_role("button", name="new set").click()
    page.wait_for_url("**/sets/*")
    key = page.url.rsplit("/", 1)[1]
    page.goto(f"{page.url}?quality=low&seed=7")
    wait_drawn(page)
    page.keyboard.press("9")
    slip = page.get_by_label("Slip")
    for kind, middle in (("floor", (640, 420)), ("shelf", None)):
        slip.get_by_role("button", name="kind of bearer").click()
        page.get_by_role("menuitemradio", name=kind).click()
        look_at(page, [0.3, 1.4, 3.2], [0, 0.7, 0])
        page.mouse.click(*(middle or on_screen(page, 0.0, 0.0, 0.0)))
        page.wait_for_function(
            "n => [...window.brickseat.state().pieces.values()].length === n", arg=1 if kind == "floor" else 2
        )
    shelf = next(p for p in stored(page, address, key)["pieces"] if p["name"] == "shelf")
    x, y, z = shelf["pose"]["position"]
    assert y == pytest.approx(0.0, abs=1e-3)
    wait_drawn(page, 2)
    # Where the four boards are: three to stand on below the top one, which is too high to look onto.
    boards = [y + 0.02 + k * (1.5 - 0.02) / 3 for k in (2, 1, 0)]
    look_at(page, [x, 1.25, z + 2.6], [x, 0.72, z])
    for n, prop in enumerate(TWELVE):
        choose(page, prop)
        board, place = divmod(n, 4)
        point = on_screen(page, x - 0.42 + 0.28 * place, boards[board], z + 0.06)
        page.mouse.move(*point)
        expect(slip).to_contain_text("touches shelf at 0.0 mm")
        page.mouse.down()
        page.mouse.up()
        page.wait_for_function("n => window.brickseat.state().fits.size === n", arg=n + 1)
    fits = stored(page, address, key)["fits"]
    assert len(fits) == 12
    assert {f["state"] for f in fits} == {"seated"}
    assert {tuple(f["rests_on"]) for f in fits} == {(shelf["key"],)}
    assert max(f["gap"] for f in fits) < 1e-9


def test_the_faulty_workshop_is_repaired_from_the_ledger(page: Page, address: str) -> None:
    key = set_key(page, address, "Workshop")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    page.keyboard.press("t")
    ledger = page.get_by_role("region", name="Ledger")
    first = ledger.get_by_role("row").nth(1)
    expect(first).to_contain_text("clashing")
    ledger.get_by_role("radio", name="3 floating").click()
    expect(ledger.get_by_role("row")).to_have_count(4)
    ledger.get_by_role("radio", name="103 all").click()
    ledger.get_by_role("button", name="Repair 7").click()
    expect(ledger.get_by_role("button", name="Repair 0")).to_be_visible()
    page.keyboard.press("0")
    expect(page.get_by_label("Slip")).to_contain_text("slatted crate 2 moved 90.0 mm")
    assert not any(f["faults"] for f in stored(page, address, key)["fits"])
    # The history shows it, an old step can be looked at, and everything gone back to.
    page.keyboard.press("y")
    steps = page.get_by_label("History").get_by_role("listitem")
    steps.last.get_by_role("button").hover()
    expect(page.get_by_text("Looking at the set as it was to begin with")).to_be_visible()
    steps.last.get_by_role("button").click()
    page.wait_for_function("[...window.brickseat.state().fits.values()].filter(f => f.faults.length).length === 7")


def test_a_proof_is_saved_with_its_name_and_date(page: Page, address: str, tmp_path: Path) -> None:
    page.goto(f"{address}/sets/{set_key(page, address, 'Kiln yard')}?quality=low&seed=7")
    wait_drawn(page)
    with page.expect_download() as waiting:
        page.get_by_role("button", name="proof").click()
    name = waiting.value.suggested_filename
    assert name == f"Kiln yard morning {time.strftime('%Y-%m-%d', time.gmtime())}.png"
    waiting.value.save_as(tmp_path / name)
    with Image.open(tmp_path / name) as picture:
        assert picture.width == 1920
        grey = np.asarray(picture.convert("L"), dtype=float)
    assert grey[:-64].std() > 15.0, "nothing is drawn on it"
    assert grey[-64:].min() < 90.0, "its caption is empty"


def test_the_card_of_a_set_shows_it_as_it_was_left(page: Page, address: str) -> None:
    key = set_key(page, address, "Kiln loading")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    # Left at once: nobody waits until it is quiet.
    page.get_by_role("link", name="All sets").click()
    card = page.get_by_role("link", name="Kiln loading, evening")
    expect(card.locator("img")).to_have_attribute("src", re.compile(r"picture\.jpg"))
    page.wait_for_function("() => [...document.images].every(image => image.complete && image.naturalWidth > 0)")


def test_the_puck_slides_turns_and_keeps_a_laid_table_together(page: Page, address: str) -> None:
    key = set_key(page, address, "Workshop")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    page.keyboard.press("2")
    x, y, z = position(page, "stool-1")
    page.mouse.click(*on_screen(page, x, y + 0.41, z))
    page.wait_for_function("window.brickseat.view.puck.visible")
    at = on_screen(page, x + 0.14, y, z + 0.14)
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] - 30, at[1] + 10)
    page.mouse.move(at[0] - 60, at[1] + 20)
    expect(page.get_by_test_id("puck-figures")).to_contain_text("across")
    page.keyboard.type("12cm")
    expect(page.get_by_test_id("puck-figures")).to_have_text("12cm = 120.0 mm")
    page.keyboard.press("Enter")
    page.mouse.up()
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').startsWith('slid')")
    moved = position(page, "stool-1")
    assert abs(moved[0] - x) + abs(moved[2] - z) == pytest.approx(0.12, abs=1e-9)
    fit = next(f for f in stored(page, address, key)["fits"] if f["key"] == "stool-1")
    assert (fit["state"], fit["gap"]) == ("seated", pytest.approx(0.0, abs=1e-9))
    # A plank on its trestles with all that stands on it, as one.
    select(page, ["trestle-1"])
    page.keyboard.press("u")
    laid = page.evaluate("window.brickseat.state().selected")
    assert len(laid) > 4
    before = {k: position(page, k) for k in laid}
    page.keyboard.press("ArrowRight")
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').includes('together')")
    steps = {tuple(round(b - a, 6) for a, b in zip(before[k], position(page, k), strict=True)) for k in laid}
    assert len(steps) == 1


def test_a_pot_in_centimetres_is_brought_to_true_size_and_set_on_the_terrain(
    page: Page, address: str, tmp_path: Path
) -> None:
    path = tmp_path / "watering pot.obj"
    path.write_text(POT_IN_CM)
    key = set_key(page, address, "Kiln yard")
    page.goto(f"{address}/store?set={key}")
    page.set_input_files("input[type=file]", path)
    arriving = page.get_by_role("list", name="Arriving")
    expect(arriving).to_contain_text("In cm it would be 0.14 m")
    arriving.get_by_role("button", name="Take it in cm").click()
    expect(arriving).to_contain_text("120.0 mm across, 140.0 mm up")
    page.get_by_label("find in the store").fill("watering pot")
    page.get_by_role("article", name="watering pot").get_by_role("button", name="wheel onto the set").click()
    expect(page.get_by_role("article", name="watering pot")).to_contain_text("off the trolley")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    choose(page, "watering pot")
    page.mouse.move(*on_screen(page, 0.5, 0.0, 5.0))
    expect(page.get_by_label("Slip")).to_contain_text("touches")
    page.mouse.down()
    page.mouse.up()
    page.wait_for_function("[...window.brickseat.state().pieces.values()].some(p => p.name === 'watering pot 1')")
    found = stored(page, address, key)
    made = next(p for p in found["pieces"] if p["name"] == "watering pot 1")
    fit = next(f for f in found["fits"] if f["key"] == made["key"])
    assert fit["gap"] == pytest.approx(0.0, abs=1e-9)
    assert fit["depth"] < 1e-6


def test_a_server_killed_in_mid_drag_loses_nothing(browser: Browser, demo_data: Path) -> None:
    server = DemoServer(demo_data)
    context = stage_context(browser)
    try:
        page = context.new_page()
        key = set_key(page, server.address, "Workshop")
        page.goto(f"{server.address}/sets/{key}?quality=low&seed=7")
        wait_drawn(page)
        page.keyboard.press("2")
        select(page, ["stool-2"])
        page.keyboard.press("ArrowRight")
        page.wait_for_function("window.brickseat.state().revision === 1")
        before = stored(page, server.address, key)
        x, y, z = position(page, "stool-1")
        page.mouse.move(*on_screen(page, x, y + 0.41, z))
        page.mouse.down()
        page.mouse.move(*on_screen(page, x + 0.1, y, z + 0.1))
        page.mouse.move(*on_screen(page, x + 0.2, y, z + 0.2))
        server.kill()
        expect(page.get_by_text("the server is away")).to_be_visible()
        page.mouse.up()
        server.start()
        expect(page.get_by_text("saved", exact=True)).to_be_visible()
        assert stored(page, server.address, key) == before
        assert position(page, "stool-1") == [x, y, z]
        page.keyboard.press("Control+z")
        page.wait_for_function("window.brickseat.state().revision === 2")
        page.close()
        # The browser dies instead: what was done is there when it comes back, and can be taken back.
        again = context.new_page()
        again.goto(f"{server.address}/sets/{key}?quality=low&seed=7")
        wait_drawn(again)
        again.keyboard.press("Control+Shift+Z")
        again.wait_for_function("window.brickseat.state().revision === 3")
        assert stored(again, server.address, key)["pieces"] == before["pieces"]
    finally:
        context.close()
        server.stop()


def test_a_piece_dragged_by_one_is_not_dragged_by_the_other(new_page: Callable[[], Page], address: str) -> None:
    first, second = new_page(), new_page()
    key = set_key(first, address, "Workshop")
    for page in (first, second):
        page.goto(f"{address}/sets/{key}?quality=low&seed=7")
        wait_drawn(page)
        page.keyboard.press("2")
    expect(first.get_by_role("button", name="who is here")).to_have_accessible_name(
        "who is here: Wren Ashby, Wren Ashby (2)"
    )
    x, y, z = position(first, "stool-2")
    for page in (first, second):
        page.mouse.move(*on_screen(page, x, y + 0.41, z))
        page.mouse.down()
        page.mouse.move(*on_screen(page, x + 0.05, y, z + 0.05))
        page.mouse.move(*on_screen(page, x + 0.1, y, z + 0.1))
        # The second one takes hold only when the first one holds it.
        page.wait_for_function("window.brickseat.state().here.some(o => o.holding.includes('stool-2'))")
    expect(second.get_by_text("is moving that just now")).to_be_visible()
    second.mouse.up()
    first.mouse.up()
    first.wait_for_function("(window.brickseat.state().canUndo ?? '').startsWith('moved')")
    second.wait_for_function("x => window.brickseat.state().pieces.get('stool-2').pose.position[0] !== x", arg=x)


def test_a_heap_settles_half_of_a_trial_is_adopted_and_taken_back(page: Page, address: str) -> None:
    key = set_key(page, address, "Kiln yard")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    before = stored(page, address, key)["pieces"]
    stones = [p["key"] for p in before if p["prop"] in ("round-stone", "long-stone", "flat-stone", "fire-brick")]
    assert len(stones) >= 6
    select(page, stones)
    page.keyboard.press("7")
    figure(page, "lift", "200")
    figure(page, "jitter", "50")
    figure(page, "trials", "2")
    slip = page.get_by_label("Slip")
    expect(slip).to_contain_text(f"what is selected ({len(stones)})")
    slip.get_by_role("button", name="Settle").click()
    trials = page.get_by_role("region", name="Trials")
    expect(trials.get_by_role("button")).to_have_count(2)
    trials.get_by_role("button").nth(1).click()
    select(page, stones[: len(stones) // 2])
    slip.get_by_role("button", name="Adopt only the").click()
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').startsWith('settled')")
    now = {p["key"]: p for p in stored(page, address, key)["pieces"]}
    moved = [p["key"] for p in before if now[p["key"]] != p]
    assert set(moved) <= set(stones[: len(stones) // 2])
    assert moved
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').startsWith('settled')")
    assert stored(page, address, key)["pieces"] == before, "back to the last bit"


def corner_of_yard(folder: Path) -> Path:
    """A file of a set in which a chair of a seat and two legs is a group, and so are four bricks."""
    nodes: list[dict[str, Any]] = [
        {"name": "floor", "mesh": 0, "translation": [0, -0.5, 0], "scale": [6, 1, 6], "extras": {"brickseat": {"role": "bearer"}}},
        {"name": "chair", "children": [3, 4, 5]},
        {"name": "bricks", "children": [6, 7, 8, 9], "translation": [1, 0, 0]},
        *({"name": "leg", "mesh": 0, "translation": [x, 0.2, 0], "scale": [0.1, 0.4, 0.4]} for x in (-0.2, 0.2)),
        {"name": "seat", "mesh": 0, "translation": [0, 0.45, 0], "scale": [0.5, 0.1, 0.4]},
        *({"name": "brick", "mesh": 0, "translation": [0.3 * k, 0.05, 0], "scale": [0.2, 0.1, 0.1]} for k in range(4)),
    ]  # fmt: skip
    grey = Paint("grey", (0.5, 0.5, 0.5))
    made = prop_document("cube", [Surface(grey, cube().vertices, cube().faces)])
    made.json["nodes"], made.json["scenes"] = nodes, [{"nodes": [0, 1, 2]}]
    path = folder / "corner of the yard.glb"
    made.save(path)
    return path


def test_a_file_with_a_chair_and_a_crowd_is_asked_about_once(page: Page, address: str, tmp_path: Path) -> None:
    page.goto(address)
    with page.expect_file_chooser() as chosen:
        page.get_by_role("button", name="Open a set").click()
    chosen.value.set_files(corner_of_yard(tmp_path))
    expect(page.get_by_role("heading", name="One piece, or several?")).to_be_focused()
    # What is likely is proposed, and said otherwise by keys alone.
    expect(page.get_by_role("group", name="chair").get_by_label("one piece")).to_be_checked()
    expect(page.get_by_role("group", name="bricks").get_by_label("4 pieces")).to_be_checked()
    page.keyboard.press("Tab")
    page.keyboard.press("Tab")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_role("group", name="bricks").get_by_label("one piece")).to_be_checked()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    page.wait_for_url("**/sets/*")
    found = stored(page, address, set_key(page, address, "corner of the yard"))
    names = sorted(p["name"] for p in found["pieces"] if p["role"] == "prop")
    assert len(names) == 5
    assert names[-1] == "chair"
    assert {fit["state"] for fit in found["fits"]} == {"seated"}


@pytest.mark.parametrize("width", [1024, 2560])
def test_nothing_keeps_assistive_technology_out(new_page: Callable[[], Page], address: str, width: int) -> None:
    page = new_page()
    page.set_viewport_size({"width": width, "height": 800})
    key = set_key(page, address, "Workshop")

    def serious(where: str) -> None:
        page.add_script_tag(path=AXE)
        found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
        bad = [
            (v["id"], v["nodes"][0]["target"], v["nodes"][0].get("failureSummary", "")[:160])
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        assert bad == [], where
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), f"{where} runs out of its window"

    page.goto(address)
    expect(page.get_by_role("heading", name="Workshop, throwing day")).to_be_visible()
    serious("sets")
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    serious("stage, set down")
    page.keyboard.press("2")
    select(page, ["stool-1"])
    page.keyboard.press("t")
    page.keyboard.press("y")
    expect(page.get_by_role("region", name="Ledger")).to_be_visible()
    expect(page.get_by_label("History")).to_be_visible()
    redrawn(page)
    serious("stage with ledger and history")
    for verb in "1789":
        page.keyboard.press(verb)
        redrawn(page)
        serious(f"stage, verb {verb}")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    serious("key sheet")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+/")
    expect(page.get_by_role("dialog", name="Find anything")).to_be_visible()
    serious("finder")
    page.goto(f"{address}/store?set={key}")
    expect(page.get_by_role("article").first).to_be_visible()
    serious("store")
    page.get_by_role("tab", name="from the prop house").click()
    expect(page.get_by_role("button", name="Order").first).to_be_visible()
    serious("prop house")
    page.goto(f"{address}/bench/cider-jug")
    expect(page.get_by_role("heading", name="Contact shape")).to_be_visible()
    expect(page.get_by_text("Making it…")).to_be_hidden()
    serious("bench")
