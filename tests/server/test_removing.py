"""The files of a prop go when it is deleted, unless another prop is made of them."""

from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from brickseat.sets.models import DressedSet
from brickseat.store import importing, shelving
from brickseat.store.contact import kept_shape
from brickseat.store.importing import import_prop, pose_prop
from brickseat.store.models import StoredProp, file_of
from brickseat.store.shelving import light_file, shelve
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.geometry.cube import cube

pytestmark = pytest.mark.django_db
Safe = Callable[..., AbstractContextManager[Any]]


def obj_of(scale: float) -> bytes:
    """A cube of so many metres as OBJ."""
    corners = b"".join(b"v %g %g %g\n" % tuple(corner * scale) for corner in cube().vertices)
    return corners + b"".join(b"f %d %d %d\n" % tuple(face + 1) for face in cube().faces)


CRATE = [("crate.obj", obj_of(0.5)), ("notes.txt", b"from the yard")]


def kept() -> set[str]:
    """All files of props, below the data folder."""
    data = Path(settings.DATA)
    return {str(p.relative_to(data)) for folder in ("props", "originals") for p in (data / folder).rglob("*.*")}


def deleted(client: Client, prop: StoredProp, safe: Safe) -> None:
    with safe(execute=True):
        assert client.delete(f"/api/props/{prop.key}").status_code == 204


def test_model_copies_shapes_and_what_was_sent_go_with_the_prop(
    client: Client, wren: User, crate: StoredProp, django_capture_on_commit_callbacks: Safe
) -> None:
    before = kept()
    made = import_prop(CRATE, wren)
    light_file(made)
    kept_shape(made, None)
    assert len(kept() - before) == 5
    deleted(client, made, django_capture_on_commit_callbacks)
    assert kept() == before
    assert crate.path.is_file()


def test_files_stay_until_the_last_prop_of_the_same_contents_is_gone(
    client: Client, wren: User, django_capture_on_commit_callbacks: Safe
) -> None:
    first, second = import_prop(CRATE, wren), import_prop(CRATE, wren)
    whole = kept()
    deleted(client, first, django_capture_on_commit_callbacks)
    assert kept() == whole
    deleted(client, second, django_capture_on_commit_callbacks)
    assert kept() == set()


def test_what_was_sent_stays_for_the_poses_made_from_it(
    client: Client, wren: User, django_capture_on_commit_callbacks: Safe
) -> None:
    made = import_prop(CRATE, wren)
    pose = pose_prop(made, "as it is", (), wren)
    deleted(client, made, django_capture_on_commit_callbacks)
    assert (Path(settings.DATA) / pose.original).is_file()
    assert pose.path.is_file()


def test_a_model_stays_as_the_original_of_a_pose(
    client: Client, wren: User, crate: StoredProp, django_capture_on_commit_callbacks: Safe
) -> None:
    StoredProp.objects.filter(pk=crate.pk).update(owner=wren)
    crate.refresh_from_db()
    pose = pose_prop(crate, "as it is", (), wren)
    other = GltfDocument.open(pose.path)
    other.json["asset"]["copyright"] = "so that its file is another one"
    shelve(pose.key, pose.name, other, owner=wren)
    deleted(client, crate, django_capture_on_commit_callbacks)
    assert crate.path.is_file()
    with django_capture_on_commit_callbacks(execute=True):
        StoredProp.objects.get(key=pose.key).delete()
    assert not crate.path.exists()


def test_what_a_history_names_keeps_its_files_until_the_set_is_gone(
    client: Client, wren: User, dressed: DressedSet, move: Callable[..., Any], django_capture_on_commit_callbacks: Safe
) -> None:
    made = import_prop(CRATE, wren)
    pose = {"position": [0, 0.25, 3], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    stood = move(kind="set_down", prop=made.key, pose=pose)
    (key,) = (delta["key"] for delta in stood["deltas"] if delta["kind"] == "piece")
    move(kind="remove", pieces=[key])
    deleted(client, made, django_capture_on_commit_callbacks)
    assert made.path.is_file()
    with django_capture_on_commit_callbacks(execute=True):
        assert client.delete(f"/api/sets/{dressed.key}").status_code == 204
    assert not made.path.exists()
    assert not (Path(settings.DATA) / made.original).exists()


def test_what_a_dresser_kept_goes_with_the_dresser(
    other: User, crate: StoredProp, django_capture_on_commit_callbacks: Safe
) -> None:
    before = kept()
    import_prop(CRATE, other)
    assert kept() != before
    with django_capture_on_commit_callbacks(execute=True):
        other.delete()
    assert kept() == before


def test_nothing_is_removed_when_the_deletion_is_taken_back(
    wren: User, django_capture_on_commit_callbacks: Safe
) -> None:
    made = import_prop(CRATE, wren)
    whole = kept()
    with django_capture_on_commit_callbacks(execute=False) as waiting:
        made.delete()
        assert kept() == whole
    assert len(waiting) == 2


def test_files_that_were_deleted_while_the_same_came_in_are_written_again(
    wren: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between the look whether a file is there and the row that names it, another prop of the same file may be deleted."""
    shelved, update = shelving.shelve, StoredProp.objects.update_or_create

    def unlinked_first(**given: Any) -> Any:
        file_of(given["defaults"]["digest"]).unlink()
        return update(**given)

    monkeypatch.setattr(StoredProp.objects, "update_or_create", unlinked_first)

    def without_original(*given: Any, **named: Any) -> StoredProp:
        for path in (Path(settings.DATA) / "originals").rglob("*.*"):
            path.unlink()
        return shelved(*given, **named)

    monkeypatch.setattr(importing, "shelve", without_original)
    made = import_prop(CRATE, wren)
    assert made.path.is_file()
    assert {p.name for p in (Path(settings.DATA) / made.original).parent.iterdir()} == {"crate.obj", "notes.txt"}


def test_a_refused_upload_leaves_the_files_of_those_that_share_them(client: Client, wren: User) -> None:
    made = import_prop(CRATE, wren)
    whole = kept()
    bad = SimpleUploadedFile("bad.obj", b"f 1 2 3\n")
    assert client.post("/api/props", {"files": [bad]}).status_code == 422
    assert kept() == whole
    assert made.path.is_file()


def test_what_a_prop_was_before_it_was_made_anew_goes(
    client: Client, wren: User, django_capture_on_commit_callbacks: Safe
) -> None:
    made = import_prop(CRATE, wren)
    before, model = kept(), made.path
    with django_capture_on_commit_callbacks(execute=True):
        answer = client.patch(f"/api/props/{made.key}", {"unit": "cm"}, content_type="application/json")
        assert answer.status_code == 200, answer.content
    made.refresh_from_db()
    assert not model.exists()
    assert made.path.exists()
    assert len(kept()) == len(before), "no more than there was"
