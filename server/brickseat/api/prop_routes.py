"""The endpoints of props: the store, the bench, bearers made to measure, and the prop house."""

import math
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from ninja import File, Form, Router, Status, UploadedFile
from ninja.errors import HttpError

from brickseat.api import schemas
from brickseat.api.access import LARGEST_UPLOAD, PROBLEMS, own_prop, user_of, visible_prop, visible_props
from brickseat.api.answers import PageAsked, file_of, page_of
from brickseat.api.errors import NOT_FOUND
from brickseat.sets import schemas as set_schemas
from brickseat.sets.refreshing import refresh_prop
from brickseat.store import prop_house
from brickseat.store.contact import contact_document, contact_of
from brickseat.store.importing import claim, import_prop, new_key, pose_prop, remake, source_of
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat.store.quota import MOST_BYTES, MOST_PROPS, free_unused_of, refuse_beyond_quota, unlisted_of, used_by
from brickseat.store.shelving import light_file, mesh_of, picture_file, prop_of, shelve
from brickseat_core.constraints.suggesting import suggested_seats
from brickseat_core.contact.index import SceneIndex
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Surface, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.height_image import PLASTER, terrain_apart
from brickseat_core.formats.prop_picture import Look
from brickseat_core.formats.tables.prop_list import BadRow, csv_of_rules, rules_of_csv
from brickseat_core.geometry import bearers
from brickseat_core.geometry.questions import questions, size_question
from brickseat_core.geometry.sides import resting_sides
from brickseat_core.gravity.materials import MATERIALS, mass_of
from brickseat_core.gravity.shapes import SHAPE_KINDS, ShapeKind
from brickseat_core.placing.catching import catch, clock_along
from brickseat_core.placing.frames import shortest_rotation
from brickseat_core.recipes.fill_schema import fill_rule_json
from brickseat_core.scene import Piece, Pose, frame_of, quaternion_of
from brickseat_core.scene.encoding import BadRecord, decode_seats, encode_frame, encode_seat

router = Router(tags=["props"])
MOST_SIDES = 8
GLB = "model/gltf-binary"
FOREVER = "private, max-age=31536000, immutable"


def breaking_fall(prop: StoredProp) -> float | None:
    """Metres it falls before it breaks; None for what does not break."""
    fall = properties_of(prop).bears
    return fall if fall < math.inf else None


def turn_records(prop: StoredProp) -> list[dict[str, Any]]:
    """The joints that are turned, as JSON values."""
    return [{"joint": joint, "axis": axis, "degrees": degrees} for joint, axis, degrees in prop.turns]


def prop_record(prop: StoredProp, user: User) -> dict[str, Any]:
    """A stored prop as JSON values, as ``user`` sees it."""
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
        "tags",
        "size",
        "material",
        "contact",
        "seats",
        "joints",
        "turns",
    )
    material = MATERIALS[prop.material]
    doubt = None if prop.unit else size_question(max(prop.width, prop.height, prop.depth), prop.name)
    area = 2.0 * (prop.width * prop.height + prop.height * prop.depth + prop.depth * prop.width)
    return {
        **{n: getattr(prop, n) for n in names if n != "turns"},
        "turns": turn_records(prop),
        "corner": prop.corner or None,
        "mass": prop.mass if prop.mass is not None else mass_of(prop.volume, area, material),
        "grip": prop.grip if prop.grip is not None else material.grip,
        "bounce": prop.bounce if prop.bounce is not None else material.bounce,
        "fall": breaking_fall(prop),
        "mine": prop.owner_id == user.pk,
        "posed_from": prop.posed_from.key if prop.posed_from else None,
        "came_of": next((whole.key for whole in (prop.came_of, prop.posed_from) if whole), None),
        "doubt": {"about": "unit", "proposal": doubt.proposal, "text": doubt.text} if doubt else None,
        "file": file_address(prop),
    }


