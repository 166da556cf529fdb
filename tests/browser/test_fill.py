"""Filling bays, on the demo sets: a shelf pressed into, a crate, a niche with an arch; seen as it goes, changed, and taken back."""

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from running import on_screen, select, set_key, wait_drawn
from test_dressing import choose, look_at, post, stored

from test_scatter import figure, press, put, state

BOARD = 1.042
"""Metres over the floor of the board that is cleared and filled."""


def opened(page: Page, address: str) -> str:
    """The workshop as it was to begin with, whatever the test before left there."""
    key = set_key(page, address, "Workshop")
    page.goto(f"{address}/sets/{key}?quality=low")
    wait_drawn(page)
    if state(page, "s.canUndo"):
        wait_drawn(page, post(page, f"{address}/api/sets/{key}/history/0", {})["revision"])
    return key


def workshop(page: Page, address: str) -> tuple[str, Any]:
    """The set, its shelf cleared above one board; and where the shelf stands."""
    key = opened(page, address)
    found = stored(page, address, key)
    shelf = next(p for p in found["pieces"] if p["prop"] == "shelf-unit")
    x, _, z = shelf["pose"]["position"]
    cleared = [
        p["key"]
        for p in found["pieces"]
        if p["role"] == "prop"
        and abs(p["pose"]["position"][0] - x) < 0.95
        and abs(p["pose"]["position"][2] - z) < 0.3
        and BOARD - 0.01 < p["pose"]["position"][1] < BOARD + 0.4
    ]
    revision = post(page, f"{address}/api/sets/{key}/moves", {"move": {"kind": "remove", "pieces": cleared}})[
        "revision"
    ]
    wait_drawn(page, revision)
    look_at(page, [x + 0.7, 1.7, z + 2.1], [x, 1.2, z])
    return key, shelf["pose"]["position"]


def placed(page: Page) -> dict[str, Any]:
    """What the filling in hand placed, by number."""
    found: dict[str, Any] = state(
        page,
        "Object.fromEntries([...s.pieces.values()].filter(p => s.openFilling && p.recipe === s.openFilling)"
        ".map(p => [String(p.number), { key: p.key, prop: p.prop, at: p.pose.position }]))",
    )
    return found


def fill(page: Page, words: str = "Fill it") -> None:
    revision = state(page, "s.revision")
    page.get_by_label("Slip").get_by_role("button", name=words, exact=True).click()
    page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    page.wait_for_function("window.brickseat.view.drawnRevision === window.brickseat.state().revision")
    # The line may tell of the change before the answer comes that the slip waits for.
    page.wait_for_function("!window.brickseat.state().saving && window.brickseat.state().openFilling !== null")


def assert_all_seated(page: Page) -> None:
    states = state(page, "[...s.pieces.values()].filter(p => p.recipe).map(p => s.fits.get(p.key).state)")
    assert set(states) == {"seated"}


def test_a_shelf_is_pressed_into_and_filled_with_jars_and_lids(page: Page, address: str, tmp_path: Path) -> None:
    key, (x, _, z) = workshop(page, address)
    before = stored(page, address, key)["pieces"]
    page.keyboard.press("6")
    slip = page.get_by_label("Slip")
    expect(slip).to_contain_text("Fill the compartment you press into next with props that you choose")
    choose(page, "squat jar")
    choose(page, "dip bowl")
    press(page, (x + 0.2, BOARD, z))
    expect(slip).to_contain_text(re.compile(r"Fill bay \d+ with squat jar \(1 part\) and dip bowl \(1 part\)"))
    expect(slip).to_contain_text("1.74 m across, 418.0 mm up")
    figure(page, "share of prop 2", "2")
    put(page, "stacked only so high")
    fill(page)
    first = placed(page)
    assert len(first) > 30
    assert_all_seated(page)
    expect(slip).to_contain_text(f"{len(first)} stand. Left out: none.")
    expect(page.get_by_test_id("fill-note")).to_contain_text(f": placed {len(first)},")
    bay = state(page, "s.regions.get(s.filling.bay).pose")
    low = np.array(bay["position"]) - 0.5 * np.array(bay["scale"])
    high = low + bay["scale"]
    assert all((low - 1e-5 <= one["at"]).all() and (one["at"] <= high + 1e-5).all() for one in first.values())

    # The list goes into a spreadsheet, is changed there, and comes back; what stands stays.
    with page.expect_download() as download:
        slip.get_by_role("button", name="write one").click()
    text = Path(download.value.path()).read_text()
    assert text.splitlines()[1].startswith("squat jar,")
    changed = tmp_path / "list.csv"
    changed.write_text("prop;share\nsquat jar;1\ndip bowl;2\nmug;1,5\n")
    page.get_by_label("table of props").set_input_files(changed)
    expect(slip).to_contain_text("mug (1.5 parts)")
    figure(page, "most stacked", "5")
    fill(page, "Fill it again")
    second = placed(page)
    assert {n: second[n] for n in first} == first
    assert "mug" in {one["prop"] for one in second.values()}
    assert_all_seated(page)

    # A wrong table says which row.
    changed.write_text("prop,share\nmug,few\n")
    page.get_by_label("table of props").set_input_files(changed)
    expect(page.get_by_text("row 2: share: 'few' is no number")).to_be_visible()

    page.get_by_label("Slip").get_by_role("button", name="Forget it…").click()
    slip.get_by_role("button", name="take all away").click()
    page.wait_for_function("window.brickseat.state().openFilling === null")
    assert stored(page, address, key)["pieces"] == before


