"""The endpoints of sets: what stands on them, how it fits, what was done, and moves."""

import uuid
from typing import Annotated, Any

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router, Status, UploadedFile
from ninja.errors import HttpError
from pydantic import Field

from brickseat.api import schemas
from brickseat.api.access import LARGEST_UPLOAD, PROBLEMS, open_set_of, own_set, user_of, visible_props
from brickseat.api.answers import Page, PageAsked, compressed, file_of, json_answer, page_of
from brickseat.api.errors import NOT_FOUND
from brickseat.api.prop_routes import FOREVER, GLB, prop_records
from brickseat.jobs.keeping import jobs
from brickseat.sets import schemas as set_schemas
from brickseat.sets.changing import Asking, go_to, make_move, set_at, undo, undo_words
from brickseat.sets.models import DressedSet
from brickseat.sets.news import ChangeNews, end_for, end_of_set, measure_records, news_record, shape_files
from brickseat.sets.opening import hand_over, open_set
from brickseat.sets.picture import keep_picture, path_of
from brickseat.sets.rights import visible_among
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.shapes import shape_data
from brickseat.sets.storing import drop_unnamed_props
from brickseat.sets.under_way import moves_under_way
from brickseat.store.facts import chalked_model, stored_painting
from brickseat.store.importing import limb_of, posed
from brickseat.store.models import StoredProp
from brickseat.store.volumes import PAPER_BOX, paper_box
from brickseat_core.budget import Budget, GivenUp
from brickseat_core.contact.section import section
from brickseat_core.fit.encoding import encode_fit, encode_verdict
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.making import ask_about_groups_apart
from brickseat_core.moves import MoveRefused
from brickseat_core.moves.fields import unit_vector
from brickseat_core.moves.pose import PoseMove
from brickseat_core.proposals.fill.compartment import NoCompartment, compartment_at
from brickseat_core.proposals.scatter.dots import dots_of
from brickseat_core.proposals.scatter.weights import chalk_weight
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.records import recipe_of
from brickseat_core.recipes.scatter_schema import BadRecipe, checked
from brickseat_core.scene import Prop, Vec
from brickseat_core.scene.encoding import encode, encode_pose

router = Router(tags=["sets"])
FEELER_LEAST = 0.01


class HistoryPage(Page):
    """As Page, but shorter where nothing is said of it."""

    limit: Annotated[int, Field(ge=1, le=10_000)] = 200


DOTS_SECONDS = 5.0
"""Dots that take longer are given up: the points that were found by then are kept, and the next question goes on from there."""


def attachment(name: str) -> str:
    """The header of a GLB file that is saved under the name of something."""
    safe = "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip() or "set"
    return f'attachment; filename="{safe.encode("ascii", "replace").decode()}.glb"'


@router.get("/sets", response={200: list[schemas.SetCard], **PROBLEMS})
def list_sets(request: HttpRequest, response: HttpResponse, page: PageAsked) -> Any:
    """The cards of all sets that the visitor may dress."""
    user = user_of(request)
    found = DressedSet.open_to(user.pk).select_related("owner")
    cards = [card_of(s, user) for s in page_of(found, page, response)]
    answer = json_answer(cards)
    answer["X-Total"] = response["X-Total"]
    return compressed(request, answer)


def asking_of(request: HttpRequest) -> Asking:
    """How a change is asked for, by its headers. Raises HttpError."""
    headers = request.headers
    named = headers.get("If-Match", "").strip().removeprefix("W/").strip('"')
    if named not in ("", "*") and not (named.isdecimal() and len(named) < 12):
        raise HttpError(422, "If-Match: the revision of the set, as its ETag says it")
    once = headers.get("Idempotency-Key", "").strip()
    if len(once) > 64:
        raise HttpError(422, "Idempotency-Key: at most 64 characters")
    revision = int(named) if named.isdecimal() else None
    return Asking(headers.get("X-Stage", "")[:64], headers.get("X-Ask", "")[:64], once, revision)


