"""What comes late, is lost, or is done twice at once: the stage stays true, and nothing is dead."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Route, expect
from running import DemoServer, figure, on_screen, opened, redrawn, select, set_key, stage_context, wait_drawn
from test_dressing import choose, position, stored

HELD_STEPS = 20
STOOL = "stool-1"


def steps_done(page: Page, address: str, key: str) -> int:
    return len([s for s in page.request.get(f"{address}/api/sets/{key}/history").json() if not s["undone"]])


def test_a_held_key_is_one_step_and_loses_none_of_its_own(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    select(page, [STOOL])
    before = steps_done(page, address, key)
    for _ in range(HELD_STEPS):
        # Pressed again without being let go, as a key that repeats.
        page.keyboard.down("-")
    page.keyboard.up("-")
    page.wait_for_function("k => window.brickseat.state().pieces.get(k).sink > 0", arg=STOOL)
    piece = next(p for p in stored(page, address, key)["pieces"] if p["key"] == STOOL)
    assert piece["sink"] == pytest.approx(0.001 * HELD_STEPS, abs=1e-9)
    assert steps_done(page, address, key) == before + 1
    # Quick taps are a step each, and undo waits for the last of them.
    x = position(page, STOOL)[0]
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Control+z")
    page.wait_for_function(
        # Only an undo leaves a step to redo: the stool also passes this place on its way out.
        """([k, x]) => window.brickseat.state().canRedo !== null
            && Math.abs(Math.abs(window.brickseat.state().pieces.get(k).pose.position[0] - x) - 0.02) < 1e-6""",
        arg=[STOOL, x],
    )
    assert steps_done(page, address, key) == before + 3


def test_what_gravity_did_is_found_again_after_the_page_was_loaded_anew(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    page.keyboard.press("7")
    select(page, ["stool-1", "stool-2"])
    figure(page, "lift", "100")
    figure(page, "jitter", "50")
    figure(page, "trials", "1")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="Settle").click()
    expect(slip).to_contain_text("2 pieces lie still")
    page.reload()
    wait_drawn(page)
    before = stored(page, address, key)["pieces"]
    page.keyboard.press("7")
    expect(slip).to_contain_text("An earlier settling of 2 pieces waits to be adopted")
    slip.get_by_role("button", name="Look at it").click()
    expect(slip).to_contain_text("2 pieces lie still")
    assert stored(page, address, key)["pieces"] == before
    slip.get_by_role("button", name="Adopt", exact=True).click()
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').startsWith('settled')")
    page.reload()
    wait_drawn(page)
    page.keyboard.press("7")
    expect(slip.get_by_role("button", name="Settle")).to_be_visible()
    expect(slip).not_to_contain_text("waits to be adopted")


def test_an_old_step_that_comes_late_is_not_shown_and_blocks_no_keys(page: Page, address: str) -> None:
    opened(page, address, "Workshop")
    select(page, [STOOL])
    page.keyboard.press("ArrowRight")
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').startsWith('slid')")
    late: list[Route] = []
    step = re.compile(r"/history/\d+$")
    page.route(step, lambda route: late.append(route))
    page.keyboard.press("y")
    steps = page.get_by_label("History").get_by_role("listitem")
    with page.expect_request(step):
        steps.last.get_by_role("button").hover()
    page.keyboard.press("y")
    expect(page.get_by_label("History")).to_be_hidden()
    with page.expect_response(step):
        late[0].continue_()
    redrawn(page)
    assert page.evaluate("window.brickseat.state().preview") is None
    x = position(page, STOOL)[0]
    page.keyboard.press("ArrowLeft")
    page.wait_for_function("([k, x]) => window.brickseat.state().pieces.get(k).pose.position[0] !== x", arg=[STOOL, x])


def test_a_model_that_failed_once_comes_by_itself(page: Page, address: str) -> None:
    key = set_key(page, address, "Workshop")
    prop = next(p["prop"] for p in stored(page, address, key)["pieces"] if p["key"] == STOOL)
    failed: list[str] = []

    def once(route: Route) -> None:
        if failed:
            route.continue_()
        else:
            failed.append(route.request.url)
            route.fulfill(status=422, body="no")

    page.route(re.compile(rf"/props/{prop}/.*glb"), once)
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    page.wait_for_function("window.brickseat?.view.pieces.frame('stool-1')")
    assert len(failed) == 1
    wait_drawn(page)


def test_selecting_leaves_nothing_in_the_graphics_card(page: Page, address: str) -> None:
    opened(page, address, "Workshop")
    keys = page.evaluate("[...window.brickseat.state().fits.keys()]")

    def round_of(count: int) -> int:
        for n in range(count):
            select(page, [keys[n % len(keys)]])
            redrawn(page)
        page.keyboard.press("Escape")
        redrawn(page)
        return int(page.evaluate("window.brickseat.view.geometries"))

    first = round_of(30)
    assert round_of(60) <= first


def test_a_press_while_the_server_is_away_says_so_and_the_next_one_counts(browser: Browser, demo_data: Path) -> None:
    server = DemoServer(demo_data)
    context = stage_context(browser)
    try:
        page = context.new_page()
        key = opened(page, server.address, "Workshop")
        before = stored(page, server.address, key)
        x, y = on_screen(page, 1.1, 0.86, -2.78)
        choose(page, "milk jug")
        slip = page.get_by_label("Slip")
        page.mouse.move(x, y)
        expect(slip).to_contain_text("touches work table")
        server.kill()
        expect(page.get_by_text("the server is away")).to_be_visible()
        page.mouse.click(x + 3, y)
        expect(slip).to_contain_text("nothing was set down")
        server.start()
        expect(page.get_by_text("saved", exact=True)).to_be_visible()
        page.mouse.move(x, y)
        expect(slip).to_contain_text("touches work table")
        assert stored(page, server.address, key)["pieces"] == before["pieces"], (
            "what was pressed then is not made later"
        )
        page.mouse.down()
        page.mouse.up()
        page.wait_for_function("n => window.brickseat.state().pieces.size === n", arg=len(before["pieces"]) + 1)
    finally:
        context.close()
        server.stop()


def test_what_is_found_by_a_few_letters_is_done(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    finder = page.get_by_role("dialog", name="Find anything")
    page.keyboard.press("Control+/")
    page.keyboard.type("milk jug 1")
    page.keyboard.press("Enter")
    expect(finder).to_be_hidden()
    page.wait_for_function("window.brickseat.state().selected.length === 1")
    chosen = page.evaluate("window.brickseat.state().selected[0]")
    assert next(p["name"] for p in stored(page, address, key)["pieces"] if p["key"] == chosen) == "milk jug 1"
    page.keyboard.press("Control+/")
    page.keyboard.type("spike or free")
    page.keyboard.press("Enter")
    page.wait_for_function("k => window.brickseat.state().pieces.get(k).spiked", arg=chosen)
    page.keyboard.press("Control+/")
    page.keyboard.type("group what")
    expect(finder).to_contain_text("select several pieces first")
    page.keyboard.press("Escape")
    expect(finder).to_be_hidden()
    page.keyboard.press("Control+/")
    page.keyboard.type("dip bowl")
    finder.get_by_role("option", name="dip bowl pots").click()
    expect(page.get_by_label("Slip")).to_contain_text("Set down dip bowl")


def test_sharing_that_is_taken_away_ends_the_open_stage(new_page: Callable[[], Page], address: str) -> None:
    page = new_page()
    key = opened(page, address, "Workshop")
    # The demo has one dresser: here the owner's own stage is closed by the set being taken away.
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    made = page.request.post(
        f"{address}/api/sets",
        data={"name": "Short-lived"},
        headers={"X-CSRFToken": token, "Referer": f"{address}/sets/{key}"},
    ).json()
    page.goto(f"{address}/sets/{made['key']}?quality=low")
    page.wait_for_function("window.brickseat?.state().line === 'joined'")
    # What the stage still asks for would not be found, which the browser writes to its console.
    page.wait_for_load_state("networkidle")
    gone = page.request.delete(
        f"{address}/api/sets/{made['key']}", headers={"X-CSRFToken": token, "Referer": f"{address}/sets/{key}"}
    )
    assert gone.ok
    expect(page.get_by_text("This set is no longer open to you.")).to_be_visible()
    page.get_by_role("link", name="back to all sets").click()
    expect(page.get_by_role("heading", name="Workshop, throwing day")).to_be_visible()
