"""A server in a process of its own, as it runs on a machine, and what a pipeline says to it."""

import http.client
import json
import os
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

START_SECONDS = 240.0
COMMAND = (sys.executable, "-c", "import sys; from brickseat.command_line import main; sys.exit(main(sys.argv[1:]))")
PASSWORD = "a dresser of the yard"


class Answer:
    """A status and what came with it."""

    def __init__(self, status: int, headers: dict[str, str], data: bytes, seconds: float) -> None:
        self.status, self.headers, self.data, self.seconds = status, headers, data, seconds

    @property
    def json(self) -> Any:
        return json.loads(self.data)


def brickseat(data: Path, *words: str, given: str = "", **more: str) -> subprocess.CompletedProcess[str]:
    """A command of the command line, with a data folder."""
    environment = {**os.environ, "BRICKSEAT_DATA": str(data), **more}
    return subprocess.run(
        [*COMMAND, *words], env=environment, input=given, capture_output=True, text=True, check=False, timeout=120
    )


class RunningServer:
    """One with the account of wren, and a token of hers."""

    def __init__(self, data: Path, *options: str, **environment: str) -> None:
        self.data, self.options = data, options
        self.environment = {**os.environ, "BRICKSEAT_DATA": str(data), **environment}
        assert brickseat(data, "user", "add", "wren", given=f"{PASSWORD}\n").returncode == 0
        self.token = brickseat(data, "user", "token", "wren").stdout.strip()
        self.listener = socket.socket()
        self.listener.bind(("127.0.0.1", 0))
        self.listener.listen(64)
        self.port: int = self.listener.getsockname()[1]
        self.log = data / "log"
        self.start()

    def start(self) -> None:
        """Begin, or begin again at the same port, and wait until it answers."""
        fd = self.listener.fileno()
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [*COMMAND, "serve", "--no-open", "--fd", str(fd), *self.options],
                pass_fds=[fd], env=self.environment, stdout=log, stderr=log,
            )  # fmt: skip
        end = time.monotonic() + START_SECONDS
        while time.monotonic() < end:
            assert self.process.poll() is None, self.log.read_text()
            try:
                if self.ask("GET", "/api/sets").status < 500:
                    return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not begin")

    def ask(self, method: str, path: str, body: bytes = b"", kind: str = "application/json", **headers: str) -> Answer:
        """One request, and how long it took."""
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        known = {"Authorization": f"Bearer {self.token}", "Content-Type": kind}
        begun = time.monotonic()
        try:
            line.request(method, path, body, {**known, **headers})
            answer = line.getresponse()
            return Answer(answer.status, dict(answer.getheaders()), answer.read(), time.monotonic() - begun)
        finally:
            line.close()

    @property
    def most_memory(self) -> int:
        """Bytes that the process had at its most (proc(5))."""
        lines = Path(f"/proc/{self.process.pid}/status").read_text().splitlines()
        (line,) = (text for text in lines if text.startswith("VmHWM"))
        return int(line.split()[1]) * 1024

    def kill(self) -> None:
        """As when the power goes."""
        self.process.kill()
        self.process.wait(60)

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(60)
        self.listener.close()
