"""Pieces that belong together, on the demo set *Kiln loading, evening*: a tower, a lantern, a tied bench, a figure, a hatch."""

import time
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect
from running import on_screen, opened, select, set_key
from test_dressing import choose, look_at, position, stored

LATE_ANSWERS = """
const real = window.fetch;
window.fetch = async (asked, more) => {
    const answer = await real(asked, more);
    if (String(asked.url ?? asked).endsWith("/moves")) await new Promise((done) => setTimeout(done, 400));
    return answer;
};
"""
LOOK = ([-0.6, 1.5, 4.2], [-0.9, 0.3, 1.2])


def seat_on_screen(page: Page, piece: str, seat: str) -> tuple[float, float]:
    """Where a seat of a piece is; the demo's pieces are not sized."""
    at = page.evaluate(
        """([key, name]) => {
            const { pieces, props } = window.brickseat.state();
            const piece = pieces.get(key);
            const seat = props.get(piece.prop).seats.find((s) => s.name === name);
            const [x, y, z, w] = piece.pose.orientation;
            const [a, b, c] = seat.point;
            const t = [2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)];
            return [
                a + w * t[0] + y * t[2] - z * t[1],
                b + w * t[1] + z * t[0] - x * t[2],
                c + w * t[2] + x * t[1] - y * t[0],
            ].map((v, i) => v + piece.pose.position[i]);
        }""",
        [piece, seat],
    )
    return on_screen(page, *at)


def newest(page: Page, prop: str) -> str:
    found: str = page.evaluate(
        "p => [...window.brickseat.state().pieces.values()].filter(x => x.prop === p).at(-1).key", prop
    )
    return found


def join_at(page: Page, piece: str, seat: str) -> None:
    """Point at a seat until it is lit, and press."""
    revision = page.evaluate("window.brickseat.state().revision")
    x, y = seat_on_screen(page, piece, seat)
    page.mouse.move(x + 3, y + 2)
    page.mouse.move(x, y)
    name = page.evaluate("k => window.brickseat.state().pieces.get(k).name", piece)
    expect(page.get_by_label("Slip")).to_contain_text(f"onto {seat} of {name}")
    # Until what it would do is known: a press makes exactly what is shown.
    page.wait_for_timeout(250)
    page.mouse.down()
    page.mouse.up()
    page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    page.wait_for_function("window.brickseat.view.drawnRevision === window.brickseat.state().revision")


def fits(page: Page, address: str, key: str) -> dict[str, Any]:
    return {f["key"]: f for f in stored(page, address, key)["fits"]}


def test_a_tower_of_four_shelves_and_twelve_posts_takes_sixteen_presses(page: Page, address: str) -> None:
    # News of a move are often here before its answer is: whoever goes on at once is not disturbed by that one.
    page.add_init_script(LATE_ANSWERS)
    key = opened(page, address, "Kiln loading")
    before = set(fits(page, address, key))
    look_at(page, *LOOK)
    choose(page, "kiln shelf")
    page.mouse.click(*on_screen(page, -0.9, 0.0, 1.2))
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('set down')")
    shelf = newest(page, "kiln-shelf")
    presses = 1
    for level in range(3):
        height = 0.18 * level
        look_at(page, [-0.2, 1.3 + height, 3.2], [-0.9, 0.15 + height, 1.2])
        page.keyboard.press("3")
        choose(page, "kiln post")
        for corner in range(1, 5):
            join_at(page, shelf, f"corner {corner}")
            presses += 1
        choose(page, "kiln shelf")
        join_at(page, newest(page, "kiln-post"), "head")
        shelf = newest(page, "kiln-shelf")
        presses += 1
    assert presses == 16
    now = fits(page, address, key)
    tower = now.keys() - before
    assert len(tower) == 16
    assert {now[k]["state"] for k in tower} == {"seated"}
    assert {tuple(now[k]["rests_on"]) for k in tower} == {("shed-floor",)}
    assert position(page, shelf)[1] == pytest.approx(3 * (0.16 + 0.018), abs=1e-9)


