"""Kill the server in the middle of moves, again and again: nothing that it has acknowledged may be lost.

python tests/stress/kills.py [times]
"""

import contextlib
import http.client
import json
import random
import sqlite3
import sys
import tempfile
import threading
import time
from pathlib import Path

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent / "browser"), str(HERE.parent.parent / "benchmarks")]

from running import DemoServer
from sockets import Visitor

TIMES = 50
LONGEST_SECONDS = 0.6
PATIENCE = 2.0
"""Seconds: the socket outlives the server, so that a question to a dead one is not refused but never answered."""
PIECE = "stool-1"
STEP = 0.001


def moves_until_killed(server: DemoServer, visitor: Visitor, url: str, chance: random.Random) -> tuple[int, int]:
    """The revision that was acknowledged last, and how many moves were."""
    acknowledged = count = 0
    killer = threading.Timer(chance.uniform(0.02, LONGEST_SECONDS), server.kill)
    killer.start()
    try:
        while True:
            by = [STEP if count % 2 else -STEP, 0.0, 0.0]
            body = {"move": {"kind": "slide", "pieces": [PIECE], "by": by}}
            answer = visitor.ask(f"{url}/moves", json.dumps(body).encode(), patience=PATIENCE)
            acknowledged = json.loads(answer)["revision"]
            count += 1
    except (OSError, http.client.HTTPException):
        killer.join()
    return acknowledged, count


def main(times: int) -> int:
    chance = random.Random(7)
    lost = total = torn = 0
    with tempfile.TemporaryDirectory() as data:
        server = DemoServer(Path(data))
        try:
            visitor = Visitor(server.address)
            cards = json.loads(visitor.ask("/api/sets"))
            url = f"/api/sets/{next(c['key'] for c in cards if c['name'].startswith('Workshop'))}"
            begin = time.monotonic()
            for n in range(times):
                acknowledged, count = moves_until_killed(server, visitor, url, chance)
                with contextlib.closing(sqlite3.connect(Path(data) / "brickseat.sqlite3")) as database:
                    torn += database.execute("PRAGMA integrity_check").fetchall() != [("ok",)]
                server.start()
                found = json.loads(visitor.ask(url))
                steps = json.loads(visitor.ask(f"{url}/history"))
                fit = next(f for f in found["fits"] if f["key"] == PIECE)
                total += count
                # One more may have been stored whose answer did not come through.
                lost += max(0, acknowledged - found["revision"]) if count else 0
                torn += len(steps) != min(200, found["revision"]) or fit["state"] != "seated"
                if (n + 1) % 10 == 0:
                    print(f"  {n + 1} kills, {total} moves acknowledged, {lost} lost, {torn} torn", flush=True)
            print(f"{times} kills in {time.monotonic() - begin:.0f} s: {total} acknowledged, {lost} lost, {torn} torn")
        finally:
            server.stop()
    return 1 if lost or torn else 0


if __name__ == "__main__":
    raise SystemExit(main(int(sys.argv[1]) if len(sys.argv) > 1 else TIMES))