def prop_records(found: QuerySet[StoredProp], user: User) -> list[dict[str, Any]]:
    """Stored props as ``prop_record`` has them, by one query."""
    return [prop_record(prop, user) for prop in found.select_related("posed_from", "came_of")]


def file_address(prop: StoredProp) -> str:
    """Where the prop's file is, by its contents."""
    return f"/api/props/{prop.key}/{prop.digest[:16]}.glb"


@router.get("/props", response={200: list[schemas.PropSchema], **PROBLEMS})
def list_props(request: HttpRequest, response: HttpResponse, page: PageAsked) -> Any:
    """Every prop of the store that can be set down, and every bearer made to measure."""
    found: QuerySet[StoredProp] = visible_props(request).filter(listed=True)
    return prop_records(page_of(found, page, response), user_of(request))


@router.get("/props/{key}/{digest}.glb", response={200: None, 302: None, **PROBLEMS}, openapi_extra=file_of(GLB))
def get_prop_file(request: HttpRequest, key: str, digest: str, light: bool = False) -> Any:
    """The prop's file. Its address changes with its contents, so it may be kept for ever.

    ``light``: a copy with fewer triangles, for display only. Who asks by an address of before the prop was made anew is
    sent to the one of now. Raises HttpError.
    """
    prop = visible_prop(request, key)
    if not prop.path.is_file():
        raise HttpError(404, NOT_FOUND)
    if prop.digest[:16] != digest:
        return HttpResponseRedirect(file_address(prop) + ("?light=true" if light else ""))
    data = (light_file(prop) if light else prop.path).read_bytes()
    return HttpResponse(data, content_type=GLB, headers={"Cache-Control": FOREVER})


@router.get(
    "/props/{key}/{digest}/{look}.png", response={200: None, 302: None, **PROBLEMS}, openapi_extra=file_of("image/png")
)
def get_prop_picture(request: HttpRequest, key: str, digest: str, look: Look) -> Any:
    """A small picture of a prop: from a corner, or its front without perspective, filled by its box.

    Who asks by an address of before the prop was made anew is sent to the one of now. Raises HttpError.
    """
    prop = visible_prop(request, key)
    if not prop.path.is_file():
        raise HttpError(404, NOT_FOUND)
    if prop.digest[:16] != digest:
        return HttpResponseRedirect(file_address(prop).replace(".glb", f"/{look}.png"))
    data = picture_file(prop, look).read_bytes()
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": FOREVER})


@router.post("/props", response={201: schemas.PropDetail, **PROBLEMS})
def upload_prop(request: HttpRequest, files: File[list[UploadedFile]], unit: Form[str] = "", up: Form[str] = "") -> Any:
    """A prop from a model and the files that belong to it (an .obj with its .mtl, a .gltf with its .bin).

    Raises FileError.
    """
    if sum(f.size or 0 for f in files) > LARGEST_UPLOAD:
        raise FileError(f"the files are larger than {LARGEST_UPLOAD // 1024 // 1024} MB; export the prop in parts")
    if unit not in ("", "mm", "cm", "m", "in", "ft") or up not in ("", "y", "z"):
        raise FileError("the unit is one of mm, cm, m, in, ft and up is y or z")
    made = import_prop([(f.name or "prop", f.read()) for f in files], user_of(request), unit, up)
    return Status(201, detail(made, user_of(request)))


@router.get("/props/{key}", response={200: schemas.PropDetail, **PROBLEMS})
def get_prop(request: HttpRequest, key: str) -> Any:
    """Everything that is measured of a prop."""
    return detail(visible_prop(request, key), user_of(request))


