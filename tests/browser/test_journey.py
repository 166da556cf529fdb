"""The main job, from end to end, in a real browser on the demo set."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from running import Pixels, box_on_screen, on_screen, set_key, still, wait_drawn

TABLE_SPOT = (1.1, 0.86, -2.78)


def stage(page: Page, address: str, name: str = "Workshop") -> str:
    key = set_key(page, address, name)
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    return key


def stored(page: Page, address: str, key: str) -> dict[str, Any]:
    found: dict[str, Any] = page.request.get(f"{address}/api/sets/{key}").json()
    return found


def bare_stage(page: Page) -> Pixels:
    """The page with the pointer where it shows nothing."""
    page.mouse.move(700, 90)
    return still(page)


def changed_share(before: Pixels, after: Pixels) -> float:
    """The share of pixels that are others: what stays is drawn alike to the last bit, or nearly."""
    return float((np.abs(after - before).max(axis=2) > 6).mean())


def faults(page: Page) -> int:
    return int(page.evaluate("[...window.brickseat.state().fits.values()].filter(f => f.faults.length).length"))


def test_point_press_and_it_sits(page: Page, address: str) -> None:
    page.goto(address)
    expect(page.get_by_role("heading", name="Workshop, throwing day")).to_be_visible()
    key = stage(page, address)
    before = stored(page, address, key)
    x, y = on_screen(page, *TABLE_SPOT)
    bare = bare_stage(page)

    page.keyboard.press("/")
    page.keyboard.type("milk jug")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Slip")).to_contain_text("Set down milk jug on anything")
    page.mouse.move(x, y)
    expect(page.get_by_label("Slip")).to_contain_text("touches work table at 0.0 mm")
    page.mouse.down()
    page.mouse.up()
    wait_drawn(page, before["revision"] + 1)
    expect(page.get_by_test_id("measured-gap")).to_contain_text("0.0 mm, sits on work table")

    after = stored(page, address, key)
    (made,) = {p["key"] for p in after["pieces"]} - {p["key"] for p in before["pieces"]}
    fit = next(f for f in after["fits"] if f["key"] == made)
    assert fit["state"] == "seated"
    assert fit["gap"] == pytest.approx(0.0, abs=1e-9)
    assert fit["rests_on"] == ["work-table"]
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    here = box_on_screen(page, made)
    dressed = bare_stage(page)
    # It fills some half of the box that it is seen in, before a table and walls of other colours.
    assert changed_share(bare[here], dressed[here]) > 0.2, "the jug is not drawn where it stands"

    page.get_by_role("button", name="undo").click()
    wait_drawn(page, before["revision"] + 2)
    assert changed_share(bare[here], bare_stage(page)[here]) < 0.02, "the jug is still drawn"
    page.reload()
    wait_drawn(page)
    assert made not in {p["key"] for p in stored(page, address, key)["pieces"]}
    page.keyboard.press("Control+Shift+Z")
    wait_drawn(page, before["revision"] + 3)
    assert made in {p["key"] for p in stored(page, address, key)["pieces"]}


def test_what_is_wrong_shows_and_one_press_mends_it(page: Page, address: str) -> None:
    key = stage(page, address)
    assert faults(page) == 7
    expect(page.get_by_label("Fit check")).to_contain_text("3 floating")
    page.keyboard.press("n")
    expect(page.get_by_label("Feeler: side view of the contact")).to_be_visible()
    page.keyboard.press("0")
    page.get_by_label("Slip").get_by_role("button", name="Repair 7").click()
    expect(page.get_by_label("Slip").get_by_role("button", name="Everything sits")).to_be_visible()
    assert not any(f["faults"] for f in stored(page, address, key)["fits"])
    page.keyboard.press("Control+z")
    page.wait_for_function("[...window.brickseat.state().fits.values()].some(f => f.faults.length)")
    assert faults(page) == 7


def test_two_stages_see_each_other_and_a_drag_stays_seated(new_page: Callable[[], Page], address: str) -> None:
    first, second = new_page(), new_page()
    key = stage(first, address)
    stage(second, address)
    stool = next(p for p in stored(first, address, key)["pieces"] if p["key"] == "stool-1")
    x, y, z = stool["pose"]["position"]
    first.mouse.move(*on_screen(first, x, y + 0.41, z))
    first.mouse.down()
    for step in range(1, 6):
        first.mouse.move(*on_screen(first, x + 0.05 * step, y, z + 0.05 * step))
    first.mouse.up()
    second.wait_for_function(
        "([x]) => Math.abs(window.brickseat.state().pieces.get('stool-1').pose.position[0] - x) > 0.1", arg=[x]
    )
    moved = stored(first, address, key)
    fit = next(f for f in moved["fits"] if f["key"] == "stool-1")
    assert fit["state"] == "seated"
    assert fit["gap"] == pytest.approx(0.0, abs=1e-9)
    second.wait_for_function("r => window.brickseat.state().revision === r", arg=moved["revision"])


def test_keys_alone_do_the_main_job(page: Page, address: str) -> None:
    key = stage(page, address)
    count = len(stored(page, address, key)["pieces"])
    page.keyboard.press("/")
    page.keyboard.type("mug")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    page.wait_for_function(
        f"(s => s.pieces.size === {count + 1} && s.pieces.has(s.selected[0]))(window.brickseat.state())"
    )
    made = page.evaluate("window.brickseat.state().selected[0]")
    before = page.evaluate("(k) => window.brickseat.state().pieces.get(k).pose.position", made)
    page.keyboard.press("ArrowRight")
    page.wait_for_function(
        "([k, x]) => Math.abs(window.brickseat.state().pieces.get(k).pose.position[0] - x - 0.01) < 1e-9",
        arg=[made, before[0]],
    )
    assert abs(next(f for f in stored(page, address, key)["fits"] if f["key"] == made)["gap"]) < 1e-9
    page.keyboard.press("Delete")
    page.wait_for_function(f"window.brickseat.state().pieces.size === {count}")


def test_the_set_is_handed_over_and_opens_again(page: Page, address: str, tmp_path: Path) -> None:
    key = stage(page, address, "Kiln yard")
    with page.expect_download() as waiting:
        page.get_by_role("link", name="hand over").click()
    path = tmp_path / "yard.glb"
    waiting.value.save_as(path)
    page.goto(address)
    page.set_input_files("input[type=file]", path)
    page.wait_for_url("**/sets/*")
    wait_drawn(page)
    again = stored(page, address, page.url.rsplit("/", 1)[1])
    before = stored(page, address, key)
    assert sorted((f["state"], f["reason"]) for f in again["fits"]) == sorted(
        (f["state"], f["reason"]) for f in before["fits"]
    )
    page.goto(address)
    (tmp_path / "bad.glb").write_bytes(b"not a set at all")
    page.set_input_files("input[type=file]", tmp_path / "bad.glb")
    expect(page.get_by_role("alert")).to_contain_text("is not a glTF file")