def changed(news: ChangeNews) -> HttpResponse:
    """What a change did, with the revision that it led to."""
    answer = json_answer(news_record(news))
    answer["ETag"] = f'"{news.revision}"'
    return answer


def card_of(dressed: DressedSet, user: User) -> dict[str, Any]:
    """What the home page shows of a set, as JSON values."""
    names = ("key", "name", "counts", "plan", "changed")
    owner = None if dressed.owner_id == user.pk else dressed.owner.get_full_name() or dressed.owner.get_username()
    picture = f"/api/sets/{dressed.key}/picture.jpg?is={dressed.picture}" if dressed.picture else None
    own = {n: getattr(dressed, n) for n in names}
    if picture:
        # It is shown in place of the plan, which is long.
        own["plan"] = []
    return {**own, "pieces": sum(dressed.counts.values()), "owner": owner, "picture": picture}


@router.post("/sets", response={201: schemas.SetCard, **PROBLEMS})
def make_set(request: HttpRequest, given: schemas.NewSet) -> Any:
    """An empty set."""
    made = DressedSet.objects.create(owner=user_of(request), name=given.name.strip() or "new set")
    return Status(201, card_of(made, user_of(request)))


@router.patch("/sets/{uuid:key}", response={204: None, **PROBLEMS})
def keep_look(request: HttpRequest, key: uuid.UUID, given: schemas.SetLook) -> Any:
    """Where it is looked at from when it is opened. Not part of the set, nor of its history."""
    open_set_of(request, key)
    DressedSet.objects.filter(key=key).update(look=given.look.dict())
    return Status(204, None)


@router.put("/sets/{uuid:key}/picture", response={204: None, **PROBLEMS})
def put_picture(request: HttpRequest, key: uuid.UUID, given: schemas.SetPicture) -> Any:
    """The picture on its card, drawn by a stage. Not part of the set, nor of its history. Raises FileError."""
    keep_picture(open_set_of(request, key), given.picture)
    return Status(204, None)


@router.get("/sets/{uuid:key}/picture.jpg", response={200: None, **PROBLEMS}, openapi_extra=file_of("image/jpeg"))
def get_picture(request: HttpRequest, key: uuid.UUID) -> Any:
    """The picture on its card. Raises HttpError."""
    path = path_of(open_set_of(request, key).key)
    if not path.exists():
        raise HttpError(404, "no picture of this set was drawn yet")
    return HttpResponse(
        path.read_bytes(), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000"}
    )


@router.post("/sets/{uuid:key}/dressers", response={204: None, **PROBLEMS})
def share_set(request: HttpRequest, key: uuid.UUID, given: schemas.Dresser) -> Any:
    """Let somebody else dress this set too. Raises HttpError."""
    dressed = own_set(request, key)
    other = User.objects.filter(username=given.username, is_active=True).first()
    if other is None or other == dressed.owner:
        raise HttpError(422, f"nobody else here is called “{given.username}”; ask them for the name they sign in with")
    dressed.dressers.add(other)
    return Status(204, None)


@router.delete("/sets/{uuid:key}/dressers/{username}", response={204: None, **PROBLEMS})
def unshare_set(request: HttpRequest, key: uuid.UUID, username: str) -> Any:
    """Take the set away from somebody; their open stages of it are closed at once. Raises HttpError."""
    dressed = own_set(request, key)
    leaving = list(dressed.dressers.filter(username=username))
    dressed.dressers.remove(*leaving)
    for dresser in leaving:
        end_for(dresser.pk, dressed.key)
    return Status(204, None)


