"""Accounts: made from the command line, tokens for pipelines, and wrong passwords that are counted."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.cache import cache
from django.test import Client

from brickseat.accounts.models import AccessToken
from brickseat.accounts.throttle import MOST_FAILED
from brickseat.sets.models import DressedSet

PASSWORD = "kiln shelves at noon"


def brickseat(data: Path, *words: str, said: str = "") -> subprocess.CompletedProcess[str]:
    command = [str(Path(sys.executable).with_name("brickseat")), "user", *words]
    env = {**os.environ, "BRICKSEAT_DATA": str(data)}
    return subprocess.run(command, input=said, capture_output=True, text=True, env=env, timeout=120, check=False)


def test_accounts_from_the_command_line(tmp_path: Path) -> None:
    made = brickseat(tmp_path, "add", "ada", said=f"{PASSWORD}\n")
    assert (made.returncode, made.stdout) == (0, ""), made.stderr
    assert "made the account ada" in made.stderr
    assert brickseat(tmp_path, "list").stdout == "ada\tactive\n"
    assert brickseat(tmp_path, "add", "bo", "--keeps-store", said=f"{PASSWORD}\n").returncode == 0
    assert brickseat(tmp_path, "list").stdout == "ada\tactive\nbo\tactive\tkeeps the store\n"
    token = brickseat(tmp_path, "token", "ada").stdout.strip()
    assert len(token) > 30
    assert brickseat(tmp_path, "list").stdout.startswith("ada\tactive\ttoken\n")
    assert token.encode() not in (tmp_path / "brickseat.sqlite3").read_bytes()
    assert PASSWORD.encode() not in (tmp_path / "brickseat.sqlite3").read_bytes()
    assert brickseat(tmp_path, "password", "ada", said="another long password\n").returncode == 0
    for words, said, why in (
        (("add", "ada"), PASSWORD, "there is an account named 'ada' already"),
        (("add", "a b"), PASSWORD, "is no name for an account"),
        (("add", "eve"), "short", "not good enough"),
        (("add", "eve"), "", "not good enough"),
        (("token", "eve"), "", "there is no account named 'eve'"),
        (("password", "eve"), PASSWORD, "there is no account named 'eve'"),
    ):
        wrong = brickseat(tmp_path, *words, said=f"{said}\n")
        assert wrong.returncode == 2
        assert why in wrong.stderr
        assert wrong.stderr.count("\n") == 1
    assert brickseat(tmp_path, "list").stdout.startswith("ada\tactive\ttoken\n")


@pytest.mark.django_db
def test_a_token_does_what_its_user_may_do_and_nothing_more(wren: User, other: User, dressed: DressedSet) -> None:
    client = Client(enforce_csrf_checks=True)
    token = AccessToken.make(wren)
    mine = {"HTTP_AUTHORIZATION": f"Bearer {token}"}
    path = f"/api/sets/{dressed.key}"
    assert client.get(path).status_code == 401
    assert client.get(path, **mine).json()["name"] == "Test yard"  # type: ignore[arg-type]
    move = {"move": {"kind": "rename", "piece": "sits", "name": "first crate"}}
    made = client.post(f"{path}/moves", move, content_type="application/json", **mine)  # type: ignore[arg-type]
    assert made.status_code == 200, made.content
    theirs = {"HTTP_AUTHORIZATION": f"Bearer {AccessToken.make(other)}"}
    assert client.get(path, **theirs).status_code == 404  # type: ignore[arg-type]
    for wrong in ("", "Bearer ", f"Bearer {token}x", f"Basic {token}", token):
        assert client.get(path, HTTP_AUTHORIZATION=wrong).status_code == 401
    assert client.get(f"{path}?token={token}").status_code == 401
    # A new one makes the old one worthless, and so does closing the account.
    again = {"HTTP_AUTHORIZATION": f"Bearer {AccessToken.make(wren)}"}
    assert client.get(path, **mine).status_code == 401  # type: ignore[arg-type]
    assert client.get(path, **again).status_code == 200  # type: ignore[arg-type]
    User.objects.filter(pk=wren.pk).update(is_active=False)
    assert client.get(path, **again).status_code == 401  # type: ignore[arg-type]


def sign_in(client: Client, password: str, name: str = "wren", address: str = "10.0.0.7") -> int:
    body = {"username": name, "password": password}
    answer = client.post("/api/sign-in", body, content_type="application/json", REMOTE_ADDR=address)
    return answer.status_code


@pytest.mark.django_db
def test_wrong_passwords_are_counted(wren: User, other: User) -> None:
    cache.clear()
    client = Client()
    assert sign_in(client, "a dresser's password") == 200
    for _ in range(MOST_FAILED - 1):
        assert sign_in(client, "wrong") == 401
    # The right one in between begins the count anew.
    assert sign_in(client, "a dresser's password") == 200
    for _ in range(MOST_FAILED):
        assert sign_in(client, "wrong") == 401
    assert sign_in(client, "a dresser's password") == 429
    assert sign_in(client, "a dresser's password", "WREN") == 429
    # From elsewhere, and for others, nothing is in the way.
    assert sign_in(client, "a dresser's password", address="10.0.0.8") == 200
    assert sign_in(client, "another password", "somebody else") == 200
    cache.clear()


@pytest.mark.django_db
def test_a_form_of_another_page_signs_nobody_in(wren: User) -> None:
    body = '{"username": "wren", "password": "a dresser\'s password"}'
    answer = Client().post("/api/sign-in", body, content_type="text/plain")
    assert answer.status_code == 422
    assert "sign in with JSON" in answer.json()["error"]


@pytest.mark.django_db
def test_a_session_has_a_new_key_once_somebody_signed_in() -> None:
    User.objects.create_user("ada", password=PASSWORD)
    client = Client()
    session = client.session
    session["before"] = True
    session.save()
    client.cookies["sessionid"] = before = str(session.session_key)
    answer = client.post("/api/sign-in", {"username": "ada", "password": PASSWORD}, content_type="application/json")
    assert answer.status_code == 200
    assert client.cookies["sessionid"].value not in ("", before)
    assert Client(headers={"Cookie": f"sessionid={before}"}).get("/api/sets").status_code == 401
