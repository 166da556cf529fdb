"""At the prompt, and a set of thousands on a server of its own."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median

from scenes import crowd
from sockets import Visitor

from brickseat_core.formats.gltf.building import Paint, Surface, prop_document, set_document
from brickseat_core.scene import Piece, Set

MANY = 5000
TIMES = 5


def write_crowd(pieces: list[Piece], path: Path) -> None:
    """A set of these pieces as GLB."""
    meshes = {p.prop.key: p.prop for p in pieces}
    grey = Paint("grey", (0.5, 0.5, 0.5))
    documents = {
        key: prop_document(prop.name, [Surface(grey, prop.mesh.vertices, prop.mesh.faces)])
        for key, prop in meshes.items()
    }
    set_document(Set.of("set", pieces), documents).save(path)


def cpu_seconds(*command: str) -> float:
    """Median CPU seconds of a process; the wall says little on a machine that does other things."""
    code = (
        "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL); "
        "u = resource.getrusage(resource.RUSAGE_CHILDREN); print(u.ru_utime + u.ru_stime)"
    )
    spent = [
        float(subprocess.run([sys.executable, "-c", code, *command], capture_output=True, text=True, check=True).stdout)
        for _ in range(TIMES)
    ]
    return median(spent)


def bench_prompt() -> None:
    """Help, and checks of small sets, beside what it takes to import the compiler."""
    brickseat = str(Path(sys.executable).with_name("brickseat"))
    print("\nAt the prompt, CPU seconds (to reach: help a third, a check of ten pieces twice the import of numba)")
    with tempfile.TemporaryDirectory() as folder:
        ten, many = Path(folder) / "ten.glb", Path(folder) / "many.glb"
        write_crowd(crowd(10, 2000, 10), ten)
        write_crowd(crowd(400, 2000, 400), many)
        base = cpu_seconds(sys.executable, "-c", "import numba")
        print(f"  import of numba                   {base:6.2f} s")
        for name, command in {
            "brickseat --help": ("--help",),
            "check of 10 pieces": ("check", str(ten), "--json"),
            "check of 400 different meshes": ("check", str(many), "--json"),
        }.items():
            spent = cpu_seconds(brickseat, *command)
            print(f"  {name:33s} {spent:6.2f} s, {spent / base:5.2f} times", flush=True)


def bench_thousands() -> None:
    """Open a set of thousands, look at it after a restart, change one piece and a thousand."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "browser"))
    from running import DemoServer

    def told(name: str, run: Callable[[], bytes | str], target: str) -> bytes | str:
        start = time.perf_counter()
        found = run()
        print(f"  {name:38s} {time.perf_counter() - start:7.2f} s   (to reach: {target})", flush=True)
        return found

    print(f"\nA set of {MANY} pieces at the server, wall seconds; a quarter of them are in each other")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "crowd.glb"
        write_crowd(crowd(MANY), path)
        server = DemoServer(Path(folder))
        try:
            visitor = Visitor(server.address)
            key = str(told("opened from GLB", lambda: visitor.open(path.read_bytes(), "crowd"), "5 s"))
            server.kill()
            server.start()
            visitor.ask("/api/visitor")
            whole = told("the set, after a restart", lambda: visitor.ask(f"/api/sets/{key}"), "4 s to the first frame")
            told("the set again", lambda: visitor.ask(f"/api/sets/{key}"), "-")
            pieces = [p["key"] for p in json.loads(whole)["pieces"] if p["role"] == "prop"]

            def move(**asked: object) -> bytes:
                return visitor.ask(f"/api/sets/{key}/moves", json.dumps({"move": asked}).encode())

            for piece in pieces[100:103]:
                slide = partial(move, kind="slide", pieces=[piece], by=[0.02, 0, 0.01])
                told("one piece slid", slide, "0.1 s")
            told("a thousand pieces carried", lambda: move(kind="carry", pieces=pieces[:1000], by=[0, 0.001, 0]), "1 s")
            told("undone", lambda: visitor.ask(f"/api/sets/{key}/undo", b"{}"), "1 s")
        finally:
            server.stop()
