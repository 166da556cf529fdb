"""Gravity in a real browser: a heap and its trials, a stream of stones, jars that break, a server that dies meanwhile."""

import math
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, expect
from running import DemoServer, figure, last_step, on_screen, opened, say, select, stage_context, wait_drawn
from test_dressing import choose, post, stored

MOST_ROUNDS = 2400
"""Steps of the pointer about the boulder: far more than a pour takes, on a machine however busy."""
MOST_GRABS, HIGH_ENOUGH = 8, 0.4
"""Metres that a jar is raised so that it surely breaks when it is let go, and how often it is grabbed for that."""
YARD = (0.6, 0.0, 3.4)
"""An empty place of the kiln yard, well in view."""


def set_down(page: Page, address: str, key: str, prop: str, x: float, y: float, z: float) -> str:
    pose = {"position": [x, y, z], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    made = post(page, f"{address}/api/sets/{key}/moves", {"move": {"kind": "set_down", "prop": prop, "pose": pose}})
    return str(made["deltas"][0]["key"])


def ended(page: Page) -> dict[str, Any]:
    """The only outcome of the job, once it is done."""
    page.wait_for_function("window.brickseat.state().job?.state === 'done'")
    found: dict[str, Any] = page.evaluate("window.brickseat.state().job.outcomes[0]")
    return found


def place_drawn(page: Page, key: str) -> list[float]:
    """Where a piece is drawn, in metres."""
    found: list[float] = page.evaluate("k => window.brickseat.view.pieces.frame(k).matrix.elements.slice(12, 15)", key)
    return found


ANY_BROKEN = "keys => keys.some(key => !window.brickseat.view.pieces.piece(key))"
"""Whether a piece that stands on the set is not on the stage."""


def frames_on(page: Page, key: str, count: int) -> None:
    """Until a piece was drawn in so many more places, whatever time that takes, or it lies still or is gone."""
    page.evaluate(
        """([key, count]) => new Promise(done => {
            const { pieces } = window.brickseat.view;
            let last = "";
            let still = 0;
            const look = () => {
                if (count <= 0 || still > 120 || !pieces.frame(key)) return done(null);
                const now = pieces.frame(key).matrix.elements.join();
                if (now !== last) count -= 1;
                still = now === last ? still + 1 : 0;
                last = now;
                requestAnimationFrame(look);
            };
            look();
        })""",
        [key, count],
    )


def faulty(found: dict[str, Any], keys: set[str]) -> set[str]:
    return {f["key"] for f in found["fits"] if f["key"] in keys and f["faults"]}


def test_a_heap_of_sixty_settles_in_three_trials_and_half_of_one_is_adopted(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln yard")
    props = ["fire-brick", "mug", "floor-tile", "dip-bowl", "round-stone"]
    heap = [
        set_down(
            page, address, key, props[n % 5], 0.6 + 0.3 * math.cos(2.4 * n), 0.3 + 0.09 * n, 3.4 + 0.3 * math.sin(n)
        )
        for n in range(60)
    ]
    page.reload()
    wait_drawn(page)
    before = stored(page, address, key)["pieces"]
    select(page, heap)
    page.keyboard.press("7")
    figure(page, "jitter", "20")
    figure(page, "trials", "3")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="Settle").click()
    trials = page.get_by_role("region", name="Trials")
    expect(trials.get_by_role("button")).to_have_count(3)
    trials.get_by_role("button").nth(2).click()
    outcome = page.evaluate("window.brickseat.state().job.outcomes[2]")
    assert len(outcome["poses"]) == 60
    select(page, heap[:30])
    slip.get_by_role("button", name="Adopt only the 30 selected").click()
    last_step(page, "settled")
    now = {p["key"]: p for p in stored(page, address, key)["pieces"]}
    moved = {p["key"] for p in before if now[p["key"]] != p}
    assert moved == set(heap[:30]), "just those that were chosen fell"
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').startsWith('settled')")
    assert stored(page, address, key)["pieces"] == before, "back to the last bit"


def test_a_hundred_stones_are_poured_round_a_boulder(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln yard")
    before = {p["key"] for p in stored(page, address, key)["pieces"]}
    page.keyboard.press("8")
    choose(page, "round stone")
    choose(page, "flat stone")
    slip = page.get_by_label("Slip")
    expect(slip).to_contain_text("Pour round stone and flat stone")
    figure(page, "smallest", "20")
    figure(page, "largest", "50")
    figure(page, "how many in all", "100")
    figure(page, "how many a second", "20")
    figure(page, "spread", "250")
    boulder = next(p for p in stored(page, address, key)["pieces"] if p["prop"] == "round-stone")
    x, _, z = boulder["pose"]["position"]
    page.mouse.move(*on_screen(page, x + 0.5, 0.0, z))
    page.mouse.down()
    expect(slip).to_contain_text("poured")
    for step in range(MOST_ROUNDS):
        if page.evaluate("window.brickseat.state().job?.state") != "running":
            break
        angle = 0.5 * step
        page.mouse.move(*on_screen(page, x + 0.5 * math.cos(angle), 0.0, z + 0.5 * math.sin(angle)))
        page.wait_for_timeout(250)
    page.mouse.up()
    outcome = ended(page)
    assert len(outcome["born"]) == 100
    assert {p["key"] for p in stored(page, address, key)["pieces"]} == before, "nothing of it is on the set yet"
    expect(slip).to_contain_text("100 pieces lie still")
    # What another dresser does elsewhere meanwhile leaves the stones where they are drawn, and is in nobody's way.
    drawn = "keys => keys.every(key => window.brickseat.view.pieces.piece(key))"
    poured = [p["key"] for p in outcome["born"]]
    assert page.evaluate(drawn, poured)
    loose = [p for p in stored(page, address, key)["pieces"] if p["role"] == "prop" and not p["spiked"]]
    farthest = max(loose, key=lambda p: math.dist(p["pose"]["position"], boulder["pose"]["position"]))["key"]
    moved = post(
        page,
        f"{address}/api/sets/{key}/moves",
        {"move": {"kind": "slide", "pieces": [farthest], "by": [-0.05, 0, 0]}},
    )
    wait_drawn(page, moved["revision"])
    assert page.evaluate(drawn, poured)
    slip.get_by_role("button", name="Adopt", exact=True).click()
    last_step(page, "poured 100 pieces")
    found = stored(page, address, key)
    fresh = {p["key"] for p in found["pieces"]} - before
    assert len(fresh) == 100
    assert faulty(found, fresh) <= {n["key"] for n in outcome["named"]}
    assert len(outcome["named"]) <= 5
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').startsWith('poured')")
    assert {p["key"] for p in stored(page, address, key)["pieces"]} == before


def test_a_stack_of_jars_is_shoved_over_and_breaks(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln yard")
    page.keyboard.press("2")
    stack = []
    for n in range(3):
        stack.append(set_down(page, address, key, "squat-jar", YARD[0], 0.3 + 0.17 * n, YARD[2]))
        # As it would be built up: each rests on the one before.
        post(page, f"{address}/api/sets/{key}/moves", {"move": {"kind": "rest", "pieces": stack[-1:]}})
    page.reload()
    wait_drawn(page)
    select(page, stack)
    page.keyboard.press("7")
    say(page, "hand", "with a firm hand in it")
    say(page, "what breaks", "and what is struck too hard breaks")
    figure(page, "smallest shard", "30")
    figure(page, "calmness", "0")
    figure(page, "jitter", "0")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="Settle").click()
    expect(slip).to_contain_text("Drag pieces on the stage")
    for _ in range(MOST_GRABS):
        # What still sways may slip away from under the pointer, and is grabbed once more.
        top = place_drawn(page, stack[2])
        start = on_screen(page, top[0], top[1] + 0.08, top[2])
        page.mouse.move(*start)
        page.mouse.down()
        for n in range(12):
            page.mouse.move(start[0] + 6 * n, start[1] - 18 * n)
            frames_on(page, stack[2], 2)
        frames_on(page, stack[2], 20)
        if page.evaluate(ANY_BROKEN, stack):
            # It met something hard while it was still in the hand.
            page.mouse.up()
            break
        held = place_drawn(page, stack[2])[1]
        page.mouse.up()
        if held < top[1] + HIGH_ENOUGH:
            continue
        frames_on(page, stack[2], 60)
        if page.evaluate(ANY_BROKEN, stack):
            break
    page.wait_for_function(ANY_BROKEN, arg=stack)
    slip.get_by_role("button", name="Enough").click()
    outcome = ended(page)
    assert set(outcome["gone"]) & set(stack)
    shards = [p for p in outcome["born"] if p["name"].startswith("shard")]
    assert len(shards) >= 3
    expect(slip).to_contain_text("shards of the")
    slip.get_by_role("button", name="Adopt", exact=True).click()
    page.wait_for_function("(window.brickseat.state().canUndo ?? '').includes('broke')")
    wait_drawn(page)
    found = {p["key"] for p in stored(page, address, key)["pieces"]}
    assert found >= {p["key"] for p in shards}
    assert found.isdisjoint(outcome["gone"])
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').includes('broke')")
    assert {p["key"] for p in stored(page, address, key)["pieces"]} >= set(stack)


def test_a_server_killed_while_things_fall_leaves_the_set_as_it_was(browser: Browser, demo_data: Path) -> None:
    server = DemoServer(demo_data)
    context = stage_context(browser)
    try:
        page = context.new_page()
        key = opened(page, server.address, "Kiln yard")
        before = stored(page, server.address, key)
        loose = [p["key"] for p in before["pieces"] if p["role"] == "prop" and not p["spiked"]]
        select(page, loose)
        page.keyboard.press("7")
        figure(page, "lift", "1 m")
        say(page, "hand", "with a soft hand in it")
        page.get_by_label("Slip").get_by_role("button", name="Settle").click()
        expect(page.get_by_label("Slip")).to_contain_text("Drag pieces on the stage")
        page.wait_for_timeout(500)
        server.kill()
        expect(page.get_by_text("the server is away")).to_be_visible()
        server.start()
        expect(page.get_by_text("saved", exact=True)).to_be_visible()
        expect(page.get_by_label("Slip")).to_contain_text("the server was away; the set is as it was")
        assert stored(page, server.address, key) == before
        page.get_by_label("Slip").get_by_role("button", name="Settle").click()
        expect(page.get_by_label("Slip")).to_contain_text("Drag pieces on the stage")
        page.get_by_label("Slip").get_by_role("button", name="Discard").click()
    finally:
        context.close()
        server.stop()


CLOTH = "v 0 0 0\nv 0.5 0 0\nv 0.5 0 0.4\nv 0 0 0.4\nf 1 4 3 2\n"


def test_a_flat_cloth_is_made_a_box_there_and_then_and_falls(page: Page, address: str, tmp_path: Path) -> None:
    path = tmp_path / "glaze cloth.obj"
    path.write_text(CLOTH)
    key = opened(page, address, "Kiln yard")
    page.goto(f"{address}/store?set={key}")
    page.set_input_files("input[type=file]", path)
    page.get_by_label("find in the store").fill("glaze cloth")
    cloth = page.get_by_role("article", name="glaze cloth")
    expect(cloth).to_be_visible()
    props = page.request.get(f"{address}/api/props").json()
    prop = next(p["key"] for p in props if p["name"] == "glaze cloth")
    laid = set_down(page, address, key, prop, YARD[0], 0.5, YARD[2])
    mug = set_down(page, address, key, "mug", YARD[0] + 0.9, 0.6, YARD[2])
    opened(page, address, "Kiln yard")
    page.keyboard.press("7")
    select(page, [laid, mug])
    figure(page, "lift", "150")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="Settle").click()
    lacking = slip.get_by_role("alert")
    expect(lacking).to_contain_text("glaze cloth, it is flat")
    expect(lacking.get_by_role("button", name="Leave it out")).to_be_visible()
    lacking.get_by_role("button", name="Make it a box and begin").click()
    outcome = ended(page)
    assert {p["key"] for p in outcome["poses"]} == {laid, mug}
    assert outcome["named"] == []
    slip.get_by_role("button", name="Adopt", exact=True).click()
    last_step(page, "settled")
    assert not faulty(stored(page, address, key), {laid, mug})
