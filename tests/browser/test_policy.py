"""The page under its own policy of what it may load: everything works, and what is foreign does not run."""

import io
import time
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image
from playwright.sync_api import Browser, Page, expect
from running import set_key

PATIENCE_SECONDS = 60.0


def textured(path: Path) -> Path:
    """A tile with a picture on it, in one file."""
    picture = Image.fromarray((np.indices((64, 64)).sum(axis=0) // 8 % 2 * 255).astype(np.uint8)).convert("RGB")
    box = trimesh.creation.box((0.2, 0.02, 0.2))
    material = trimesh.visual.material.PBRMaterial(baseColorTexture=picture)
    box.visual = trimesh.visual.TextureVisuals(uv=box.vertices[:, [0, 2]] * 5.0, material=material)
    data = io.BytesIO()
    box.export(data, file_type="glb")
    path.write_bytes(data.getvalue())
    return path


def wait_until_drawn(page: Page) -> None:
    """Asked from outside: a script of the page's own that waits would be refused."""
    end = time.monotonic() + PATIENCE_SECONDS
    while time.monotonic() < end:
        if page.evaluate("(window.brickseat?.view.drawnRevision ?? -1) >= 0"):
            return
        page.wait_for_timeout(100)
    raise AssertionError("the stage was not drawn")


def test_the_page_works_under_its_policy_and_nothing_foreign_runs(
    browser: Browser, address: str, tmp_path: Path
) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page = context.new_page()
    said: list[str] = []
    page.on("console", lambda m: said.append(m.text) if m.type in ("error", "warning") else None)
    page.on("pageerror", lambda error: said.append(str(error)))
    try:
        answer = page.goto(address)
        assert answer is not None
        assert "script-src 'self'" in (answer.header_value("content-security-policy") or "")
        expect(page.get_by_role("heading", name="Workshop, throwing day")).to_be_visible()
        key = set_key(page, address, "Workshop")
        page.goto(f"{address}/sets/{key}?quality=low&seed=7")
        wait_until_drawn(page)
        # A menu, a list and a note of the interface, which bring styles of their own.
        page.keyboard.press("/")
        page.keyboard.type("milk jug")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Slip")).to_contain_text("Set down milk jug on anything")
        page.keyboard.press("Escape")
        page.goto(f"{address}/store")
        page.set_input_files("input[type=file]", str(textured(tmp_path / "chequered tile.glb")))
        expect(page.get_by_text("chequered tile").first).to_be_visible()
        page.wait_for_load_state("networkidle")
        assert [text for text in said if "Content Security Policy" in text or "violates" in text] == []
        for intruder in (
            "const s = document.createElement('script'); s.textContent = 'window.intruder = 1'; document.body.append(s)",
            "const s = document.createElement('script'); s.src = 'data:text/javascript,window.intruder=1'; document.body.append(s)",
            "document.body.insertAdjacentHTML('beforeend', '<img src=x onerror=\"window.intruder = 1\">')",
            "try { setTimeout('window.intruder = 1', 0) } catch { /* refused */ }",
        ):
            page.evaluate(intruder)
        page.wait_for_timeout(500)
        assert page.evaluate("window.intruder ?? null") is None
        assert any("Content Security Policy" in text for text in said)
    finally:
        context.close()
