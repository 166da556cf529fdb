"""One demo server and one browser for all journeys; every page must stay free of errors."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from running import chromium, demo_server

PATIENCE_MS = 60_000
"""How long a state is waited for: tests wait for states, and a busy machine takes its time."""
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="module")
def address(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    data: Path = tmp_path_factory.mktemp("demo")
    with demo_server(data) as found:
        yield found


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with chromium() as found:
        yield found


def refused(text: str) -> bool:
    """A refused upload or a move that is given up is an answer of the server, which the browser also writes to its console."""
    return any(f"a status of {status}" in text for status in (409, 422))


@pytest.fixture
def new_page(browser: Browser) -> Iterator[Callable[[], Page]]:
    # What waits for a state of the page does so by a script that the page's own policy would refuse: see test_policy.py.
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", bypass_csp=True)
    problems: list[str] = []

    def opened() -> Page:
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.on("pageerror", lambda error: problems.append(str(error)))
        page.on("console", lambda m: problems.append(m.text) if m.type == "error" and not refused(m.text) else None)
        return page

    yield opened
    context.close()
    assert problems == []


@pytest.fixture
def page(new_page: Callable[[], Page]) -> Page:
    return new_page()
