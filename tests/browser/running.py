"""The real server on a fresh demo, and Debian's Chromium: for the tests, the pictures and the benchmark."""

import io
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Page, sync_playwright

Pixels = NDArray[np.int16]
MOST_PICTURES = 60
CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-dev-shm-usage",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=gl-egl",
    "--ignore-gpu-blocklist",
]
START_SECONDS = 240
PATIENCE_MS = 180_000
"""How long a state is waited for: tests wait for states, and a busy machine takes its time."""


class DemoServer:
    """A demo of its own, its database in ``data``; the listening socket is handed over open.

    The socket outlives the server, so that one that was killed comes back at the same address.
    """

    def __init__(self, data: Path, command: str = "demo") -> None:
        self.data, self.command = data, command
        self.listener = socket.socket()
        self.listener.bind(("127.0.0.1", 0))
        self.listener.listen(64)
        self.address = f"http://127.0.0.1:{self.listener.getsockname()[1]}"
        self.start()

    def start(self) -> None:
        environment = {**os.environ, "BRICKSEAT_DATA": str(self.data)}
        code = "import sys; from brickseat.command_line import main; sys.exit(main(sys.argv[1:]))"
        fd = self.listener.fileno()
        self.process = subprocess.Popen(
            [sys.executable, "-c", code, self.command, "--no-open", "--fd", str(fd)], pass_fds=[fd], env=environment
        )
        deadline = time.monotonic() + START_SECONDS
        while True:
            try:
                urllib.request.urlopen(f"{self.address}/api/openapi.json", timeout=5)
                return
            except OSError:
                if self.process.poll() is not None or time.monotonic() > deadline:
                    raise RuntimeError("the demo server did not start") from None
                time.sleep(0.2)

    def kill(self) -> None:
        """As a power cut does: SIGKILL, nothing is closed."""
        self.process.kill()
        self.process.wait()

    def stop(self) -> None:
        self.process.terminate()
        try:
            self.process.wait(timeout=10)
        except subprocess.TimeoutExpired:
            self.process.kill()
        self.listener.close()


@contextmanager
def demo_server(data: Path) -> Iterator[str]:
    """The address of a demo of its own."""
    server = DemoServer(data)
    try:
        yield server.address
    finally:
        server.stop()


@contextmanager
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


def stage_context(browser: Browser) -> BrowserContext:
    """A window of the size that the stage is made for, in which nothing moves by itself."""
    # What waits for a state of the page does so by a script that the page's own policy would refuse: see test_policy.py.
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", bypass_csp=True)
    context.set_default_timeout(PATIENCE_MS)
    return context


def set_key(page: Page, address: str, name: str) -> str:
    """The key of the demo set whose name begins so; signs the page in on the way."""
    assert page.request.get(f"{address}/api/visitor").ok
    cards = page.request.get(f"{address}/api/sets").json()
    return str(next(card["key"] for card in cards if card["name"].startswith(name)))


def wait_drawn(page: Page, revision: int | None = None) -> None:
    """Until the stage has drawn the set at this revision (any, by default)."""
    wanted = "0" if revision is None else str(revision)
    page.wait_for_function(f"window.brickseat && window.brickseat.view.drawnRevision >= {wanted}", timeout=PATIENCE_MS)


def redrawn(page: Page) -> None:
    """Until the browser has drawn what was asked for: two of its frames later."""
    page.evaluate("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")


def still(page: Page) -> Pixels:
    """(height, width, 3) the page once nothing on it changes any more: two pictures in a row are the same."""
    last = None
    for _ in range(MOST_PICTURES):
        redrawn(page)
        now = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"), dtype=np.int16)
        if last is not None and np.array_equal(now, last):
            return now
        last = now
    raise AssertionError("the page does not come to rest")


def box_on_screen(page: Page, key: str) -> tuple[slice, slice]:
    """The rows and columns of the page that a piece covers at most."""
    lo, hi = page.evaluate(
        "k => { const box = window.brickseat.view.pieces.worldBox([k]); return [box.min.toArray(), box.max.toArray()] }",
        key,
    )
    corners = [on_screen(page, *(lo[k] if n >> k & 1 else hi[k] for k in range(3))) for n in range(8)]
    x, y = ([corner[k] for corner in corners] for k in range(2))
    return slice(int(min(y)), int(max(y)) + 1), slice(int(min(x)), int(max(x)) + 1)


def on_screen(page: Page, x: float, y: float, z: float) -> tuple[float, float]:
    """Where a world point is, in pixels of the page."""
    found = page.evaluate("([x, y, z]) => window.brickseat.screen(x, y, z)", [x, y, z])
    return float(found["x"]), float(found["y"])


def opened(page: Page, address: str, name: str) -> str:
    """The key of a demo set whose name begins so, once it is drawn: light, and with the same turns by chance each time."""
    key = set_key(page, address, name)
    page.goto(f"{address}/sets/{key}?quality=low&seed=7")
    wait_drawn(page)
    return key


def last_step(page: Page, begins: str) -> None:
    """Until the last step of the history begins with these words, and nothing is under way."""
    page.wait_for_function("w => (window.brickseat.state().canUndo ?? '').startsWith(w)", arg=begins)
    page.wait_for_function("window.brickseat.state().saving === 0")


def figure(page: Page, label: str, value: str) -> None:
    """Type into a word of the slip's sentence."""
    page.get_by_label("Slip").get_by_role("button", name=f"{label}:").click()
    page.get_by_role("textbox", name=label).fill(value)
    page.keyboard.press("Enter")


def say(page: Page, label: str, words: str) -> None:
    """Choose other words in the slip's sentence."""
    page.get_by_label("Slip").get_by_role("button", name=f"{label}:").click()
    page.get_by_role("menuitemradio", name=words).click()


def select(page: Page, keys: list[str]) -> None:
    """Select these pieces as a dresser does who knows their names: in the ledger, one after the other."""
    names = page.evaluate("keys => keys.map(key => window.brickseat.state().pieces.get(key).name)", keys)
    ledger = page.get_by_role("region", name="Ledger")
    opened = ledger.is_visible()
    if not opened:
        page.get_by_role("button", name="ledger", exact=True).click()
    find = ledger.get_by_label("find in the ledger")
    for number, (key, name) in enumerate(zip(keys, names, strict=True)):
        find.fill(name)
        # Others that stand on it, or are called alike, are listed with it.
        row = page.locator(f'[id="ledger-row-{key.replace(" ", "-")}"]')
        row.click(modifiers=["ControlOrMeta"] if number else [])
    find.fill("")
    if not opened:
        ledger.get_by_role("button", name="close").click()
    page.wait_for_function("n => window.brickseat.state().selected.length === n", arg=len(keys))
    redrawn(page)