@router.get("/sets/{uuid:key}", response={200: schemas.SetSchema, **PROBLEMS})
def get_set(request: HttpRequest, key: uuid.UUID) -> Any:
    """A whole set: its pieces, the props they are copies of, and the fit of each."""
    dressed = open_set_of(request, key)
    live = sessions.of(dressed)
    back, again = undo_words(dressed)
    now = live.snapshot
    found = now.dressed
    pieces = [encode(p) for p in found.pieces.values()]
    regions = [encode(r) for r in found.regions.values()]
    used = {record["prop"] for record in (*pieces, *regions)}
    answer = {
        "key": dressed.key,
        "name": found.name,
        "tolerance": found.tolerance,
        "trolley": list(found.settings.trolley),
        "dressers": [d.get_username() for d in dressed.dressers.all()],
        "own": dressed.owner_id == user_of(request).pk,
        "revision": now.revision,
        "look": dressed.look or None,
        "pieces": pieces,
        "regions": regions,
        "ties": [encode(t) for t in found.ties.values()],
        "recipes": [encode(r) for r in found.recipes.values()],
        "cut_outs": [encode(c) for c in found.cut_outs.values()],
        "prop_changes": [encode(c) for c in found.props.values()],
        "fits": [encode_verdict(f) for f in now.fits.values()],
        "measures": measure_records(now),
        "shapes": shape_files(dressed.key, now),
        "props": prop_records(StoredProp.objects.filter(key__in=used), user_of(request)),
        "can_undo": back,
        "can_redo": again,
    }
    whole = json_answer(answer)
    whole["ETag"] = f'"{now.revision}"'
    return compressed(request, whole)


@router.get("/sets/{uuid:key}/props", response={200: list[schemas.PropSchema], **PROBLEMS})
def list_set_props(request: HttpRequest, key: uuid.UUID, asked: Query[schemas.KeysAsked]) -> Any:
    """Props by key, which stand on the set, or did, or may be set down there; those of other keys are passed over."""
    user, dressed = user_of(request), open_set_of(request, key)
    return prop_records(visible_among(user.pk, dressed, asked.keys), user)


@router.get(
    "/sets/{uuid:key}/shapes/{piece}/{digest}.glb", response={200: None, **PROBLEMS}, openapi_extra=file_of(GLB)
)
def get_shape_file(request: HttpRequest, key: uuid.UUID, piece: str, digest: str) -> Any:
    """The model of a piece that something is cut into, as it is now or as a preview just showed it. Raises HttpError."""
    live = sessions.of(open_set_of(request, key))
    data = shape_data(live, piece, digest)
    if data is None:
        raise HttpError(404, NOT_FOUND)
    return HttpResponse(data, content_type="model/gltf-binary", headers={"Cache-Control": FOREVER})


@router.get("/sets/{uuid:key}/history", response={200: list[schemas.HistorySchema], **PROBLEMS})
def list_history(request: HttpRequest, response: HttpResponse, key: uuid.UUID, page: Query[HistoryPage]) -> Any:
    """The changes in words, newest first."""
    entries = open_set_of(request, key).history.select_related("actor").order_by("-number")
    return [
        {
            "number": e.number,
            "words": e.words,
            "at": e.at,
            "undone": e.undone,
            "elsewhere": e.elsewhere,
            "actor": e.actor and e.actor.get_username(),
        }
        for e in page_of(entries, page, response)
    ]


@router.post("/sets/{uuid:key}/moves", response={200: set_schemas.ChangeSchema, **PROBLEMS}, operation_id="make_move")
def move(request: HttpRequest, key: uuid.UUID, asked: set_schemas.MoveRequest) -> Any:
    """Change the set. The change is stored, undoable, and sent to every open stage. Raises MoveRefused."""
    dressed = open_set_of(request, key)
    props = visible_props(request, dressed)

    def find_prop(live: LiveSet, wanted: str) -> Prop:
        if wanted == PAPER_BOX:
            paper_box()
        if not props.filter(key=wanted).exists():
            raise MoveRefused("that prop is not in the store; choose another")
        return live.prop(wanted)

    return changed(make_move(dressed.key, user_of(request), lambda live: asked.move, find_prop, asking_of(request)))


@router.delete("/sets/{uuid:key}/moves/{ask}", response={204: None, **PROBLEMS})
def stop_move(request: HttpRequest, key: uuid.UUID, ask: str, keep: bool = False) -> Any:
    """Give up a move that takes too long, by the name it was asked by (the X-Ask header); nothing of it is kept, but with ``keep`` what a
    filling has placed. A move that is made by then stays."""
    moves_under_way.stop(open_set_of(request, key).key, ask, keep)
    return Status(204, None)


