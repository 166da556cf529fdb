"""A drag whose piece obeys ten ties, and one without any, at a server of its own."""

import asyncio
import json
import sys
import tempfile
import time
from itertools import product
from pathlib import Path
from typing import Any

from sockets import Tally, Visitor, told

TIES = 10
SLIDES = 300
FIRST = 20
"""Answers that are not counted: they load what they need."""
ALONE, WITH_RIDERS = "bucket-1", "low-bench-1"
"""Pieces of the demo's kiln loading: one that nothing is tied to, and one that has a jug and a bowl on it and a stool beside."""
AROUND = ("shed-side-wall", "shed-back-wall", "wood-store", "saggar", "tall-jar", "lay-figure")
SIDES = ([1.0, 0.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 0.0, -1.0])
PATIENCE = 20.0


async def dragged(visitor: Visitor, key: str, piece: str) -> Tally:
    """One question after the other, as a drag asks: where does the piece get to when it is led to and fro?"""
    tally = Tally()
    async with visitor.stage(key) as socket:
        while json.loads(await socket.recv())["kind"] != "ready":
            pass
        for n in range(SLIDES):
            by = [1.5 * (n % 60) / 60 - 0.75, 0.0, 0.01 * (n % 25)]
            move = {"kind": "slide", "pieces": [piece], "by": by}
            begin = time.perf_counter()
            await socket.send(json.dumps({"kind": "preview", "n": n, "move": move}))
            while (news := json.loads(await asyncio.wait_for(socket.recv(), PATIENCE))).get("n") != n:
                pass
            tally.waits.append(1e3 * (time.perf_counter() - begin))
            tally.refused += news["kind"] == "refused"
    tally.waits = tally.waits[FIRST:]
    return tally


def tie_until_ten(visitor: Visitor, key: str, piece: str) -> None:
    """Tie a piece of the demo's kiln loading by gaps to what stands about it, until ten ties move with it."""
    dressed = json.loads(visitor.ask(f"/api/sets/{key}"))
    made = sum(piece in (t["piece"], t["to"]) for t in dressed["ties"])
    others = [str(p["key"]) for p in dressed["pieces"] if p["prop"] in AROUND and p["key"] != piece]
    for to, side in product(others, SIDES):
        if made == TIES:
            return
        tie = {
            "kind": "tie",
            "tie": "gap",
            "piece": piece,
            "to": to,
            "side": side,
            "distance_m": 0.01,
            "at_least": True,
        }
        try:
            visitor.ask(f"/api/sets/{key}/moves", json.dumps({"move": tie}).encode())
        except OSError:
            # What cannot hold where the piece stands is refused: the next one is tried.
            continue
        made += 1
    raise RuntimeError(f"only {made} ties could be made")


def bench_ties() -> None:
    """A drag under ten ties beside one without."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "browser"))
    from running import demo_server

    print("\nA drag under ten ties, question out to answer back (to reach: 8 ms 95th)")
    with tempfile.TemporaryDirectory() as data, demo_server(Path(data)) as address:
        visitor = Visitor(address)
        cards: list[dict[str, Any]] = json.loads(visitor.ask("/api/sets"))
        loading = next(c["key"] for c in cards if c["name"].startswith("Kiln loading"))
        told("none", [asyncio.run(dragged(visitor, loading, ALONE))])
        for piece, words in ((ALONE, "ten ties"), (WITH_RIDERS, "ten ties, three pieces go along")):
            tie_until_ten(visitor, loading, piece)
            told(words, [asyncio.run(dragged(visitor, loading, piece))])


if __name__ == "__main__":
    bench_ties()
