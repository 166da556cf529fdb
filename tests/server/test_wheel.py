"""The wheel, in an environment that holds nothing else than what it asks for: it starts, and its page is there."""

import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

ROOT = Path(__file__).parents[2]
UV = Path(sys.executable).parent / "uv"
START_SECONDS = 240


def run(*command: object) -> None:
    done = subprocess.run([str(c) for c in command], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_the_wheel_starts_without_the_packages_of_developers(tmp_path: Path) -> None:
    run(UV, "build", "--quiet", "--wheel", "--python", sys.executable, "--out-dir", tmp_path)
    (wheel,) = tmp_path.glob("*.whl")
    run(UV, "venv", "--quiet", "--python", sys.executable, tmp_path / "empty")
    python = tmp_path / "empty/bin/python"
    run(UV, "pip", "install", "--quiet", "--python", python, wheel)
    listener = socket.socket()
    listener.bind(("127.0.0.1", 0))
    listener.listen(8)
    address = f"http://127.0.0.1:{listener.getsockname()[1]}"
    environment = {**os.environ, "BRICKSEAT_DATA": str(tmp_path / "data"), "PYTHONWARNINGS": "always"}
    environment.pop("DJANGO_SETTINGS_MODULE", None)
    fd = listener.fileno()
    with (tmp_path / "said").open("w") as said:
        server = subprocess.Popen(
            [tmp_path / "empty/bin/brickseat", "serve", "--no-open", "--fd", str(fd)],
            pass_fds=[fd], env=environment, cwd=tmp_path, stdout=said, stderr=said,
        )  # fmt: skip
    try:
        deadline = time.monotonic() + START_SECONDS
        while True:
            try:
                page = urllib.request.urlopen(f"{address}/", timeout=START_SECONDS).read().decode()
                break
            except OSError:
                assert server.poll() is None, (tmp_path / "said").read_text()
                assert time.monotonic() < deadline
                time.sleep(0.2)
        assert "<title>Brick Seat" in page
        script = page.split('src="', 1)[1].split('"', 1)[0]
        assert len(urllib.request.urlopen(f"{address}{script}", timeout=60).read()) > 10_000
        schema = json.load(urllib.request.urlopen(f"{address}/api/openapi.json", timeout=60))
        assert "/api/bearers/terrain" in schema["paths"]
    finally:
        server.terminate()
        server.wait(timeout=60)
        listener.close()
    assert "synchronous iterators" not in (tmp_path / "said").read_text()
