"""One error shape for everything: what is wrong and what to do, in words; and a code for programs."""

import errno
import logging
import sqlite3
from collections.abc import Iterable
from typing import Any, Literal

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError
from pydantic import Field

from brickseat.jobs.kind import MovedSince
from brickseat.jobs.running import Failed
from brickseat.sets.changing import AskedOtherwise, OutOfDate
from brickseat_core.formats.errors import FileError, NotWritten
from brickseat_core.moves import MoveRefused

Code = Literal[
    "not_understood", "sign_in", "not_yours", "not_found", "refused", "out_of_date", "asked_otherwise", "moved_since", "too_large", "too_many",
    "busy", "no_room", "unexpected",
]  # fmt: skip
CODES: dict[int, Code] = {
    400: "not_understood", 401: "sign_in", 403: "not_yours", 404: "not_found", 405: "not_understood", 409: "refused", 412: "out_of_date",
    413: "too_large", 422: "not_understood", 429: "too_many", 500: "unexpected", 503: "busy", 507: "no_room",
}  # fmt: skip
"""What programs tell errors apart by, by their status. The words are for people, and may change."""


class Problem(Schema):
    """The shape of every error. ``ties`` and ``pieces``: keys of those that are in the way of what was asked."""

    error: str
    code: Code
    ties: list[str] = Field(default_factory=list)
    pieces: list[str] = Field(default_factory=list)


def problem(
    status: int, text: str, code: Code | None = None, ties: Iterable[str] = (), pieces: Iterable[str] = ()
) -> JsonResponse:
    """An error as it is answered."""
    code = code or CODES.get(status, "unexpected")
    return JsonResponse({"error": text, "code": code, "ties": list(ties), "pieces": list(pieces)}, status=status)


NOT_FOUND = "there is no such thing here, or it is somebody else's"


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """For a page whose token is not the one of its cookie."""
    return problem(403, "this page has gone stale; load it again")


log = logging.getLogger(__name__)
UNEXPECTED = "the server could not do that; nothing was changed. Try once more, and tell whoever runs it if it stays so"


NO_ROOM = (
    "the server cannot write to its folder: there is no room, or it may not; nothing was changed. Tell whoever runs it"
)
DATABASE_WORDS = {
    sqlite3.SQLITE_FULL: (507, NO_ROOM),
    sqlite3.SQLITE_READONLY: (507, NO_ROOM),
    sqlite3.SQLITE_IOERR: (507, NO_ROOM),
    sqlite3.SQLITE_CANTOPEN: (507, NO_ROOM),
    sqlite3.SQLITE_BUSY: (503, "others are writing just now; nothing was changed. Try once more"),
    sqlite3.SQLITE_CORRUPT: (500, "the server's database is damaged; nothing was changed. Tell whoever runs it"),
    sqlite3.SQLITE_NOTADB: (500, "the server's database is damaged; nothing was changed. Tell whoever runs it"),
}
"""Status and words by the primary result code of SQLite (sqlite.org/rescode.html)."""


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """For addresses that nothing stands behind."""
    return problem(404, NOT_FOUND)


def server_error(request: HttpRequest) -> HttpResponse:
    """For what goes wrong outside the API."""
    return problem(500, UNEXPECTED)


class OneShape:
    """Middleware: what is refused before the API is reached is answered in its shape, too."""

    sync_capable = async_capable = True

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        if iscoroutinefunction(self):
            return self._later(request)
        return self._shaped(request, self.get_response(request))

    async def _later(self, request: HttpRequest) -> HttpResponse:
        return self._shaped(request, await self.get_response(request))

    @staticmethod
    def _shaped(request: HttpRequest, response: HttpResponse) -> HttpResponse:
        if response.status_code != 405 or not request.path.startswith("/api/"):
            return response
        shaped = problem(405, f"{request.method} is not for this address; it takes {response['Allow']}")
        shaped["Allow"] = response["Allow"]
        return shaped


def add_handlers(api: NinjaAPI) -> None:
    """Turn every exception of the core and of the server into the one shape, with its status."""

    @api.exception_handler(Exception)
    def unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
        log.error("%s %s failed", request.method, request.path, exc_info=error)
        return problem(500, UNEXPECTED)

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return problem(404, NOT_FOUND)

    @api.exception_handler(MoveRefused)
    def refused(request: HttpRequest, error: MoveRefused) -> HttpResponse:
        return problem(409, str(error), ties=error.ties)

    @api.exception_handler(OutOfDate)
    def out_of_date(request: HttpRequest, error: OutOfDate) -> HttpResponse:
        return problem(412, str(error))

    @api.exception_handler(AskedOtherwise)
    def asked_otherwise(request: HttpRequest, error: AskedOtherwise) -> HttpResponse:
        return problem(422, str(error), "asked_otherwise")

    @api.exception_handler(Failed)
    def failed(request: HttpRequest, error: Failed) -> HttpResponse:
        return problem(409, str(error))

    @api.exception_handler(MovedSince)
    def moved_since(request: HttpRequest, error: MovedSince) -> HttpResponse:
        return problem(409, str(error), "moved_since", pieces=error.pieces)

    @api.exception_handler(FileError)
    def bad_file(request: HttpRequest, error: FileError) -> HttpResponse:
        return problem(422, str(error))

    @api.exception_handler(NotWritten)
    def not_written(request: HttpRequest, error: NotWritten) -> HttpResponse:
        log.error("%s", error)
        return problem(507, NO_ROOM)

    @api.exception_handler(DatabaseError)
    def database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
        code = getattr(error.__cause__, "sqlite_errorcode", None)
        if code is None or code & 0xFF not in DATABASE_WORDS:
            return unexpected(request, error)
        log.error("%s %s: %s", request.method, request.path, error)
        return problem(*DATABASE_WORDS[code & 0xFF])

    @api.exception_handler(OSError)
    def place(request: HttpRequest, error: OSError) -> HttpResponse:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EROFS):
            return unexpected(request, error)
        log.error("%s %s: %s", request.method, request.path, error)
        return problem(507, NO_ROOM)

    @api.exception_handler(AuthenticationError)
    def stranger(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "sign in first")

    @api.exception_handler(HttpError)
    def http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, str(error))

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0] if error.errors else {}
        where = ".".join(str(p) for p in first.get("loc", ())[2:])
        return problem(422, f"{where or 'the request'}: {first.get('msg', 'is not understood')}")