def test_a_lantern_is_hung_under_a_hook_by_keys_alone_and_turned_in_it(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln loading")
    hook = "iron-hook-2"
    x, y, z = position(page, hook)
    look_at(page, [x + 0.3, y - 0.3, z + 1.2], [x, y - 0.1, z])
    page.keyboard.press("3")
    choose(page, "lantern")
    page.keyboard.press("Enter")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('joined lantern 2')")
    lantern = newest(page, "lantern")
    assert position(page, lantern)[0] == pytest.approx(x, abs=1e-9)
    assert position(page, lantern)[2] == pytest.approx(z, abs=1e-9)
    fit = fits(page, address, key)[lantern]
    assert (fit["state"], fit["rests_on"]) == ("seated", ["shed-beam"])
    page.keyboard.press("Escape")
    select(page, [lantern])
    page.keyboard.press(",")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('turned lantern 2 in its seat')")
    page.keyboard.press("Shift+J")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('pulled lantern 2 apart')")


def test_a_bench_keeps_its_distance_from_a_slanted_wall_and_takes_its_jug_along(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln loading")
    bench, jug = "low-bench-1", "cider-jug-1"
    page.keyboard.press("2")
    select(page, [bench])
    slip = page.get_by_label("Slip")
    expect(slip).to_contain_text("300.0 mm apart · back wall")
    (x, _, z), (jx, _, jz) = position(page, bench), position(page, jug)
    for _ in range(8):
        page.keyboard.down("ArrowRight")
    page.keyboard.up("ArrowRight")
    page.wait_for_function("([k, x]) => window.brickseat.state().pieces.get(k).pose.position[0] !== x", arg=[bench, x])
    moved = position(page, bench)
    assert moved[0] - x == pytest.approx(0.08, abs=5e-3)
    assert moved[2] != pytest.approx(z, abs=1e-3), "it goes along the wall, which stands aslant"
    now = stored(page, address, key)
    measures = {m["key"]: m for m in now["measures"]}
    held = [measures[t["key"]] for t in now["ties"] if t["piece"] in (bench, jug)]
    assert len(held) == 3
    assert all(m["holds"] for m in held)
    assert position(page, jug)[0] - jx == pytest.approx(moved[0] - x, abs=1e-6)
    assert position(page, jug)[2] - jz == pytest.approx(moved[2] - z, abs=1e-6)
    # Straight away from the wall it may not go: the tie is named, and loosened by one press.
    along = page.evaluate("window.brickseat.state().pieces.get('shed-back-wall').pose.orientation")
    away = [2 * along[1] * along[3], 0, 1 - 2 * along[1] ** 2]
    page.evaluate(
        "([k, by]) => window.brickseat.state().tryOut({ kind: 'slide', pieces: [k], by })",
        [bench, [0.2 * v for v in away]],
    )
    expect(slip).to_contain_text("loosen the tie first")
    # Both hold it there: away from the wall, and square to it.
    expect(slip.get_by_role("alert").first).to_have_text("in the way")
    slip.get_by_role("button", name="loosen").nth(1).click()
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('loosened')")
    expect(slip).not_to_contain_text("300.0 mm apart")


def test_a_figure_is_bent_in_the_slip_and_sits_again(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln loading")
    figure = "lay-figure-1"
    fit = fits(page, address, key)[figure]
    assert (fit["state"], fit["rests_on"]) == ("seated", ["stool-2"])
    # Both thighs touch: there are contacts on both sides of its middle.
    x = position(page, figure)[0]
    contacts = page.request.get(f"{address}/api/sets/{key}/fits/{figure}").json()["contacts"]
    assert {c[0] > x for c in contacts} == {True, False}
    page.keyboard.press("2")
    select(page, [figure])
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="which joint").click()
    page.get_by_role("menuitemradio", name="left knee").click()
    slip.get_by_role("button", name="angle of left knee: 90°").click()
    page.get_by_role("textbox", name="angle of left knee").fill("60")
    page.keyboard.press("Enter")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('posed')")
    bent = fits(page, address, key)[figure]
    assert (bent["state"], bent["gap"]) == ("seated", pytest.approx(0.0, abs=1e-6))
    # Pulled by hand: the thigh goes round its hip, and the figure is seated again.
    x, y, z = position(page, figure)
    look_at(page, [x + 2.2, y + 1.2, z + 0.4], [x, y + 0.85, z + 0.2])
    slip.get_by_role("button", name="Pull a limb").click()
    # The outer side of its left thigh, between hip and knee.
    thigh = on_screen(page, x + 0.145, y + 0.88, z + 0.22)
    page.mouse.move(*thigh)
    page.mouse.down()
    page.mouse.move(thigh[0], thigh[1] - 6)
    expect(page.get_by_test_id("puck-figures")).to_contain_text("left hip")
    page.mouse.move(thigh[0], thigh[1] - 30)
    # The figure itself follows the pointer, before anything is changed.
    page.wait_for_function("() => window.brickseat.view.scene.children.some(c => c.userData.standsFor)")
    page.wait_for_function(
        """() => {
            const limb = window.brickseat.view.scene.children.find(c => c.userData.standsFor)
                .getObjectByName("left_hip");
            return Math.abs(2 * Math.acos(Math.min(1, Math.abs(limb.quaternion.w)))) > 0.05;
        }"""
    )
    before = page.evaluate("k => window.brickseat.state().pieces.get(k).prop", figure)
    page.mouse.up()
    page.wait_for_function("([k, p]) => window.brickseat.state().pieces.get(k).prop !== p", arg=[figure, before])
    page.wait_for_function("() => !window.brickseat.view.scene.children.some(c => c.userData.standsFor)")
    # It may lean over then; but it touches.
    assert fits(page, address, key)[figure]["gap"] == pytest.approx(0.0, abs=1e-6)
    slip.get_by_role("button", name="Let the limbs be").click()
    slip.get_by_role("button", name="sitting", exact=True).click()
    page.wait_for_function(
        "k => window.brickseat.state().pieces.get(k).prop.startsWith('lay-figure-sitting')", arg=figure
    )


DRAWN_SHAPES = "window.brickseat.view.layers.scene().shapes"
"""The models that walls with openings are drawn by."""


def test_a_hatch_takes_its_opening_along_and_leaves_a_whole_wall(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln loading")
    hatch, wall = "wall-hatch-1", "shed-back-wall"
    page.keyboard.press("2")
    select(page, [hatch])
    first = stored(page, address, key)["shapes"][wall]
    x = position(page, hatch)[0]
    for _ in range(10):
        page.keyboard.down("ArrowLeft")
    page.keyboard.up("ArrowLeft")
    page.wait_for_function(
        "([k, x]) => window.brickseat.state().pieces.get(k).pose.position[0] < x - 0.05", arg=[hatch, x]
    )
    second = stored(page, address, key)["shapes"][wall]
    assert second != first
    assert fits(page, address, key)[hatch]["state"] == "seated"
    page.wait_for_function("f => [...window.brickseat.state().shapes.values()].includes(f)", arg=second)
    # Dragged on and given up: the opening that was shown on the way goes as well.
    grip = on_screen(page, *position(page, hatch))
    page.mouse.move(*grip)
    page.mouse.down()
    for n in range(1, 9):
        page.mouse.move(grip[0] + 8 * n, grip[1])
    page.wait_for_function(f"([wall, file]) => {DRAWN_SHAPES}.get(wall) !== file", arg=[wall, second])
    page.keyboard.press("Escape")
    page.mouse.up()
    page.wait_for_function(f"([wall, file]) => {DRAWN_SHAPES}.get(wall) === file", arg=[wall, second])
    assert stored(page, address, key)["shapes"][wall] == second
    page.keyboard.press("Delete")
    page.wait_for_function("k => !window.brickseat.state().pieces.has(k)", arg=hatch)
    assert len([c for c in stored(page, address, key)["cut_outs"]]) == 1, "the vent keeps its own"
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.wait_for_function(
        "([k, x]) => Math.abs(window.brickseat.state().pieces.get(k)?.pose.position[0] - x) < 1e-9", arg=[hatch, x]
    )
    assert stored(page, address, key)["shapes"][wall] == first


def test_a_slate_is_laid_on_the_roof_by_points_that_are_caught(page: Page, address: str) -> None:
    key = opened(page, address, "Kiln loading")
    slate = "roof-slate-7"
    page.keyboard.press("4")
    select(page, [slate])
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="by what").click()
    page.get_by_role("menuitemradio", name="up to three points").click()
    x, y, z = position(page, slate)
    look_at(page, [x + 0.1, 1.9, z + 1.6], [x, 0.2, z - 0.3])
    page.mouse.move(*on_screen(page, x + 0.02, y + 0.008, z + 0.03))
    expect(page.get_by_test_id("puck-figures")).to_contain_text("of roof slate 7")
    page.mouse.down()
    page.mouse.up()
    page.wait_for_function("window.brickseat.state().picked.length === 1")
    store = position(page, "wood-store")
    look_at(page, [store[0] - 0.2, 2.2, store[2] + 2.6], [store[0], 0.8, store[2]])
    page.mouse.move(*on_screen(page, store[0] - 0.3, 0.88, store[2] + 0.22))
    expect(page.get_by_test_id("puck-figures")).to_contain_text("of wood store")
    page.mouse.down()
    page.mouse.up()
    expect(slip).to_contain_text("Enter makes it")
    assert position(page, slate) == [x, y, z], "nothing moves before it is made"
    page.keyboard.press("Enter")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('laid roof slate 7')")
    assert position(page, slate)[1] > 0.7
    assert fits(page, address, key)[slate]["key"] == slate


def wait_for_seats(page: Page, address: str, prop: str, count: int) -> None:
    """Until so many seats of a prop are kept in the store."""
    for _ in range(300):
        if len(page.request.get(f"{address}/api/props/{prop}").json()["prop"]["seats"]) == count:
            return
        page.wait_for_timeout(200)
    raise AssertionError(f"{prop} never had {count} seats")


def test_seats_are_set_on_the_bench_and_used_on_the_stage(page: Page, address: str) -> None:
    set_key(page, address, "Kiln loading")
    page.goto(f"{address}/bench/saggar")
    seats = page.get_by_label("Seats", exact=True)
    seats.get_by_role("button", name="Suggest seats").click()
    with page.expect_response(lambda answer: answer.request.method == "PATCH"):
        seats.get_by_role("button", name="take").first.click()
    expect(seats.get_by_role("textbox", name="name of the seat")).to_be_visible()
    first = page.request.get(f"{address}/api/props/saggar").json()["prop"]["seats"][0]["facing"]

    # The answers come late: what is done meanwhile builds on what was done before.
    def late(route: Route) -> None:
        time.sleep(0.5)
        route.continue_()

    page.route("**/api/props/saggar", late)
    seats.get_by_role("button", name="Reverse").click()
    seats.get_by_role("button", name="Copy").click()
    expect(seats.locator("li button[aria-pressed]")).to_have_count(2)
    wait_for_seats(page, address, "saggar", 2)
    page.unroute("**/api/props/saggar")
    after = page.request.get(f"{address}/api/props/saggar").json()["prop"]["seats"]
    assert [seat["facing"] for seat in after] == [[pytest.approx(-v, abs=1e-9) for v in first]] * 2
    view = page.get_by_test_id("bench-view").bounding_box()
    assert view is not None
    page.mouse.click(view["x"] + view["width"] / 2, view["y"] + view["height"] / 2)
    wait_for_seats(page, address, "saggar", 3)
    found = page.request.get(f"{address}/api/props/saggar").json()["prop"]["seats"]
    assert len(found) == 3
    for seat in found:
        assert sum(v * v for v in seat["facing"]) == pytest.approx(1, abs=1e-9)
        assert sum(a * b for a, b in zip(seat["facing"], seat["clock"], strict=True)) == pytest.approx(0, abs=1e-9)
