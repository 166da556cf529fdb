"""Many stages at once: so many sockets on so many sets, each asked sixty times a second, alone and beside a repair."""

import asyncio
import json
import sys
import tempfile
import time
import urllib.request
import uuid
from dataclasses import dataclass, field
from http.cookiejar import CookieJar
from pathlib import Path
from statistics import median, quantiles
from typing import Any

import numpy as np
import websockets

from brickseat_core.formats.gltf.document import GltfDocument

SECONDS = 8.0
HERTZ = 60.0
REPAIRED = 200
TO_REACH = "to reach: 95 % under 40 ms"


class Visitor:
    """The demo's visitor, by HTTP."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.cookies = CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.cookies))
        self.ask("/")
        self.ask("/api/visitor")

    def cookie(self, name: str) -> str:
        return next((c.value or "" for c in self.cookies if c.name == name), "")

    def ask(
        self, path: str, body: bytes | None = None, kind: str = "application/json", patience: float = 300.0
    ) -> bytes:
        """The answer's body. ``patience``: seconds. Raises OSError."""
        headers = {"X-CSRFToken": self.cookie("csrftoken"), "Referer": self.address, "Content-Type": kind}
        request = urllib.request.Request(self.address + path, body, headers)
        with self.opener.open(request, timeout=patience) as answer:
            return bytes(answer.read())

    def stage(self, key: str) -> websockets.connect:
        """The socket of a stage of a set, to be entered."""
        headers = {"Cookie": f"sessionid={self.cookie('sessionid')}", "Origin": self.address}
        address = self.address.replace("http", "ws") + f"/ws/sets/{key}"
        return websockets.connect(address, additional_headers=headers, max_size=None, compression=None)

    def open(self, data: bytes, name: str) -> str:
        """A new set from a file; its key."""
        edge = uuid.uuid4().hex
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}.glb"\r\n\r\n'
        made = self.ask(
            "/api/sets/open",
            head.encode() + data + f"\r\n--{edge}--\r\n".encode(),
            f"multipart/form-data; boundary={edge}",
        )
        return str(json.loads(made)["key"])


@dataclass
class Tally:
    """What one stage saw: milliseconds from question to answer, and how many questions were overtaken."""

    waits: list[float] = field(default_factory=list)
    overtaken: int = 0
    refused: int = 0


def question(n: int, prop: str, at: float) -> dict[str, Any]:
    """A pointer that goes round the middle of the set."""
    target = np.array([1.1 * np.cos(at), 0.0, 1.0 + 1.1 * np.sin(1.3 * at)])
    eye = np.array([3.0, 2.5, 6.0])
    along = target - eye
    return {
        "kind": "point",
        "n": n,
        "prop": prop,
        "ray": {"origin": eye.tolist(), "direction": (along / np.linalg.norm(along)).tolist()},
        "slip": {"turn": at},
    }


async def stage(
    visitor: Visitor, key: str, prop: str, seconds: float, phase: float, all_ready: asyncio.Barrier
) -> Tally:
    """As a browser does: one question under way, and of those that wait only the newest."""
    tally = Tally()
    async with visitor.stage(key) as socket:
        while json.loads(await socket.recv())["kind"] != "ready":
            pass
        # Nobody is asked before every set is in memory.
        await all_ready.wait()
        free = asyncio.Event()
        free.set()
        sent: dict[int, float] = {}

        async def hear() -> None:
            async for text in socket:
                news = json.loads(text)
                if news.get("n") in sent:
                    tally.waits.append(1e3 * (time.perf_counter() - sent.pop(news["n"])))
                    tally.refused += news["kind"] == "refused"
                    free.set()

        hearing = asyncio.create_task(hear())
        await asyncio.sleep(phase / HERTZ)
        begin = time.perf_counter()
        n = 0
        while time.perf_counter() - begin < seconds:
            n += 1
            if free.is_set():
                free.clear()
                sent[n] = time.perf_counter()
                await socket.send(json.dumps(question(n, prop, 0.02 * n + phase)))
            else:
                tally.overtaken += 1
            await asyncio.sleep(max(0.0, begin + n / HERTZ - time.perf_counter()))
        hearing.cancel()
    return tally


