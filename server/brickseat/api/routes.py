"""The endpoints. A set belongs to its owner; to everybody else it does not exist (404)."""

import uuid
from typing import Any

import numpy as np
from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse
from ninja import File, NinjaAPI, Status, UploadedFile
from ninja.errors import HttpError
from ninja.security import django_auth

from brickseat.accounts.demo_visitor import sign_in_demo
from brickseat.api import schemas
from brickseat.api.errors import NOT_FOUND, Problem, add_handlers
from brickseat.live.session import LiveSet, sessions
from brickseat.live.telling import fit_record, told_record
from brickseat.sets.changing import make_move, undo, undo_words
from brickseat.sets.models import DressedSet
from brickseat.sets.opening import hand_over, open_set
from brickseat.sets.records import piece_record, pose_of
from brickseat.store.models import StoredProp
from brickseat.store.shelving import light_file
from brickseat_core.contact.section import section
from brickseat_core.formats.errors import FileError
from brickseat_core.placing import moves
from brickseat_core.placing.moves import Move, MoveRefused

api = NinjaAPI(title="Brick Seat", version="1", docs_url=None, auth=django_auth, urls_namespace="api")
add_handlers(api)
PROBLEMS: Any = {400: Problem, 401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem}
LARGEST_UPLOAD = 200 * 1024 * 1024
FEELER_LEAST = 0.01


def user_of(request: HttpRequest) -> User:
    user = request.user
    assert user.is_authenticated  # the API's auth has seen to it
    return user


def own_set(request: HttpRequest, key: uuid.UUID) -> DressedSet:
    found = DressedSet.objects.filter(key=key, owner_id=user_of(request).pk).first()
    if found is None:
        raise HttpError(404, NOT_FOUND)
    return found


def visible_props(request: HttpRequest) -> Any:
    return StoredProp.objects.filter(Q(owner=None) | Q(owner_id=user_of(request).pk))


def prop_record(prop: StoredProp) -> dict[str, Any]:
    names = (
        "key",
        "name",
        "category",
        "role",
        "direction",
        "width",
        "height",
        "depth",
        "volume",
        "triangles",
        "listed",
    )
    return {**{n: getattr(prop, n) for n in names}, "file": f"/api/props/{prop.key}/{prop.digest[:16]}.glb"}


@api.get("/visitor", response={200: schemas.VisitorSchema, **PROBLEMS}, auth=None)
def visitor(request: HttpRequest) -> Any:
    """Who is signed in. The demo signs its local visitor in here."""
    user = request.user if request.user.is_authenticated else sign_in_demo(request)
    if user is None:
        raise HttpError(401, "sign in first")
    name = getattr(user, "get_full_name", str)() or user.get_username()
    return {"name": name, "demo": settings.DEMO}


@api.post("/sign-in", response={200: schemas.VisitorSchema, **PROBLEMS}, auth=None)
def sign_in(request: HttpRequest, given: schemas.Credentials) -> Any:
    user = authenticate(request, username=given.username, password=given.password)
    if user is None:
        raise HttpError(401, "that name and password do not belong together; try again")
    login(request, user)
    return {"name": user.get_full_name() or user.get_username(), "demo": settings.DEMO}


@api.post("/sign-out", response={204: None, **PROBLEMS})
def sign_out(request: HttpRequest) -> Any:
    logout(request)
    return Status(204, None)


@api.get("/props", response={200: list[schemas.PropSchema], **PROBLEMS})
def props(request: HttpRequest) -> Any:
    """Every prop of the store that can be set down."""
    return [prop_record(p) for p in visible_props(request).filter(listed=True, role="prop")]


@api.get("/props/{key}/{digest}.glb", response={200: None, **PROBLEMS})
def prop_file(request: HttpRequest, key: str, digest: str, light: bool = False) -> Any:
    """The prop's file. Its address changes with its contents, so it may be kept for ever.

    ``light``: a copy with fewer triangles, for display only.
    """
    prop = visible_props(request).filter(key=key).first()
    if prop is None or prop.digest[:16] != digest or not prop.path.is_file():
        raise HttpError(404, NOT_FOUND)
    return HttpResponse(
        (light_file(prop) if light else prop.path).read_bytes(),
        content_type="model/gltf-binary",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )


