"""The hand, one by one: bearers are chosen and moved with what stands on them, and copies are dragged off."""

from typing import Any

from playwright.sync_api import Page, expect
from running import figure, last_step, on_screen, opened, say, select
from test_dressing import look_at, stored


def places(page: Page, address: str, key: str) -> dict[str, Any]:
    return {p["key"]: p["pose"]["position"] for p in stored(page, address, key)["pieces"]}


def loaded(page: Page, bearer: str) -> list[str]:
    """What stands on a bearer, or on what does, as the set says it."""
    found: list[str] = page.evaluate(
        """bearer => {
            const { fits } = window.brickseat.state();
            const found = new Set([bearer]);
            for (let n = 0; n < 9; n++)
                for (const fit of fits.values()) if (fit.rests_on.some((k) => found.has(k))) found.add(fit.key);
            return [...found];
        }""",
        bearer,
    )
    return found


def test_a_shelf_that_bears_is_chosen_with_b_and_dragged_with_all_on_it(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    before = places(page, address, key)
    x, _, z = before["shelf-unit"]
    look_at(page, [x + 1.2, 1.7, z + 3.2], [x, 1.0, z])
    # A plain press says what lies there, and how it is chosen.
    side = on_screen(page, x - 0.9, 0.5, z + 0.14)
    page.mouse.click(*side)
    expect(page.get_by_label("Slip")).to_contain_text("shelf unit carries")
    expect(page.get_by_label("Slip")).to_contain_text("hold B to choose it")
    page.keyboard.down("b")
    page.mouse.move(*side)
    expect(page.get_by_text("a bearer, carries")).to_be_visible()
    page.mouse.down()
    page.mouse.up()
    page.keyboard.up("b")
    assert page.evaluate("window.brickseat.state().selected") == ["shelf-unit"]
    expect(page.get_by_label("Slip")).to_contain_text("is a bearer; it carries")
    going = loaded(page, "shelf-unit")
    assert len(going) > 10
    figure(page, "slide across", "200")
    last_step(page, "moved shelf unit with the")
    after = places(page, address, key)
    moved = {k for k in before if before[k] != after[k]}
    assert moved == set(going)
    assert all(abs(after[k][0] - before[k][0] - 0.2) < 1e-12 for k in moved)
    states = {f["key"]: f["state"] for f in stored(page, address, key)["fits"]}
    assert {states[k] for k in moved - {"shelf-unit"}} == {"seated"}
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').startsWith('moved shelf')")
    assert places(page, address, key) == before


def test_copies_are_dragged_off_as_they_stand_and_once_more_by_the_same_step(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    before = places(page, address, key)
    stool = before["stool-1"]
    look_at(page, [stool[0] + 1.0, 1.8, stool[2] + 2.6], [stool[0], 0.3, stool[2]])
    page.keyboard.down("Control")
    page.mouse.move(*on_screen(page, stool[0], 0.41, stool[2]))
    page.mouse.down()
    page.mouse.move(*on_screen(page, stool[0] + 0.3, 0.41, stool[2] + 0.55), steps=6)
    page.wait_for_function("[...window.brickseat.view.layers.scene().pieces.keys()].some(k => k.startsWith('preview'))")
    page.mouse.up()
    page.keyboard.up("Control")
    last_step(page, "copied")
    (first,) = page.evaluate("window.brickseat.state().selected")
    page.keyboard.press("Control+Shift+d")
    page.wait_for_function("k => window.brickseat.state().selected[0] !== k", arg=first)
    page.wait_for_function("window.brickseat.state().saving === 0")
    (second,) = page.evaluate("window.brickseat.state().selected")
    after = places(page, address, key)
    assert after["stool-1"] == stool
    steps = [[b - a for a, b in zip(after[p], after[q], strict=True)] for p, q in (("stool-1", first), (first, second))]
    assert abs(steps[0][0] - steps[1][0]) < 1e-9
    assert abs(steps[0][2] - steps[1][2]) < 1e-9
    assert steps[0][2] > 0.3
    page.keyboard.press("Control+z")
    page.wait_for_function("k => !window.brickseat.state().pieces.has(k)", arg=second)
    page.keyboard.press("Control+z")
    page.wait_for_function("k => !window.brickseat.state().pieces.has(k)", arg=first)
    assert places(page, address, key) == before


def test_a_stack_chosen_top_first_is_copied_as_it_stands_where_there_is_room(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    before = stored(page, address, key)
    on = {f["key"]: f["rests_on"] for f in before["fits"]}
    roles = {p["key"]: p["role"] for p in before["pieces"]}
    good = {f["key"] for f in before["fits"] if f["state"] == "seated"}
    top, below = next(
        (k, o[0]) for k, o in on.items() if len(o) == 1 and roles[o[0]] == "prop" and {k, o[0]} <= good and on[o[0]]
    )
    select(page, [top, below])
    page.keyboard.press("Control+d")
    last_step(page, "copied 2 pieces")
    made = page.evaluate("window.brickseat.state().selected")
    now = stored(page, address, key)
    at = {p["key"]: p["pose"]["position"] for p in now["pieces"]}
    fits = {f["key"]: f for f in now["fits"]}
    assert [fits[k]["state"] for k in made] == ["seated", "seated"]
    assert fits[made[0]]["rests_on"] == [made[1]]
    shift = [[b - a for a, b in zip(at[k], at[m], strict=True)] for k, m in zip((top, below), made, strict=True)]
    assert all(abs(a - b) < 1e-9 for a, b in zip(*shift, strict=True))
    page.keyboard.press("Control+z")
    page.wait_for_function("k => !window.brickseat.state().pieces.has(k)", arg=made[0])


def test_a_stool_is_made_450_mm_high_by_its_figure_and_the_others_follow(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    select(page, ["stool-1"])
    figure(page, "size up", "45cm")
    last_step(page, "sized")
    found = {p["key"]: p for p in stored(page, address, key)["pieces"]}["stool-1"]
    prop = page.evaluate("({ height: window.brickseat.state().props.get('stool').height })")
    assert abs(prop["height"] * found["pose"]["scale"][1] - 0.45) < 1e-12
    assert len({round(s, 12) for s in found["pose"]["scale"]}) == 1, "in proportion"
    figure(page, "turned", "30°")
    last_step(page, "turned")
    expect(page.get_by_label("Slip").get_by_role("button", name="turned: 30°")).to_be_visible()
    for _ in range(2):
        revision = page.evaluate("window.brickseat.state().revision")
        page.keyboard.press("Control+z")
        page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)


def test_a_jar_goes_onto_the_next_board_and_a_crate_onto_its_side_by_a_key_each(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    before = places(page, address, key)
    loose = stored(page, address, key)
    on = {f["key"]: f["rests_on"] for f in loose["fits"]}
    jar = next(p["key"] for p in loose["pieces"] if on.get(p["key"]) == ["shelf-unit"] and p["prop"] == "mug")
    select(page, [jar])
    page.keyboard.press("PageUp")
    last_step(page, "moved")
    after = places(page, address, key)[jar]
    assert after[1] > before[jar][1] + 0.1
    assert (after[0], after[2]) == (before[jar][0], before[jar][2])
    assert {f["key"]: f for f in stored(page, address, key)["fits"]}[jar]["state"] == "seated"
    page.keyboard.press("Control+z")
    page.wait_for_function("!(window.brickseat.state().canUndo ?? '').startsWith('moved')")
    crate = next(p["key"] for p in loose["pieces"] if p["prop"] == "crate")
    select(page, [crate])
    page.keyboard.press("p")
    last_step(page, "laid")
    page.keyboard.press("Shift+P")
    last_step(page, "stood")
    for _ in range(2):
        revision = page.evaluate("window.brickseat.state().revision")
        page.keyboard.press("Control+z")
        page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    assert places(page, address, key) == before


def test_what_is_out_of_sight_is_pressed_through_and_comes_back(page: Page, address: str) -> None:
    opened(page, address, "Workshop")
    stool = page.evaluate("window.brickseat.state().pieces.get('stool-1').pose.position")
    at = on_screen(page, stool[0], 0.41, stool[2])
    page.mouse.click(*at)
    page.wait_for_function("window.brickseat.state().selected[0] === 'stool-1'")
    page.keyboard.press("o")
    expect(page.get_by_text("1 out of sight")).to_be_visible()
    page.wait_for_function("!window.brickseat.view.pieces.piece('stool-1')")
    page.mouse.click(*at)
    assert page.evaluate("window.brickseat.state().selected") != ["stool-1"]
    assert page.evaluate("window.brickseat.state().fits.has('stool-1')"), "it counts as ever"
    page.keyboard.press("Shift+O")
    page.wait_for_function("window.brickseat.view.pieces.piece('stool-1')")


def test_what_lost_its_support_is_named_and_seated_by_one_press(page: Page, address: str) -> None:
    key = opened(page, address, "Workshop")
    before = places(page, address, key)
    page.keyboard.press("Control+/")
    page.keyboard.type("bearer work table")
    page.keyboard.press("Enter")
    page.wait_for_function("window.brickseat.state().selected[0] === 'work-table'")
    on_it = loaded(page, "work-table")
    say(page, "what stands on it", "stays where it is")
    figure(page, "slide along", "1.6m")
    lost = page.get_by_role("status", name="Lost support")
    expect(lost).to_contain_text("lost what they stood on")
    assert set(page.evaluate("window.brickseat.state().lost")) <= set(on_it)
    lost.get_by_role("button", name="Seat them").click()
    last_step(page, "set down")
    expect(lost).to_be_hidden()
    for _ in range(2):
        revision = page.evaluate("window.brickseat.state().revision")
        page.keyboard.press("Control+z")
        page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    page.wait_for_function("window.brickseat.state().saving === 0")
    assert places(page, address, key) == before
    expect(lost).to_be_hidden()