def told(name: str, tallies: list[Tally]) -> None:
    waits = [w for t in tallies for w in t.waits]
    asked = len(waits) + sum(t.overtaken for t in tallies)
    refused = sum(t.refused for t in tallies)
    print(
        f"  {name:34s} {median(waits):6.1f} ms median {quantiles(waits, n=20)[-1]:6.1f} ms 95th, "
        f"{len(waits)} answers, {sum(t.overtaken for t in tallies) / asked:.0%} overtaken, {refused} refused",
        flush=True,
    )


async def all_of(visitor: Visitor, keys: list[str], prop: str, seconds: float = SECONDS) -> list[Tally]:
    ready = asyncio.Barrier(len(keys))
    runs = (stage(visitor, key, prop, seconds, i / len(keys), ready) for i, key in enumerate(keys))
    return list(await asyncio.gather(*runs))


def raised(data: bytes) -> bytes:
    """The same set with ``REPAIRED`` more copies of what stands there, all of them floating."""
    document = GltfDocument.parse(data)
    nodes = document.json["nodes"]
    roots = document.json["scenes"][document.json.get("scene", 0)]["nodes"]
    pieces = [r for r in roots if nodes[r].get("extras", {}).get("brickseat", {}).get("role") == "prop"]
    for n in range(REPAIRED):
        node = json.loads(json.dumps(nodes[pieces[n % len(pieces)]]))
        node["name"] = f"floating {n}"
        node["extras"]["brickseat"]["key"] = f"floating-{n}"
        x, y, z = node.get("translation", [0.0, 0.0, 0.0])
        node["translation"] = [x + 0.05 * (n // len(pieces) + 1), y + 0.4 + 0.1 * (n // len(pieces)), z]
        roots.append(len(nodes))
        nodes.append(node)
    return document.to_glb()


async def beside_a_repair(visitor: Visitor, mended: str, key: str, prop: str) -> tuple[list[Tally], float]:
    loop = asyncio.get_running_loop()
    body = json.dumps({"move": {"kind": "repair", "pieces": None}}).encode()
    begin = time.perf_counter()
    repair = loop.run_in_executor(None, visitor.ask, f"/api/sets/{mended}/moves", body)
    tallies: list[Tally] = []
    while not repair.done():
        tallies += await all_of(visitor, [key], prop, 1.0)
    await repair
    return tallies, time.perf_counter() - begin


def bench_sockets(prop: str = "cider-jug") -> None:
    """Stages that ask at once, and one that asks while another set is mended."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "browser"))
    from running import demo_server

    print(f"\nStages that ask sixty times a second, one to a set ({TO_REACH}; beside a repair 20 ms)")
    with tempfile.TemporaryDirectory() as data, demo_server(Path(data)) as address:
        visitor = Visitor(address)
        cards = json.loads(visitor.ask("/api/sets"))
        workshop = next(c["key"] for c in cards if c["name"].startswith("Workshop"))
        glb = visitor.ask(f"/api/sets/{workshop}/hand-over.glb")
        keys = [visitor.open(glb, f"set {n}") for n in range(20)]
        asyncio.run(all_of(visitor, keys, prop, 1.0))
        for count in (1, 10, 20):
            told(f"{count} at once", asyncio.run(all_of(visitor, keys[:count], prop)))
        many = visitor.open(raised(glb), "to be mended")
        tallies, seconds = asyncio.run(beside_a_repair(visitor, many, keys[0], prop))
        told(f"beside a repair of {seconds:.1f} s", tallies)


if __name__ == "__main__":
    bench_sockets(*sys.argv[1:])