@api.get("/sets", response={200: list[schemas.SetCard], **PROBLEMS})
def sets(request: HttpRequest) -> Any:
    found = DressedSet.objects.filter(owner_id=user_of(request).pk).annotate(
        standing=Count("pieces", filter=Q(pieces__role="prop"))
    )
    return [card_of(s, s.standing) for s in found]


def card_of(dressed: DressedSet, standing: int) -> dict[str, Any]:
    names = ("key", "name", "counts", "plan", "changed")
    return {**{n: getattr(dressed, n) for n in names}, "pieces": standing}


@api.get("/sets/{uuid:key}", response={200: schemas.SetSchema, **PROBLEMS})
def one_set(request: HttpRequest, key: uuid.UUID) -> Any:
    """A whole set: its pieces, the props they are copies of, and the fit of each."""
    dressed = own_set(request, key)
    live = sessions.of(dressed)
    back, again = undo_words(dressed)
    with live.lock:
        pieces = [piece_record(p) for p in live.index.pieces.values()]
        fits = [fit_record(f) for f in live.fits.values()]
        revision = live.revision
    used = {p["prop"] for p in pieces}
    return {
        "key": dressed.key,
        "name": dressed.name,
        "tolerance": dressed.tolerance,
        "revision": revision,
        "look": dressed.look or None,
        "pieces": pieces,
        "fits": fits,
        "props": [prop_record(p) for p in StoredProp.objects.filter(key__in=used)],
        "can_undo": back,
        "can_redo": again,
    }


@api.get("/sets/{uuid:key}/history", response={200: list[schemas.HistorySchema], **PROBLEMS})
def history(request: HttpRequest, key: uuid.UUID) -> Any:
    """The latest two hundred changes in words, newest first."""
    entries = own_set(request, key).history.select_related("actor").order_by("-number")[:200]
    return [
        {
            "number": e.number,
            "words": e.words,
            "at": e.at,
            "undone": e.undone,
            "actor": e.actor and e.actor.get_username(),
        }
        for e in entries
    ]


def core_move(request: HttpRequest, asked: Any, live: LiveSet) -> Move:
    """The core's command for a request. Raises MoveRefused."""
    match asked:
        case schemas.SetDownMove():
            stored = visible_props(request).filter(key=asked.prop).first()
            if stored is None:
                raise MoveRefused("that prop is not in the store; choose another")
            return moves.SetDown(
                uuid.uuid4().hex,
                live.prop(asked.prop),
                pose_from(asked.pose),
                unit(asked.direction),
                asked.sink,
                asked.stand_off,
            )
        case schemas.PlaceMove():
            direction = unit(asked.direction) if asked.direction else None
            return moves.Place(asked.key, pose_from(asked.pose), direction, asked.reseat)
        case schemas.SlideMove():
            return moves.Slide(tuple(asked.keys), asked.by)
        case schemas.PushMove():
            return moves.Push(tuple(asked.keys), asked.by)
        case schemas.TurnMove():
            return moves.Turn(tuple(asked.keys), asked.angle)
        case schemas.SizeMove():
            return moves.Size(tuple(asked.keys), asked.factor)
        case schemas.BedMove():
            return moves.Bed(tuple(asked.keys), asked.sink)
        case schemas.RestMove():
            return moves.Rest(tuple(asked.keys))
        case schemas.SeatMove():
            return moves.Seat(tuple(asked.keys))
        case schemas.SpikeMove():
            return moves.Spike(tuple(asked.keys), asked.spiked)
        case schemas.CopyMove():
            return moves.Copy(tuple(asked.keys), tuple(uuid.uuid4().hex for _ in asked.keys), asked.by)
        case schemas.RemoveMove():
            return moves.Remove(tuple(asked.keys))
        case schemas.RepairMove():
            return moves.Mend(tuple(asked.keys) if asked.keys is not None else None)
    raise MoveRefused("that move is not known")


def unit(direction: tuple[float, float, float]) -> tuple[float, float, float]:
    length = float(np.linalg.norm(direction))
    if length < 1e-9:
        raise MoveRefused("the direction has no length; give one like [0, -1, 0]")
    x, y, z = (float(v) / length for v in direction)
    return (x, y, z)


