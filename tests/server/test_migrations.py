"""A database that an earlier version made is opened: sets, history and props are all there, and can be gone on with."""

import shutil
import sqlite3
import subprocess
import sys
from pathlib import Path

BEFORE = Path(__file__).parent / "before"
"""What the last version before records left: its database as SQL, and the files of its three props."""
GO_ON = """
import os
os.environ["DJANGO_SETTINGS_MODULE"] = "brickseat.settings"
import django
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0, interactive=False)
from django.contrib.auth.models import User
from brickseat.sets.changing import go_to, make_move, set_at, undo
from brickseat.sets.models import DressedSet, HistoryDeltas, StoredRecord
from brickseat.sets.session import sessions
from brickseat_core.moves import parse

dressed = DressedSet.objects.get()
wren = User.objects.get(username="dresser")
live = sessions.of(dressed)
now = live.snapshot
assert (now.dressed.name, now.dressed.tolerance, now.dressed.settings.trolley) == (
    "Kiln yard, before", 0.0004, ("brick", "crate")
)
assert [p.name for p in now.dressed.pieces.values()] == ["yard floor", "crate 1", "brick 1", "brick 2"]
assert {p.name: f.state for k, f in now.fits.items() for p in [now.dressed.pieces[k]]} == dict.fromkeys(
    ["crate 1", "brick 1", "brick 2"], "seated"
)
spiked = next(p for p in now.dressed.pieces.values() if p.name == "crate 1")
assert spiked.spiked
assert dressed.history.count() == HistoryDeltas.objects.count() == 9
assert dressed.history.filter(undone=True).count() == 2

# On again to the end, all the way back, and on to the end once more.
assert undo(dressed.key, back=False).words.startswith("did again: grouped as")
assert undo(dressed.key, back=False).words == "did again: slid brick 2"
end = live.snapshot.dressed
assert {p.group for p in end.pieces.values()} == {"", "bricks"}
assert not set_at(dressed, 0).pieces
go_to(dressed.key, 0)
assert not live.snapshot.dressed.pieces and not StoredRecord.objects.exists()
go_to(dressed.key, 9)
assert live.snapshot.dressed == end

# And a new move on top, after the session was lost.
sessions.clear()
freed = make_move(dressed.key, wren, lambda live: parse({"kind": "spike", "pieces": [spiked.key], "spiked": False}))
assert freed.can_undo == "freed crate 1"
sessions.clear()
undo(dressed.key, back=True)
assert sessions.of(DressedSet.objects.get()).snapshot.dressed == end
assert list(dressed.dressers.values_list("username", flat=True)) == ["second"]
print("gone on with")
"""


def test_a_database_of_the_version_before_records_is_gone_on_with(tmp_path: Path) -> None:
    shutil.copytree(BEFORE / "props", tmp_path / "props")
    with sqlite3.connect(tmp_path / "brickseat.sqlite3") as made:
        made.executescript((BEFORE / "brickseat.sql").read_text())
    done = subprocess.run(
        [sys.executable, "-W", "error::RuntimeWarning", "-c", GO_ON],
        env={"BRICKSEAT_DATA": str(tmp_path), "PATH": "/usr/bin:/bin", "HOME": str(Path.home())},
        capture_output=True,
        text=True,
        check=False,
        timeout=300,
    )
    assert done.stdout.strip() == "gone on with", done.stderr
