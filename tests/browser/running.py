"""The real server on a fresh demo, and Debian's Chromium: for the tests, the pictures and the benchmark."""

import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

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


class DemoServer:
    """A demo of its own, its database in ``data``; the listening socket is handed over open.

    The socket outlives the server, so that one that was killed comes back at the same address.
    """

    def __init__(self, data: Path) -> None:
        self.data = data
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
            [sys.executable, "-c", code, "demo", "--no-open", "--fd", str(fd)], pass_fds=[fd], env=environment
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


def set_key(page: Page, address: str, name: str) -> str:
    """The key of the demo set whose name begins so; signs the page in on the way."""
    assert page.request.get(f"{address}/api/visitor").ok
    cards = page.request.get(f"{address}/api/sets").json()
    return str(next(card["key"] for card in cards if card["name"].startswith(name)))


def wait_drawn(page: Page, revision: int | None = None) -> None:
    """Until the stage has drawn the set at this revision (any, by default)."""
    wanted = "0" if revision is None else str(revision)
    page.wait_for_function(f"window.brickseat && window.brickseat.view.drawnRevision >= {wanted}", timeout=90_000)


def on_screen(page: Page, x: float, y: float, z: float) -> tuple[float, float]:
    """Where a world point is, in pixels of the page."""
    found = page.evaluate("([x, y, z]) => window.brickseat.screen(x, y, z)", [x, y, z])
    return float(found["x"]), float(found["y"])