def pose_from(asked: schemas.PoseSchema) -> Any:
    if float(np.linalg.norm(asked.orientation)) < 1e-9 or min(abs(s) for s in asked.scale) < 1e-6:
        raise MoveRefused("the pose has no orientation or no size; give a quaternion and a scale")
    return pose_of({"position": asked.position, "orientation": asked.orientation, "scale": asked.scale})


@api.post("/sets/{uuid:key}/moves", response={200: schemas.ChangeSchema, **PROBLEMS})
def move(request: HttpRequest, key: uuid.UUID, asked: schemas.MoveRequest) -> Any:
    """Change the set. The change is stored, undoable, and sent to every open stage."""
    dressed = own_set(request, key)
    return told_record(make_move(dressed.key, user_of(request), lambda live: core_move(request, asked.move, live)))


@api.post("/sets/{uuid:key}/undo", response={200: schemas.ChangeSchema, **PROBLEMS})
def undo_last(request: HttpRequest, key: uuid.UUID) -> Any:
    return told_record(undo(own_set(request, key).key, back=True))


@api.post("/sets/{uuid:key}/redo", response={200: schemas.ChangeSchema, **PROBLEMS})
def redo_next(request: HttpRequest, key: uuid.UUID) -> Any:
    return told_record(undo(own_set(request, key).key, back=False))


@api.get("/sets/{uuid:key}/feeler/{piece}", response={200: schemas.FeelerSchema, **PROBLEMS})
def feeler(request: HttpRequest, key: uuid.UUID, piece: str) -> Any:
    """The magnified side view of a piece's worst contact."""
    live = sessions.of(own_set(request, key))
    with live.lock:
        found, fit = live.index.pieces.get(piece), live.fits.get(piece)
        if found is None or fit is None:
            raise HttpError(404, "that piece is no longer on the set; somebody took it away")
        lo, hi = found.world_box()
        clash = fit.clashes[0] if fit.clashes else None
        at = np.array(clash.point if clash else fit.touch or (0.5 * (lo + hi)) * [1, 0, 1] + [0, lo[1], 0])
        half = feeler_window(fit.gap, fit.depth, float(np.hypot(hi[0] - lo[0], hi[2] - lo[2])))
        if not clash and fit.gap:
            at = at - np.array(found.direction) * -0.5 * fit.gap
        others = [clash.other] if clash else list(fit.rests_on[:3])
        cut = section(live.index, found, [k for k in others if k in live.index.pieces], at, half)
    return {
        "at": tuple(cut.at),
        "azimuth": cut.azimuth,
        "half": cut.half,
        "piece": {"key": piece, "segments": cut.piece.tolist()},
        "others": [{"key": k, "segments": s.tolist()} for k, s in cut.others.items()],
        "gap": fit.gap,
        "depth": fit.depth,
    }


def feeler_window(gap: float | None, depth: float, width: float) -> float:
    """Half the width shown: the whole foot of a piece that sits, closer in on a fault."""
    fault = max(gap or 0.0, depth)
    return max(FEELER_LEAST, 2.2 * fault, 0.62 * width if fault < 2e-4 else 0.34 * width)


@api.get("/sets/{uuid:key}/hand-over.glb", response={200: None, **PROBLEMS})
def hand_over_glb(request: HttpRequest, key: uuid.UUID) -> Any:
    dressed = own_set(request, key)
    name = "".join(c if c.isalnum() or c in " -_" else "_" for c in dressed.name).strip() or "set"
    response = HttpResponse(hand_over(dressed), content_type="model/gltf-binary")
    response["Content-Disposition"] = f'attachment; filename="{name.encode("ascii", "replace").decode()}.glb"'
    return response


@api.post("/sets/open", response={201: schemas.SetCard, **PROBLEMS})
def open_file(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """A new set from a .glb or .gltf file."""
    if file.size is not None and file.size > LARGEST_UPLOAD:
        raise FileError(f"the file is larger than {LARGEST_UPLOAD // 1024 // 1024} MB; export it in parts")
    name = (file.name or "opened set").rsplit(".", 1)[0]
    made = open_set(file.read(), name, user_of(request))
    return Status(201, card_of(made, made.pieces.filter(role="prop").count()))


@api.delete("/sets/{uuid:key}", response={204: None, **PROBLEMS})
def delete_set(request: HttpRequest, key: uuid.UUID) -> Any:
    dressed = own_set(request, key)
    sessions.drop(dressed.key)
    dressed.delete()
    return Status(204, None)
