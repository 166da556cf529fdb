"""What stands in the way of starting, or of writing, is said in one line; and what is written is nobody else's to read."""

import errno
import http.client
import os
import re
import socket
import stat
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from running_server import RunningServer, brickseat

from brickseat.serving import free_socket
from brickseat.sets.models import DressedSet
from brickseat.store.models import StoredProp
from brickseat_core.formats.errors import FileError, NotWritten
from brickseat_core.formats.writing import write_whole

OBJ = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n"


def assert_one_line(run: subprocess.CompletedProcess[str], *words: str) -> None:
    assert run.returncode == 2, run.stderr
    assert len(run.stderr.strip().splitlines()) == 1, run.stderr
    for word in words:
        assert word in run.stderr


def test_a_damaged_database_is_reported_and_left_as_it_is(tmp_path: Path) -> None:
    damaged = b"this is no database " * 1000
    (tmp_path / "brickseat.sqlite3").write_bytes(damaged)
    for words in (("serve", "--no-open"), ("user", "list")):
        assert_one_line(brickseat(tmp_path, *words), "brickseat.sqlite3", "cannot be used", "BRICKSEAT_DATA")
    assert (tmp_path / "brickseat.sqlite3").read_bytes() == damaged


def test_a_folder_that_cannot_be_written_is_reported(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("not a folder")
    assert_one_line(brickseat(tmp_path / "file" / "data", "serve", "--no-open"), "cannot be written", "BRICKSEAT_DATA")


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--port", "70000"), "--port"),
        (("--port", "0"), "--port"),
        (("--port", "door"), "--port"),
        (("--host", "192.0.2.1"), "no address of this machine"),
        (("--host", "no.such.name.invalid"), "no address of this machine"),
    ],
)
def test_a_port_or_an_address_that_is_none_is_reported(tmp_path: Path, options: tuple[str, ...], words: str) -> None:
    assert_one_line(brickseat(tmp_path, "serve", "--no-open", *options), words)


def test_the_next_free_port_is_taken_and_none_is_reported() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with free_socket("127.0.0.1", port) as found:
            assert port < found.getsockname()[1] < port + 50
    with socket.socket() as last:
        last.bind(("127.0.0.1", 65535))
        last.listen()
        with pytest.raises(FileError, match="no free port from 65535 to 65535"):
            free_socket("127.0.0.1", 65535)


def test_what_the_server_writes_is_its_owners_only(tmp_path: Path) -> None:
    old = os.umask(0o022)
    try:
        assert brickseat(tmp_path, "user", "add", "ada", given="kiln shelves at noon\n").returncode == 0
    finally:
        os.umask(old)
    files = [path for path in tmp_path.rglob("*") if path.is_file()]
    assert {path.name for path in files} >= {"brickseat.sqlite3", "secret-key"}
    for path in files:
        assert stat.S_IMODE(path.stat().st_mode) & 0o077 == 0, path


def test_what_the_command_line_writes_is_as_the_user_has_it(tmp_path: Path) -> None:
    old = os.umask(0o027)
    try:
        write_whole(tmp_path / "made", b"x")
    finally:
        os.umask(old)
    assert stat.S_IMODE((tmp_path / "made").stat().st_mode) == 0o640
    assert [path.name for path in tmp_path.iterdir()] == ["made"]


def full(*args: Any) -> None:
    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))


def test_a_full_disk_leaves_the_old_file_and_nothing_beside_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "set.glb"
    write_whole(path, b"as it was")
    monkeypatch.setattr("brickseat_core.formats.writing.os.fsync", full)
    with pytest.raises(NotWritten, match="No space left"):
        write_whole(path, b"something new")
    assert path.read_bytes() == b"as it was"
    assert list(tmp_path.iterdir()) == [path]


def test_an_upload_onto_a_full_disk_is_answered_and_the_next_one_goes_on(
    client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    def send() -> Any:
        return client.post("/api/props", {"files": SimpleUploadedFile("leaf.obj", OBJ)})

    with monkeypatch.context() as patched:
        patched.setattr("brickseat_core.formats.writing.os.fsync", full)
        answer = send()
    assert answer.status_code == 507
    assert "no room" in answer.json()["error"]
    assert not StoredProp.objects.filter(name="leaf").exists()
    assert send().status_code == 201


def test_a_database_without_room_changes_nothing_and_goes_on_when_there_is_some(
    transactional_db: None, client: Client, wren: User
) -> None:
    def make(name: str) -> Any:
        return client.post("/api/sets", {"name": name}, content_type="application/json")

    assert make("the first").status_code == 201
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")
        pages = cursor.execute("PRAGMA page_count").fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count={pages}")
        answers = [make(f"{n} {'x' * 190}") for n in range(200)]
        cursor.execute("PRAGMA max_page_count=1073741823")
    refused = [a for a in answers if a.status_code != 201]
    assert refused
    assert {a.status_code for a in refused} == {507}
    assert all("no room" in a.json()["error"] for a in refused)
    assert DressedSet.objects.count() == 1 + len(answers) - len(refused)
    assert make("the last").status_code == 201


def test_django_finds_nothing_to_say_about_a_server_behind_a_proxy(tmp_path: Path) -> None:
    environment = {
        **os.environ, "BRICKSEAT_DATA": str(tmp_path), "BRICKSEAT_BEHIND_PROXY": "1", "DJANGO_SETTINGS_MODULE": "brickseat.settings",
    }  # fmt: skip
    command = [sys.executable, "-m", "django", "check", "--deploy", "--fail-level", "INFO"]
    run = subprocess.run(command, env=environment, capture_output=True, text=True, check=False, timeout=120)
    assert run.returncode == 0, run.stderr
    assert re.search(r"no issues", run.stdout + run.stderr)


def test_a_connection_that_rests_answers_the_next_request(tmp_path: Path) -> None:
    server = RunningServer(tmp_path)
    line = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)
    line.auto_open = 0
    try:
        line.connect()
        # Web servers often close after 5 s, whatever is on its way to them.
        for rest in (6, 0):
            line.request("GET", "/api/sets", headers={"Authorization": f"Bearer {server.token}"})
            answer = line.getresponse()
            assert answer.status == 200
            answer.read()
            time.sleep(rest)
    finally:
        line.close()
        server.stop()