def detail(prop: StoredProp, user: User) -> dict[str, Any]:
    """Everything the bench shows of a prop, as JSON values."""
    mesh = mesh_of(prop)
    sides = resting_sides(mesh)
    used = mesh.vertices[np.unique(mesh.faces)]
    kind = source_of(prop).suffix.lower().lstrip(".")
    asked = [] if prop.unit and prop.up else questions(mesh, prop.name, kind)
    said = {"unit": prop.unit, "up": prop.up}
    return {
        "prop": prop_record(prop, user),
        "unit": prop.unit,
        "up": prop.up,
        "sides": [
            {
                "down": s.down,
                "orientation": quaternion_of(shortest_rotation(np.array(s.down), np.array([0.0, -1.0, 0.0]))),
                "steadiness_deg": s.steadiness_deg,
                "height": float(np.ptp(used @ np.array(s.down))),
                "centre_height": s.height,
            }
            for s in sides[:MOST_SIDES]
        ],
        "health": {**mesh.health.__dict__, "closed": mesh.health.closed},
        "questions": [{"about": q.about, "proposal": q.proposal, "text": q.text} for q in asked if not said[q.about]],
        "joints": prop.joints,
        "turns": turn_records(prop),
        "poses": prop_records(prop.poses.filter(retired=False), user),
        "materials": [m.__dict__ for m in MATERIALS.values()],
        "own_mass": prop.mass is not None,
        "centre": mesh.mass[1].tolist(),
        "standing": prop.records.count(),
    }


@router.get("/props/{key}/seats", response={200: list[set_schemas.SeatSchema], **PROBLEMS})
def suggest_seats(request: HttpRequest, key: str) -> Any:
    """Seats that the prop is likely to want, the likeliest first; the prop stays as it is."""
    return [encode_seat(seat) for seat in suggested_seats(mesh_of(visible_prop(request, key)))]


@router.post("/props/{key}/catch", response={200: schemas.CaughtSchema, **PROBLEMS})
def catch_on_prop(request: HttpRequest, key: str, asked: schemas.CatchAsked) -> Any:
    """The corner, edge, middle, centre or face of a prop that is near a ray. Raises HttpError."""
    direction = np.array(asked.direction)
    if not float(np.linalg.norm(direction)) > 1e-6:
        raise HttpError(422, "direction: it has no length")
    prop = prop_of(visible_prop(request, key))
    index = SceneIndex([Piece(prop.key, prop.name, prop, Pose((0.0, 0.0, 0.0)))])
    found = catch(index, np.array(asked.origin), direction, asked.pixel)
    if found is None:
        return {"what": None, "frame": None}
    return {"what": found.what, "frame": encode_frame(frame_of(found.point, found.normal, clock_along(found)))}


@router.patch("/props/{key}", response={200: schemas.PropDetail, **PROBLEMS})
def change_prop(request: HttpRequest, key: str, given: schemas.PropChanges) -> Any:
    """Its name, tags, material and weight; or the unit and up axis its file is taken for. Raises HttpError."""
    prop = own_prop(request, key)
    changes = given.dict(exclude_unset=True)
    if changes.get("material", prop.material) not in MATERIALS:
        raise HttpError(422, f"the material is one of {', '.join(MATERIALS)}")
    remade = {n: changes.pop(n) or "" for n in ("unit", "up") if n in changes}
    for name, value in changes.items():
        if name != "seats" and (value is not None or name in ("mass", "grip", "bounce", "fall")):
            setattr(prop, name, value)
    seats = changes.get("seats")
    if seats is not None:
        try:
            prop.seats = [encode_seat(seat) for seat in decode_seats(seats)]
        except BadRecord as problem:
            raise HttpError(422, f"{problem}; correct it on the bench") from None
    write = remake(prop, remade.get("unit", prop.unit), remade.get("up", prop.up)) if remade else None
    with transaction.atomic():
        prop.save()
        if write is not None:
            write()
    if write is not None or seats is not None:
        prop.refresh_from_db()
        refresh_prop(prop, made_anew_words(prop, set(remade)), user_of(request))
    return detail(prop, user_of(request))