@router.post("/sets/{uuid:key}/dots", response={200: schemas.DotsSchema, **PROBLEMS})
def find_dots(request: HttpRequest, key: uuid.UUID, asked: schemas.DotsAsked) -> Any:
    """Where a recipe would lay, as points: a first sight of it, before any shape is looked at. Nothing is changed."""
    now = sessions.of(open_set_of(request, key)).snapshot
    own = {p.key for p in now.dressed.pieces.values() if asked.again is not None and p.recipe == asked.again}
    try:
        places = Places(now.dressed, now.index, frozenset(own), stored_painting, Budget(DOTS_SECONDS))
        dots = dots_of(places, checked(asked.recipe))
    except (BadRecipe, GivenUp) as problem:
        raise MoveRefused(str(problem)) from None
    points, barred = (np.round(found, 4).ravel().tolist() for found in (dots.at, dots.barred))
    return json_answer({"points": points, "wanted": dots.wanted, "barred": barred, "apart": dots.apart})


@router.get(
    "/sets/{uuid:key}/recipes/{recipe}/chalk/{piece}.glb",
    response={200: None, **PROBLEMS},
    openapi_extra=file_of(GLB),
)
def get_chalked_model(request: HttpRequest, key: uuid.UUID, recipe: str, piece: str) -> Any:
    """The model of a surface with the chalk of a recipe as its vertex colours: black where there is none, white where all of it.

    Raises HttpError.
    """
    dressed = sessions.of(open_set_of(request, key)).snapshot.dressed
    record, surface = dressed.recipes.get(recipe), dressed.pieces.get(piece)
    if record is None or record.recipe != "scatter" or surface is None:
        raise HttpError(404, NOT_FOUND)
    try:
        chalk = recipe_of(record).rules.chalk
    except BadRecipe as problem:
        raise MoveRefused(str(problem)) from None
    strokes = [stroke for stroke in chalk if stroke.on in (None, piece)]
    if not strokes:
        raise HttpError(404, "that recipe has no chalk on it; chalk it, and lay it again")
    data = chalked_model(surface, chalk_weight(strokes))
    response = HttpResponse(data, content_type=GLB)
    response["Content-Disposition"] = attachment(f"{surface.name} chalked")
    return response


@router.post("/sets/{uuid:key}/bay", response={200: schemas.BaySchema, **PROBLEMS})
def find_bay(request: HttpRequest, key: uuid.UUID, asked: schemas.BayAsked) -> Any:
    """The compartment about a pressed point, as a box. Nothing is changed. Raises MoveRefused where there is none."""
    now = sessions.of(open_set_of(request, key)).snapshot
    try:
        found = compartment_at(now.index, np.array(asked.point), np.array(unit_vector(asked.normal)))
    except NoCompartment as problem:
        raise MoveRefused(str(problem)) from None
    return json_answer({"pose": encode_pose(found.pose), "floor": found.floor})


@router.get("/sets/{uuid:key}/history/{int:number}", response={200: list[set_schemas.PieceSchema], **PROBLEMS})
def get_history_step(request: HttpRequest, key: uuid.UUID, number: int) -> Any:
    """The pieces as they stood after that step; 0 for the beginning."""
    return [encode(p) for p in set_at(open_set_of(request, key), number).pieces.values()]


