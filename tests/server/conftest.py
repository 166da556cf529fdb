"""Two dressers, a small store, and a small set of the first one."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from pytest_django import Settings

from brickseat.jobs.keeping import jobs
from brickseat.sets.models import DressedSet
from brickseat.sets.opening import save_set
from brickseat.sets.session import sessions
from brickseat.store.models import StoredProp
from brickseat.store.shelving import prop_of, shelve
from brickseat_core.formats.apart import keep_kernels_loaded
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube
from brickseat_core.scene import Piece, Pose, Set

keep_kernels_loaded()


@pytest.fixture(autouse=True)
def own_data(settings: Settings, tmp_path: Path) -> Iterator[None]:
    settings.DATA = tmp_path
    # Real hashing takes a second for each of the two dressers of each test.
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    sessions.clear()
    yield
    sessions.clear()
    jobs.clear()


@pytest.fixture
def wren(db: None) -> User:
    """Keeps the store, too: changes the props that belong to everybody."""
    return User.objects.create_user("wren", password="a dresser's password", is_staff=True)


@pytest.fixture
def other(db: None) -> User:
    return User.objects.create_user("somebody else", password="another password")


@pytest.fixture
def as_user() -> Callable[[User], Client]:
    def signed_in(user: User) -> Client:
        client = Client()
        client.force_login(user)
        return client

    return signed_in


@pytest.fixture
def client(wren: User, as_user: Callable[[User], Client]) -> Client:
    return as_user(wren)


@pytest.fixture
def crate(db: None) -> StoredProp:
    grey = Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices * 0.5, cube().faces)
    return shelve("crate", "crate", prop_document("crate", [grey]), category="furniture")


@pytest.fixture
def dressed(wren: User, crate: StoredProp) -> DressedSet:
    """A floor (6 m), one crate that sits, one that floats by 50 mm, one spiked that is sunk."""
    prop = prop_of(crate)
    pieces = [
        Piece("floor", "floor", prop, Pose.from_parts((0, -0.25, 0), (0, 0, 0, 1), (12.5, 1, 12.5)), "bearer"),
        Piece("sits", "crate 1", prop, Pose((0.0, 0.25, 0.0))),
        Piece("floats", "crate 2", prop, Pose((1.0, 0.3, 0.0))),
        Piece("spiked", "crate 3", prop, Pose((2.0, 0.24, 0.0)), spiked=True),
    ]
    made = DressedSet.objects.create(owner=wren, name="Test yard")
    save_set(made, Set.of("Test yard", pieces))
    return made


@pytest.fixture
def move(client: Client, dressed: DressedSet) -> Callable[..., Any]:
    def made(expect: int = 200, **asked: Any) -> Any:
        answer = client.post(f"/api/sets/{dressed.key}/moves", {"move": asked}, content_type="application/json")
        assert answer.status_code == expect, answer.content
        return answer.json()

    return made