def made_anew_words(prop: StoredProp, remade: set[str]) -> str:
    """What was changed of a prop, for the history of the sets that it stands on."""
    taken = [f"in {prop.unit or 'its own unit'}"] if "unit" in remade else []
    taken += [f"{prop.up or 'as it was'} up"] if "up" in remade else []
    return f"{prop.name} made anew {', '.join(taken)}" if taken else f"{prop.name} given other seats"


@router.get("/store/space", response={200: schemas.SpaceSchema, **PROBLEMS})
def get_space(request: HttpRequest) -> Any:
    """How much of the store the visitor's props take, and those of them that the store does not show."""
    used = used_by(user_of(request))
    return {
        "props": used.props,
        "most_props": MOST_PROPS,
        "bytes": used.size,
        "most_bytes": MOST_BYTES,
        "unlisted": unlisted_of(user_of(request)),
    }


@router.delete("/store/unused", response={200: schemas.FreedSchema, **PROBLEMS})
def free_unused(request: HttpRequest) -> Any:
    """Delete the visitor's props that the store does not show, that stand nowhere, and that no change names which could be undone."""
    return {"freed": free_unused_of(user_of(request))}


@router.delete("/props/{key}", response={204: None, **PROBLEMS})
def delete_prop(request: HttpRequest, key: str) -> Any:
    """Take a prop out of the store; one that the history names is retired. Raises HttpError while copies of it stand."""
    prop = own_prop(request, key)
    if prop.owner_id is None:
        raise HttpError(403, f"“{prop.name}” belongs to everybody and stays in the store")
    standing = prop.records.count()
    if standing:
        raise HttpError(409, f"{standing} copies of “{prop.name}” stand on sets; take them away first")
    if prop.named_in_history.exists():
        # Undo may bring a copy back: it is no longer shown, and kept as long as a history names it.
        StoredProp.objects.filter(pk=prop.pk).update(retired=True, listed=False)
    else:
        prop.delete()
    return Status(204, None)


@router.get("/props/{key}/contact/{kind}", response={200: schemas.ContactSchema, **PROBLEMS})
def get_contact_shape(request: HttpRequest, key: str, kind: str) -> Any:
    """A contact shape of a prop with its error; ``kind`` “best” for the cheapest that is good enough."""
    prop = visible_prop(request, key)
    return contact_of(prop, shape_kind(kind))


@router.get("/props/{key}/contact/{kind}/{digest}.glb", response={200: None, **PROBLEMS}, openapi_extra=file_of(GLB))
def get_contact_file(request: HttpRequest, key: str, kind: str, digest: str) -> Any:
    """The contact shape, to be drawn over the prop. Raises HttpError."""
    prop = visible_prop(request, key)
    if prop.digest[:16] != digest:
        raise HttpError(404, NOT_FOUND)
    data = contact_document(prop, shape_kind(kind))
    if data is None:
        raise HttpError(404, NOT_FOUND)
    return HttpResponse(data, content_type=GLB, headers={"Cache-Control": FOREVER})


def shape_kind(text: str) -> ShapeKind | None:
    """The kind of contact shape of an address; None for the best. Raises HttpError."""
    for kind in SHAPE_KINDS:
        if kind == text:
            return kind
    if text != "best":
        raise HttpError(422, f"a contact shape is “best” or one of {', '.join(SHAPE_KINDS)}")
    return None


@router.post("/props/{key}/poses", response={201: schemas.PropDetail, **PROBLEMS})
def make_pose(request: HttpRequest, key: str, given: schemas.PoseAsked) -> Any:
    """A prop of its own: this one with its joints turned. What is seated is the shape as posed."""
    prop = visible_prop(request, key)
    turns = [(t.joint, t.axis, t.degrees) for t in given.turns]
    return Status(201, detail(pose_prop(prop, given.name.strip(), turns, user_of(request)), user_of(request)))