@router.get("/sets/{uuid:key}/pieces/{piece}/limb", response={200: schemas.LimbSchema, **PROBLEMS})
def find_limb(request: HttpRequest, key: uuid.UUID, piece: str, at: Query[schemas.PlaceAsked]) -> Any:
    """Which joint moves the place of a piece that somebody takes hold of. Raises HttpError and FileError."""
    standing = sessions.of(open_set_of(request, key)).snapshot.dressed.pieces.get(piece)
    if standing is None:
        raise HttpError(404, "that piece is no longer on the set; somebody took it away")
    pose = standing.pose
    stored = StoredProp.objects.select_related("posed_from").get(key=standing.prop.key)
    found = limb_of(stored, pose.local(np.array([at.x, at.y, at.z])))
    if found is None:
        return {"joint": None, "pivot": (at.x, at.y, at.z), "axes": ((1, 0, 0), (0, 1, 0), (0, 0, 1))}
    axes = found.axes @ pose.linear.T
    axes /= np.linalg.norm(axes, axis=1)[:, None]
    return {"joint": found.joint, "pivot": tuple(pose.apply(found.pivot)), "axes": tuple(map(tuple, axes))}


@router.post("/sets/{uuid:key}/pieces/{piece}/pose", response={200: set_schemas.ChangeSchema, **PROBLEMS})
def pose_piece(request: HttpRequest, key: uuid.UUID, piece: str, asked: schemas.PieceTurns) -> Any:
    """Bend one piece at its joints; it is seated again. Raises HttpError, MoveRefused and FileError."""
    dressed = open_set_of(request, key)
    standing = sessions.of(dressed).snapshot.dressed.pieces.get(piece)
    if standing is None:
        raise HttpError(404, "that piece is no longer on the set; somebody took it away")
    stored = StoredProp.objects.select_related("posed_from", "owner").get(key=standing.prop.key)
    shape = posed(stored, [(t.joint, t.axis, t.degrees) for t in asked.turns], user_of(request))
    move = PoseMove("pose", piece, shape.key)
    return changed(make_move(dressed.key, user_of(request), lambda live: move, asking=asking_of(request)))


@router.post("/sets/{uuid:key}/history/{int:number}", response={200: set_schemas.ChangeSchema, **PROBLEMS})
def go_to_history_step(request: HttpRequest, key: uuid.UUID, number: int) -> Any:
    """Back (or on again) to how the set was after that step."""
    return changed(go_to(open_set_of(request, key).key, number, asking_of(request)))


@router.post("/sets/{uuid:key}/undo", response={200: set_schemas.ChangeSchema, **PROBLEMS})
def undo_move(request: HttpRequest, key: uuid.UUID) -> Any:
    """Take back the last change. Raises MoveRefused."""
    return changed(undo(open_set_of(request, key).key, back=True, asking=asking_of(request)))


@router.post("/sets/{uuid:key}/redo", response={200: set_schemas.ChangeSchema, **PROBLEMS})
def redo_move(request: HttpRequest, key: uuid.UUID) -> Any:
    """Do again what was taken back last. Raises MoveRefused."""
    return changed(undo(open_set_of(request, key).key, back=False, asking=asking_of(request)))


@router.get("/sets/{uuid:key}/fits/{piece}", response={200: set_schemas.MeasuredFitSchema, **PROBLEMS})
def get_fit(request: HttpRequest, key: uuid.UUID, piece: str) -> Any:
    """All that is measured of one piece, with where it touches. Raises HttpError."""
    fit = sessions.of(open_set_of(request, key)).snapshot.fits.get(piece)
    if fit is None:
        raise HttpError(404, "that piece is no longer on the set, or it is a bearer, which is not measured")
    return json_answer(encode_fit(fit))


