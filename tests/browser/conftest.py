"""One demo server and one browser for all journeys; every page must stay free of errors."""

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, expect
from running import PATIENCE_MS, DemoServer, chromium, demo_server, stage_context

expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def dressed_demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The data of a demo that was dressed and never touched since: it is copied, not used."""
    data = tmp_path_factory.mktemp("demo")
    DemoServer(data).stop()
    return data


@pytest.fixture
def demo_data(dressed_demo: Path, tmp_path: Path) -> Path:
    """The data of a demo for one test."""
    return Path(shutil.copytree(dressed_demo, tmp_path / "demo"))


@pytest.fixture(scope="module")
def address(dressed_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    data = shutil.copytree(dressed_demo, tmp_path_factory.mktemp("module") / "demo")
    with demo_server(data) as found:
        yield found


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with chromium() as found:
        yield found


def is_answer(message: ConsoleMessage) -> bool:
    """An answer of the server that the browser also writes to its console: a refused upload, a move that is given up, or that
    the piece whose contact is looked at was taken away meanwhile."""
    gone = "/feeler/" in message.location["url"] or "/fits/" in message.location["url"]
    return any(f"a status of {status}" in message.text for status in ((404, 409, 422) if gone else (409, 422)))


def in_words(message: ConsoleMessage) -> str:
    return f"{message.text} ({message.location['url']})"


@pytest.fixture
def new_page(browser: Browser) -> Iterator[Callable[[], Page]]:
    context = stage_context(browser)
    problems: list[str] = []

    def opened() -> Page:
        page = context.new_page()
        page.on("pageerror", lambda error: problems.append(str(error)))
        page.on("console", lambda m: problems.append(in_words(m)) if m.type == "error" and not is_answer(m) else None)
        return page

    yield opened
    context.close()
    assert problems == []


@pytest.fixture
def page(new_page: Callable[[], Page]) -> Page:
    return new_page()
