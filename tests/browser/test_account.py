"""What belongs to whoever dresses: a session that ends, keys of one's own, a narrow window, and a card that lets go of the stage."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Browser, Page, expect
from running import DemoServer, opened, select, stage_context, wait_drawn
from test_dressing import position
from test_late import STOOL

PASSWORD = "a kiln of nine shelves"


def brickseat(data: Path, *words: str, given: str = "") -> None:
    """A command at the prompt, with lines of standard input."""
    code = "import sys; from brickseat.command_line import main; sys.exit(main(sys.argv[1:]))"
    environment = {**os.environ, "BRICKSEAT_DATA": str(data)}
    subprocess.run([sys.executable, "-c", code, *words], input=given, text=True, check=True, env=environment)


def test_a_session_that_ends_is_begun_again_and_everything_is_as_it_was(browser: Browser, demo_data: Path) -> None:
    """On a server with accounts; the dresser's session is deleted there, as by a new password or after a fortnight."""
    brickseat(demo_data, "user", "password", "wren.ashby", given=f"{PASSWORD}\n")
    server = DemoServer(demo_data, "serve")
    context = stage_context(browser)
    page = context.new_page()

    def sign_in() -> None:
        page.get_by_label("Name").fill("wren.ashby")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()

    try:
        page.goto(f"{server.address}/?quality=low")
        sign_in()
        page.get_by_role("link", name="Workshop").first.click()
        wait_drawn(page)
        select(page, [STOOL])
        before = position(page, STOOL)
        context.clear_cookies(name="sessionid")
        page.keyboard.press("ArrowRight")
        ended = page.get_by_role("dialog", name="Your session has ended")
        expect(ended).to_be_visible()
        assert page.evaluate("k => window.brickseat.state().selected[0] === k", STOOL), "the stage stays as it is"
        page.keyboard.press("Escape")
        expect(ended).to_be_visible()
        sign_in()
        expect(ended).to_be_hidden()
        page.get_by_test_id("stage").click(position={"x": 5, "y": 5}, button="middle")
        page.keyboard.press("ArrowRight")
        page.wait_for_function(
            "([k, x]) => window.brickseat.state().pieces.get(k).pose.position[0] !== x", arg=[STOOL, before[0]]
        )
        expect(page.get_by_role("status").first).to_have_text("saved")
        # What another page does is heard of again: the line is up.
        assert page.evaluate("window.brickseat.state().line") == "joined"
    finally:
        context.close()
        server.stop()


def test_another_key_is_chosen_kept_and_given_back(new_page: Callable[[], Page], address: str) -> None:
    page = new_page()
    opened(page, address, "Workshop")
    sheet = page.get_by_role("dialog", name="Keys")
    ledger = page.get_by_role("region", name="Ledger")

    def choose_for(words: str, key: str) -> None:
        sheet.get_by_role("button", name=f"choose another key for “{words}").click()
        page.keyboard.press(key)

    page.keyboard.press("?")
    choose_for("the ledger", "n")
    expect(sheet.get_by_role("alert")).to_contain_text("next piece that does not sit")
    page.keyboard.press("q")
    choose_for("slide what is selected right", "w")
    expect(sheet.get_by_role("button", name="W: choose another key for “slide")).to_be_visible()
    page.keyboard.press("Escape")
    expect(sheet).to_be_hidden()
    page.keyboard.press("t")
    expect(ledger).to_be_hidden()
    page.keyboard.press("q")
    expect(ledger).to_be_visible()
    page.wait_for_load_state("networkidle")
    # On another page of the same account, too; and with Alt it goes a tenth of a step.
    page = new_page()
    opened(page, address, "Workshop")
    select(page, [STOOL])
    before = position(page, STOOL)
    page.keyboard.press("Alt+w")
    page.wait_for_function(
        "([k, x, z]) => { const p = window.brickseat.state().pieces.get(k).pose.position;"
        " return Math.abs(Math.hypot(p[0] - x, p[2] - z) - 0.001) < 1e-6; }",
        arg=[STOOL, before[0], before[2]],
    )
    page.keyboard.press("Control+z")
    page.keyboard.press("?")
    page.get_by_role("dialog", name="Keys").get_by_role("button", name="All keys as they came").click()
    page.keyboard.press("Escape")
    page.keyboard.press("t")
    expect(page.get_by_role("region", name="Ledger")).to_be_visible()


def test_arrows_belong_to_what_has_the_focus_and_tab_walks_on_while_joining(page: Page, address: str) -> None:
    opened(page, address, "Workshop")
    select(page, [STOOL])
    before = position(page, STOOL)
    page.get_by_role("radio", name="look over").focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_timeout(300)
    assert position(page, STOOL) == before, "the verbs were walked through, and nothing slid"
    page.keyboard.press("3")
    focused = "document.activeElement?.textContent"
    places = set()
    for _ in range(4):
        page.keyboard.press("Tab")
        places.add(page.evaluate(focused))
    assert len(places) == 4, places
    # In the ledger the arrows choose rows, and with Shift several.
    page.get_by_role("button", name="ledger", exact=True).click()
    rows = page.get_by_role("grid", name="fit of every piece")
    rows.focus()
    for key in ("Home", "Shift+ArrowDown", "Shift+ArrowDown"):
        page.keyboard.press(key)
    page.wait_for_function("window.brickseat.state().selected.length === 3")
    last = page.evaluate("window.brickseat.state().selected[2]")
    expect(rows).to_have_attribute("aria-activedescendant", f"ledger-row-{last}".replace(" ", "-"))
    page.keyboard.press("End")
    page.wait_for_function("window.brickseat.state().selected.length === 1")


def test_on_a_narrow_page_the_side_panel_folds_away(page: Page, address: str) -> None:
    opened(page, address, "Workshop")
    panel = page.get_by_role("region", name="Trolley")
    expect(panel).to_be_visible()
    page.set_viewport_size({"width": 820, "height": 800})
    expect(panel).to_be_hidden()
    page.wait_for_function("window.brickseat.view.canvas.clientWidth === 820")
    page.get_by_role("button", name="trolley…").click()
    expect(panel).to_be_visible()
    page.get_by_role("radio", name="settle").click()
    expect(page.get_by_label("Slip")).to_contain_text("fall")
    page.get_by_role("button", name="fold away").click()
    expect(panel).to_be_hidden()


def test_a_graphics_card_that_lets_go_is_told_and_the_stage_comes_back(page: Page, address: str) -> None:
    """The loss is played by the extension that there is for it: no hand can bring it about."""
    opened(page, address, "Workshop")
    page.evaluate(
        "window.card = window.brickseat.view.canvas.getContext('webgl2').getExtension('WEBGL_lose_context');"
        "window.card.loseContext()"
    )
    told = page.get_by_role("alert").filter(has_text="let go of the stage")
    expect(told).to_be_visible()
    page.evaluate("window.card.restoreContext()")
    expect(told).to_be_hidden()
    select(page, [STOOL])
    page.wait_for_function("window.brickseat.view.geometries > 10")
