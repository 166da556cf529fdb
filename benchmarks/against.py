"""The core beside a version before, in turn on the same machine: python benchmarks/against.py [revision, HEAD~1 by default] [rounds]."""

import json
import os
import pickle
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

from scenes import crowd, seated

HERE = Path(__file__).parent
MILLISECONDS = ("depth", "deep", "pointing")


def lines(core: Path, scenes: Path) -> dict[str, float]:
    """What ``core_lines`` tells with the core in a folder."""
    found = subprocess.run(
        [sys.executable, str(HERE / "core_lines.py"), str(scenes)],
        env={**os.environ, "PYTHONPATH": str(core)},
        capture_output=True,
        text=True,
        check=True,
    )
    told: dict[str, float] = json.loads(found.stdout)
    return told


def main(revision: str = "HEAD~1", rounds: str = "3") -> None:
    """Compare this version with ``revision``, each run ``rounds`` times, one after the other."""
    with tempfile.TemporaryDirectory() as folder:
        scenes, before = Path(folder) / "scenes", Path(folder) / "before"
        scenes.mkdir()
        for count in (1000, 5000):
            (scenes / f"crowd of {count:,}.pickle").write_bytes(pickle.dumps(crowd(count)))
            (scenes / f"finished {count:,}.pickle").write_bytes(pickle.dumps(seated(count)))
        git = ("git", "-C", str(HERE.parent))
        subprocess.run([*git, "worktree", "add", "--detach", "--quiet", str(before), revision], check=True)
        try:
            now_core, before_core = HERE.parent / "core", before / "core"
            # The first run of each may compile its kernels.
            for core in (before_core, now_core):
                lines(core, scenes)
            runs = [(lines(before_core, scenes), lines(now_core, scenes)) for _ in range(int(rounds))]
        finally:
            subprocess.run([*git, "worktree", "remove", "--force", str(before)], check=True)
    print(f"\nThe core beside {revision}, medians of {rounds} runs in turn")
    for name in runs[0][1]:
        was, now = (median(run[side][name] for run in runs) for side in range(2))
        scale, unit = (1e3, "ms") if name.startswith(MILLISECONDS) else (1.0, "s")
        print(
            f"  {name:24s} before {was * scale:8.3f} {unit:2s}   now {now * scale:8.3f} {unit:2s}   {was / now:5.2f} times"
        )


if __name__ == "__main__":
    main(*sys.argv[1:])