def test_a_side_of_the_bay_is_pulled_and_it_is_filled_again(page: Page, address: str) -> None:
    _, (x, _, z) = workshop(page, address)
    page.keyboard.press("6")
    choose(page, "squat jar")
    press(page, (x + 0.2, BOARD, z))
    page.wait_for_function("window.brickseat.state().filling.bay !== ''")
    fill(page)
    whole = placed(page)
    bay = state(page, "s.regions.get(s.filling.bay).pose")
    (cx, cy, cz), (wide, _, _) = bay["position"], bay["scale"]
    handle = on_screen(page, cx + 0.5 * wide, cy, cz)
    page.mouse.move(*handle)
    expect(page.get_by_text("pull this side")).to_be_visible()
    page.mouse.down()
    page.mouse.move(*on_screen(page, cx + 0.5 * wide - 0.6, cy, cz), steps=8)
    page.mouse.up()
    page.wait_for_function(
        "w => window.brickseat.state().regions.get(window.brickseat.state().filling.bay).pose.scale[0] < w",
        arg=wide - 0.5,
    )
    after = state(page, "s.regions.get(s.filling.bay).pose")
    left = cx - 0.5 * wide
    assert after["position"][0] - 0.5 * after["scale"][0] == pytest.approx(left, abs=1e-4)
    fill(page, "Fill it again")
    fewer = placed(page)
    assert 0 < len(fewer) < len(whole)
    assert max(one["at"][0] for one in fewer.values()) < left + after["scale"][0]
    assert_all_seated(page)
    for _ in range(2):
        revision = state(page, "s.revision")
        page.keyboard.press("Control+z")
        page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    assert placed(page) == whole


def test_a_crate_is_filled_with_small_bricks_thrown_in_roughly(page: Page, address: str) -> None:
    key = opened(page, address)
    crate = next(p for p in stored(page, address, key)["pieces"] if p["key"] == "crate-1")
    x, y, z = crate["pose"]["position"]
    look_at(page, [x + 0.05, 1.4, z + 0.2], [x, 0.05, z])
    page.keyboard.press("6")
    choose(page, "fire brick")
    slip = page.get_by_label("Slip")
    press(page, (x, y + 0.024, z))
    expect(slip).to_contain_text(re.compile(r"Fill bay \d+ with fire brick"))
    put(page, "of different sizes")
    figure(page, "least size", "35 %")
    figure(page, "largest size", "40 %")
    put(page, "on any of their sides")
    figure(page, "rough", "60 %")
    fill(page)
    found = placed(page)
    assert len(found) > 8
    assert_all_seated(page)
    # What lies on top is loosened: gravity acts on it, and what comes of it sits exactly.
    slip.get_by_role("button", name="Loosen the top").click()
    page.wait_for_function("window.brickseat.state().job?.state === 'done'")
    revision = state(page, "s.revision")
    slip.get_by_role("button", name="Adopt", exact=True).click()
    page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    assert_all_seated(page)
    page.keyboard.press("6")
    expect(slip).to_contain_text("changed by hand")
    # One is taken out and its number stays out.
    number, one = next(iter(found.items()))
    select(page, [one["key"]])
    page.keyboard.press("Delete")
    expect(slip).to_contain_text(f"Left out: {number};")


def test_it_is_seen_as_it_goes_and_kept_when_it_is_enough(page: Page, address: str) -> None:
    _, (x, _, z) = workshop(page, address)
    page.keyboard.press("6")
    choose(page, "dip bowl")
    press(page, (x + 0.2, BOARD, z))
    page.wait_for_function("window.brickseat.state().filling.bay !== ''")
    slip = page.get_by_label("Slip")
    revision = state(page, "s.revision")
    slip.get_by_role("button", name="Fill it", exact=True).click()
    page.wait_for_function("(window.brickseat.state().underWay[0]?.pieces.length ?? 0) > 10")
    expect(slip).to_contain_text("The set stays as it is until it is full")
    slip.get_by_role("button", name="Enough, keep these").click()
    page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    page.wait_for_function("!window.brickseat.state().saving && window.brickseat.state().openFilling !== null")
    assert 10 < len(placed(page)) < 300
    assert state(page, "s.underWay.length") == 0
    assert_all_seated(page)