@router.get("/sets/{uuid:key}/feeler/{piece}", response={200: schemas.FeelerSchema, **PROBLEMS})
def get_feeler(request: HttpRequest, key: uuid.UUID, piece: str) -> Any:
    """The magnified side view of a piece's worst contact. Raises HttpError."""
    now = sessions.of(open_set_of(request, key)).snapshot
    found, fit = now.dressed.pieces.get(piece), now.fits.get(piece)
    if found is None or fit is None:
        raise HttpError(404, "that piece is no longer on the set; somebody took it away")
    lo, hi = now.index.box_of(found)
    clash = fit.clashes[0] if fit.clashes else None
    at = np.array(clash.point if clash else fit.touch or (0.5 * (lo + hi)) * [1, 0, 1] + [0, lo[1], 0])
    half = feeler_window(fit.gap, fit.depth, float(np.hypot(hi[0] - lo[0], hi[2] - lo[2])))
    if not clash and fit.gap:
        at = at - np.array(found.direction) * -0.5 * fit.gap
    others = [clash.other] if clash else list(fit.rests_on[:3])
    others = [k for k in others if k in now.dressed.pieces]
    cut = section(now.index, found, others, at, half, np.array(clash.normal) if clash else None)
    if fit.contacts and not in_window(cut.piece, half):
        # A thing on legs has nothing in its middle: cut through the foot that is nearest.
        feet = np.array(fit.contacts)
        cut = section(now.index, found, others, feet[np.argmin(((feet - at) ** 2).sum(axis=1))], half)
    return {
        "at": tuple(cut.at),
        "azimuth": cut.azimuth,
        "half": cut.half,
        "piece": {"key": piece, "segments": cut.piece.tolist()},
        "others": [{"key": k, "segments": s.tolist()} for k, s in cut.others.items()],
        "gap": fit.gap,
        "depth": fit.depth,
    }


def in_window(segments: Vec, half: float) -> bool:
    """Whether any of the segments (n, 4) of x0, y0, x1, y1 comes into the middle of what is shown."""
    return bool(len(segments)) and bool((np.abs(segments).reshape(-1, 2) < half * np.array([0.9, 0.5])).all(1).any())


def feeler_window(gap: float | None, depth: float, width: float) -> float:
    """Half the width shown: the whole foot of a piece that sits, closer in on a fault."""
    fault = max(gap or 0.0, depth)
    return max(FEELER_LEAST, 2.2 * fault, 0.62 * width if fault < 2e-4 else 0.34 * width)


@router.get("/sets/{uuid:key}/hand-over.glb", response={200: None, **PROBLEMS}, openapi_extra=file_of(GLB))
def hand_over_set(request: HttpRequest, key: uuid.UUID) -> Any:
    """The whole set as one GLB, to be saved."""
    dressed = open_set_of(request, key)
    response = HttpResponse(hand_over(dressed), content_type=GLB)
    response["Content-Disposition"] = attachment(dressed.name)
    return response


MOST_GROUPS = 1_000
"""Groups that are said to be one piece when a set is opened."""


def bytes_of(file: UploadedFile) -> bytes:
    """What is in an uploaded file. Raises FileError where that is too much."""
    if file.size is not None and file.size > LARGEST_UPLOAD:
        raise FileError(f"the file is larger than {LARGEST_UPLOAD // 1024 // 1024} MB; export it in parts")
    data: bytes = file.read()
    return data


@router.post("/sets/groups", response={200: list[schemas.FileGroup], **PROBLEMS})
def look_at_groups(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """What of a .glb or .gltf file may be one piece or several: a chair and a group of cups look alike in it. Nothing is kept. Raises FileError."""
    user_of(request)
    return ask_about_groups_apart(bytes_of(file))


@router.post("/sets/open", response={201: schemas.SetCard, **PROBLEMS})
def open_set_file(request: HttpRequest, file: File[UploadedFile], whole: Form[list[str]] = []) -> Any:  # noqa: B006
    """A new set from a .glb or .gltf file. ``whole``: names of its groups that are one piece each. Raises FileError."""
    name = (file.name or "opened set").rsplit(".", 1)[0]
    made = open_set(bytes_of(file), name, user_of(request), whole[:MOST_GROUPS])
    return Status(201, card_of(made, user_of(request)))


@router.delete("/sets/{uuid:key}", response={204: None, **PROBLEMS})
def delete_set(request: HttpRequest, key: uuid.UUID) -> Any:
    """Take a set away for good, with its history, jobs and picture; its open stages are closed. Raises HttpError."""
    dressed = own_set(request, key)
    sessions.drop(dressed.key)
    for job in jobs.on(key):
        jobs.drop(job)
    with transaction.atomic():
        dressed.delete()
        drop_unnamed_props()
    path_of(key).unlink(missing_ok=True)
    end_of_set(key)
    return Status(204, None)