@router.post("/bearers", response={201: schemas.PropSchema, **PROBLEMS})
def make_bearer(request: HttpRequest, asked: schemas.BearerAsked) -> Any:
    """A floor, wall, shelf, steps, sweep or open box to measure."""
    a = asked
    mesh = {
        "floor": lambda: bearers.floor(a.across, a.along),
        "wall": lambda: bearers.wall(a.across, a.height, a.thickness),
        "shelf": lambda: bearers.shelf(a.across, a.along, a.height, max(2, a.count), a.thickness),
        "steps": lambda: bearers.steps(a.across, a.count, a.height / a.count, a.along / a.count),
        "sweep": lambda: bearers.sweep(a.across, a.along, a.height, a.radius),
        "box": lambda: bearers.open_box(a.across, a.along, a.height, a.thickness),
    }[a.kind]()
    name = a.name or a.kind
    document = prop_document(name, [Surface(PLASTER, mesh.vertices, mesh.faces)])
    return Status(201, shelved_bearer(request, name, document))


@router.post("/bearers/terrain", response={201: schemas.PropSchema, **PROBLEMS})
def make_terrain(
    request: HttpRequest,
    file: File[UploadedFile],
    across: Form[float] = 10.0,
    along: Form[float] = 10.0,
    height: Form[float] = 1.0,
    name: Form[str] = "terrain",
) -> Any:
    """Ground from a height image (PNG, TIFF, JPEG; bright is high). Raises FileError."""
    if not (0.1 <= across <= 1000 and 0.1 <= along <= 1000 and 0.0 <= height <= 200):
        raise FileError("terrain is 0.1 to 1,000 m wide and at most 200 m high")
    return Status(201, shelved_bearer(request, name, terrain_apart(file.read(), name, across, along, height)))


def shelved_bearer(request: HttpRequest, name: str, document: GltfDocument) -> dict[str, Any]:
    """A bearer put into the store for the visitor, as JSON values. Raises FileError."""
    user = user_of(request)
    refuse_beyond_quota(user)
    made = shelve(new_key(name), name[:200], document, category="bearers", owner=user, role="bearer", listed=False)
    claim(made)
    return prop_record(made, user)


@router.get("/prop-house", response={200: list[schemas.HouseItem], **PROBLEMS})
def list_prop_house(request: HttpRequest) -> Any:
    """What the prop house lends, and what became of what was ordered."""
    came, waiting = prop_house.orders_of(user_of(request))
    return [
        {
            "key": i.key,
            "name": i.name,
            "says": i.says,
            "state": "delivered" if i.key in came else "ordered" if i.key in waiting else "there",
            "prop": came[i.key].key if i.key in came else None,
        }
        for i in prop_house.ITEMS
    ]


@router.post("/prop-house/{item}", response={202: None, **PROBLEMS})
def order_prop(request: HttpRequest, item: str) -> Any:
    """Order one; it is delivered into the store a little later. Raises HttpError."""
    try:
        prop_house.order(user_of(request), item)
    except KeyError:
        raise HttpError(404, "the prop house has no such thing; look at its list again") from None
    return Status(202, None)


@router.post("/prop-lists/read", response={200: schemas.ListSchema, **PROBLEMS})
def read_list(request: HttpRequest, asked: schemas.ListAsked) -> Any:
    """A list of props out of a table, for the recipe of a fill. Raises FileError, which says which rows are wrong."""
    user_of(request)

    def named(name: str) -> dict[str, str]:
        if name not in asked.props:
            raise BadRow(f"prop: no prop of the trolley is called {name!r}; put it on the trolley first")
        return {"prop": asked.props[name]}

    return {"props": rules_of_csv(asked.text, "the list", named)}


@router.post("/prop-lists/write", response={200: schemas.ListWritten, **PROBLEMS})
def write_list(request: HttpRequest, asked: schemas.ListToWrite) -> Any:
    """The props of a fill recipe as a table."""
    user_of(request)
    rules = [fill_rule_json(rule) for rule in asked.props]
    return {"text": csv_of_rules(rules, lambda rule: asked.names.get(rule.get("prop", ""), rule.get("prop", "")))}