def test_several_ways_are_tried_and_the_fullest_adopted(page: Page, address: str) -> None:
    key, (x, _, z) = workshop(page, address)
    before = stored(page, address, key)["pieces"]
    page.keyboard.press("6")
    choose(page, "squat jar")
    choose(page, "mug")
    press(page, (x + 0.2, BOARD, z))
    page.wait_for_function("window.brickseat.state().filling.bay !== ''")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="try 6 ways").click()
    page.wait_for_function("window.brickseat.state().job?.state === 'done'")
    assert stored(page, address, key)["pieces"] == before
    trials = page.get_by_role("region", name="Trials").get_by_role("button")
    expect(trials).to_have_count(6)
    expect(trials.first).to_contain_text("best")
    scores = state(page, "s.job.outcomes.map(o => o.score)")
    assert scores == sorted(scores)
    assert len({tuple(p["pose"]["position"]) for o in state(page, "s.job.outcomes") for p in o["poses"]}) > 50
    trials.nth(1).click()
    wanted = state(page, "s.job.outcomes[1]")
    expect(slip).to_contain_text(f"Seed {wanted['seed']}: placed {len(wanted['born'])}")
    # Another dresser takes the bay away: it is refused, and none of the others is lost; they bring it back.
    bay = state(page, "s.filling.bay")
    post(page, f"{address}/api/sets/{key}/moves", {"move": {"kind": "wipe_out", "regions": [bay]}})
    page.wait_for_function("key => !window.brickseat.state().regions.has(key)", arg=bay)
    slip.get_by_role("button", name="Adopt this one").click()
    expect(page.get_by_role("region", name="Notifications").get_by_text("bay")).to_be_visible()
    expect(trials).to_have_count(6)
    post(page, f"{address}/api/sets/{key}/undo", {})
    page.wait_for_function("key => window.brickseat.state().regions.has(key)", arg=bay)
    revision = state(page, "s.revision")
    slip.get_by_role("button", name="Adopt this one").click()
    page.wait_for_function("r => window.brickseat.state().revision > r", arg=revision)
    expect(slip).to_contain_text(f"{len(wanted['born'])} stand")
    at = {one["number"]: one["pose"]["position"] for one in wanted["born"]}
    for number, one in placed(page).items():
        assert one["at"] == pytest.approx(at[int(number)], abs=1e-9)
    assert state(page, "s.job") is None


def arch(width: float, height: float, depth: float) -> dict[str, Any]:
    """A niche with a round arch as an OBJ model, closed, standing on height 0."""
    radius = width / 2
    outline = [(-radius, 0.0), (radius, 0.0)]
    outline += [(radius * np.cos(a), height - radius + radius * np.sin(a)) for a in np.linspace(0, np.pi, 13)]
    n = len(outline)
    lines = [f"v {px:.6f} {py:.6f} {pz:.6f}" for pz in (-depth / 2, depth / 2) for px, py in outline]
    lines += [f"f {k + 1} {(k + 1) % n + 1} {n + (k + 1) % n + 1} {n + k + 1}" for k in range(n)]
    lines += [" ".join(["f", *(str(k) for k in range(n, 0, -1))]), " ".join(["f", *(str(n + k + 1) for k in range(n))])]
    return {"name": "arched niche.obj", "mimeType": "model/obj", "buffer": "\n".join(lines).encode()}


def test_a_niche_with_an_arch_is_filled_under_its_arch(page: Page, address: str) -> None:
    key, (x, _, z) = workshop(page, address)
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    answer = page.request.post(
        f"{address}/api/props",
        multipart={"files": arch(0.8, 0.41, 0.3), "unit": "m"},
        headers={"X-CSRFToken": token, "Referer": address},
    )
    assert answer.ok, answer.text()
    prop = answer.json()["prop"]["key"]
    pose = {"position": [x, BOARD, z], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    move = {"kind": "mark_out", "prop": prop, "pose": pose, "name": "arch"}
    change = post(page, f"{address}/api/sets/{key}/moves", {"move": move})
    wait_drawn(page, change["revision"])
    page.keyboard.press("6")
    choose(page, "mug")
    slip = page.get_by_label("Slip")
    slip.get_by_role("button", name="another bay").click()
    page.get_by_role("menuitemradio", name="arch").click()
    expect(slip).to_contain_text("Fill arch with mug")
    fill(page)
    found = placed(page)
    assert len(found) > 10
    assert_all_seated(page)
    radius, springing = 0.4, BOARD + 0.01
    for one in found.values():
        px, py, _ = np.array(one["at"]) - [x, 0, z]
        assert py < springing or np.hypot(px, py - springing) < radius
    assert max(one["at"][1] for one in found.values()) > BOARD + 0.15
