"""Sets of five thousand: opened, pointed at, dressed, taken back, read in the ledger and repaired, on a machine without a graphics card."""

from typing import Any

import pytest
from crowds import Documents, crowd_file, demo_props, pots
from playwright.sync_api import Page, expect
from running import on_screen, select, wait_drawn
from test_dressing import choose, look_at, position, stored

COUNT = 5000
MADE = {"demo props": (demo_props, "milk jug"), "foreign meshes": (pots, "piece")}

# However quick the machine is, the repair is stopped as soon as it says that it is under way.
STOP_AT_ONCE = """() => {
    const watcher = new MutationObserver(() => {
        const underWay = document.querySelector('[aria-label="move under way"]');
        if (!underWay) return;
        watcher.disconnect();
        window.toldUnderWay = underWay.textContent;
        underWay.querySelector("button").click();
    });
    watcher.observe(document.body, { childList: true, subtree: true });
}"""


def opened(page: Page, address: str, documents: Documents) -> str:
    """The key of the set that is opened from a file, once it is drawn and measured."""
    assert page.request.get(f"{address}/api/visitor").ok
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    file = {"name": "crowd.glb", "mimeType": "model/gltf-binary", "buffer": crowd_file(documents, COUNT)}
    url = f"{address}/api/sets/open"
    answer = page.request.post(url, multipart={"file": file}, headers={"X-CSRFToken": token, "Referer": url})
    assert answer.ok, answer.text()
    key = str(answer.json()["key"])
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    return key


def faults(found: dict[str, Any]) -> dict[str, str]:
    return {f["key"]: f["state"] for f in found["fits"] if f["faults"]}


@pytest.mark.parametrize("kind", MADE)
def test_a_set_of_five_thousand_is_dressed_and_repaired(page: Page, address: str, kind: str) -> None:
    make, prop = MADE[kind]
    key = opened(page, address, make())
    before = stored(page, address, key)
    named = {p["name"]: p["key"] for p in before["pieces"]}
    wrong = faults(before)
    assert (len(before["fits"]), sorted(set(wrong.values()))) == (COUNT, ["clashing", "floating"])
    fit_check = page.get_by_role("list", name="Fit check")
    expect(fit_check).to_contain_text(f"{COUNT - len(wrong)} seated")

    # Pointed at, a piece says how it sits.
    piece = named["piece 2560"]
    x, y, z = position(page, piece)
    look_at(page, [x + 1.2, y + 2.0, z + 3.0], [x, y, z])
    page.mouse.move(*on_screen(page, x, y + 0.02, z))
    expect(page.get_by_test_id("measured-gap")).to_contain_text("sits on slab")

    # One more is set down in the free row, slid, and both are taken back.
    choose(page, prop)
    look_at(page, [0.4, 2.2, 37.0], [0.4, 0.0, 33.5])
    page.mouse.click(*on_screen(page, 0.4, 0.0, 34.0))
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('set down')")
    expect(fit_check).to_contain_text(f"{COUNT - len(wrong) + 1} seated")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    select(page, [piece])
    page.keyboard.press("ArrowRight")
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('slid piece 2560')")
    assert position(page, piece) != [x, y, z]
    for _ in range(2):
        revision = page.evaluate("window.brickseat.state().revision")
        page.get_by_role("button", name="undo").click()
        wait_drawn(page, revision + 1)
    assert position(page, piece) == [x, y, z]
    assert len(page.evaluate("[...window.brickseat.state().pieces.keys()]")) == COUNT + 1

    # The ledger shows the faults, and a press leads to one.
    page.get_by_role("button", name="ledger").click()
    ledger = page.get_by_role("region", name="Ledger")
    ledger.get_by_role("radio", name="floating").click()
    ledger.get_by_role("row").nth(1).click()
    chosen = page.evaluate("window.brickseat.state().selected")
    assert [wrong[k] for k in chosen] == ["floating"]
    page.get_by_role("button", name="ledger").click()

    # A repair tells how far it is, is stopped, and leaves all as it was; begun again, it mends everything.
    page.keyboard.press("0")
    slip = page.get_by_label("Slip")
    page.evaluate(STOP_AT_ONCE)
    slip.get_by_role("button", name="Repair").click()
    expect(page.get_by_text("stopped; nothing was changed")).to_be_visible()
    assert f"of {len(wrong)}" in page.evaluate("window.toldUnderWay")
    expect(page.get_by_label("move under way")).to_have_count(0)
    assert faults(stored(page, address, key)) == wrong
    slip.get_by_role("button", name="Repair").click()
    page.wait_for_function("window.brickseat.state().canUndo?.startsWith('repaired')")
    expect(slip.get_by_role("button", name="Everything sits")).to_be_visible()
    assert faults(stored(page, address, key)) == {}
