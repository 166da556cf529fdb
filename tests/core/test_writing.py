"""Files written whole, and what is left where a process was killed."""

import os
import signal
import subprocess
import sys
from pathlib import Path

from brickseat_core.formats.writing import UNFINISHED, place_beside, remove_unfinished, write_whole

WRITES = """
import os, sys
from pathlib import Path
from brickseat_core.formats import writing
def stop(file):
    print("writing", flush=True)
    sys.stdin.read()
writing.os.fsync = stop
writing.write_whole(Path(sys.argv[1]), b"new")
"""


def test_what_a_killed_process_was_writing_is_removed_and_what_is_being_written_stays(tmp_path: Path) -> None:
    path = tmp_path / "props" / "jar.glb"
    path.parent.mkdir()
    write_whole(path, b"old")
    (tmp_path / ".kept").write_bytes(b"somebody's own")
    command = [sys.executable, "-c", WRITES, str(path)]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        assert process.stdout.readline() == "writing\n"
        assert len(list(path.parent.iterdir())) == 2
        assert remove_unfinished(tmp_path) == 0
        assert len(list(path.parent.iterdir())) == 2
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
    assert remove_unfinished(tmp_path) == 1
    assert list(path.parent.iterdir()) == [path]
    assert path.read_bytes() == b"old"
    assert (tmp_path / ".kept").exists()


def test_each_place_beside_is_another_one_that_is_known_as_unfinished(tmp_path: Path) -> None:
    first, second = (place_beside(tmp_path / ("🏺" * 60 + ".glb")) for _ in range(2))
    assert first != second
    assert UNFINISHED.fullmatch(first.name)
    first.write_bytes(b"its name is not too long")
    (tmp_path / ".elsewhere.0123456789abcdef").symlink_to(tmp_path / "jar.glb")
    assert remove_unfinished(tmp_path) == 1
    assert not UNFINISHED.fullmatch(".env")
    assert not UNFINISHED.fullmatch("jar.glb.0123456789abcdef")
