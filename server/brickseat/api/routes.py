"""The endpoints: who is here. Sets and props have files of their own."""

import json
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from ninja import NinjaAPI, Status
from ninja.errors import HttpError
from ninja.operation import Operation
from ninja.parser import Parser
from ninja.security import django_auth

from brickseat.accounts.demo_visitor import sign_in_demo
from brickseat.accounts.models import ChosenKeys
from brickseat.accounts.throttle import MOST_FAILED, SECONDS, forget_failed, is_throttled, note_failed
from brickseat.api import job_routes, page_errors, prop_routes, schemas, set_routes
from brickseat.api.access import PROBLEMS, BearerToken, user_of
from brickseat.api.errors import add_handlers
from brickseat.sets.news import end_of_session

DESCRIPTION = """\
What the page does, for pipelines. Sign in with `Authorization: Bearer TOKEN` (`brickseat user token NAME`).

Headers of everything that changes a set (`make_move`, `pose_piece`, `undo_move`, `redo_move`, `go_to_history_step`, `adopt_outcome`):

- `If-Match`: the revision of the set as you saw it, as the `ETag` of `get_set` and of every change says it. 412 where it is another one by now.
- `Idempotency-Key`: a name of your own, at most 64 characters. Asked for again by the same name, a move is not made twice: what it did is
  answered once more.
- `X-Ask`: a name by which the socket tells how far it is, and `stop_move` stops it. `X-Stage`: the open stage that asks.

Lists have `limit` and `offset`, and say in `X-Total` how many there are. Every error is `{"error": words, "code": code, "ties": [keys], "pieces": [keys]}`:
tell them apart by `code`.
"""


class WholeText(Parser):
    """JSON bodies whose text is Unicode: half of a character, written as an escape, could be stored nowhere."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The body as plain values. Raises ValueError."""
        parsed = json.loads(request.body)
        if b"\\ud" in request.body.lower():
            json.dumps(parsed, ensure_ascii=False).encode()
        return parsed


class Api(NinjaAPI):
    """Operations are named as their functions are."""

    def get_openapi_operation_id(self, operation: Operation) -> str:
        """The name by which a generated client calls it."""
        return operation.view_func.__name__


api = Api(
    title="Brick Seat",
    version="1",
    description=DESCRIPTION,
    docs_url=None,
    parser=WholeText(),
    auth=[BearerToken(), django_auth],
    urls_namespace="api",
)
add_handlers(api)
api.add_router("", set_routes.router)
api.add_router("", job_routes.router)
api.add_router("", page_errors.router)
api.add_router("", prop_routes.router)


@api.get("/visitor", tags=["visitor"], response={200: schemas.VisitorSchema, **PROBLEMS}, auth=None)
def get_visitor(request: HttpRequest) -> Any:
    """Who is signed in. The demo signs its local visitor in here. Raises HttpError."""
    user = request.user if request.user.is_authenticated else sign_in_demo(request)
    if user is None:
        raise HttpError(401, "sign in first")
    name = getattr(user, "get_full_name", str)() or user.get_username()
    return {"name": name, "demo": settings.DEMO}


@api.get("/visitor/keys", tags=["visitor"], response={200: schemas.ChosenKeys, **PROBLEMS})
def get_keys(request: HttpRequest) -> Any:
    """The keys that the visitor has chosen for commands of the stage."""
    found = ChosenKeys.objects.filter(user=user_of(request)).first()
    return {"keys": found.keys if found is not None else {}}


@api.put("/visitor/keys", tags=["visitor"], response={204: None, **PROBLEMS})
def put_keys(request: HttpRequest, given: schemas.ChosenKeys) -> Any:
    """Other keys; commands that are not among them have those that they came with."""
    ChosenKeys.objects.update_or_create(user=user_of(request), defaults={"keys": given.dict()["keys"]})
    return Status(204, None)


@api.post("/sign-in", tags=["visitor"], response={200: schemas.VisitorSchema, **PROBLEMS}, auth=None)
def sign_in(request: HttpRequest, given: schemas.Credentials) -> Any:
    """Sign in by name and password. After a few wrong ones in a row a name has to wait. Raises HttpError."""
    if request.content_type != "application/json":
        # A page of somebody else's can send a form, but no JSON.
        raise HttpError(422, "sign in with JSON")
    address = request.META.get("REMOTE_ADDR", "")
    if is_throttled(given.username, address):
        raise HttpError(429, f"{MOST_FAILED} wrong passwords; wait {SECONDS // 60} minutes, then try again")
    user = authenticate(request, username=given.username, password=given.password)
    if user is None:
        note_failed(given.username, address)
        raise HttpError(401, "that name and password do not belong together; try again")
    forget_failed(given.username, address)
    login(request, user)
    return {"name": user.get_full_name() or user.get_username(), "demo": settings.DEMO}


@api.post("/sign-out", tags=["visitor"], response={204: None, **PROBLEMS})
def sign_out(request: HttpRequest) -> Any:
    """The session ends, and with it every stage that was opened in it."""
    session = request.session.session_key
    logout(request)
    if session:
        end_of_session(session)
    return Status(204, None)
