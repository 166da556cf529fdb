"""One error shape for everything: {"error": what is wrong and what to do}."""

import errno
import logging
import sqlite3

from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError
from pydantic import Field

from brickseat.jobs.running import Failed
from brickseat_core.formats.errors import FileError, NotWritten
from brickseat_core.moves import MoveRefused


class Problem(Schema):
    """The shape of every error. ``ties``: keys of those that are in the way of a move."""

    error: str
    ties: list[str] = Field(default_factory=list)


NOT_FOUND = "there is no such thing here, or it is somebody else's"


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """For a page whose token is not the one of its cookie."""
    return JsonResponse({"error": "this page has gone stale; load it again"}, status=403)


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
    return JsonResponse({"error": NOT_FOUND}, status=404)


def server_error(request: HttpRequest) -> HttpResponse:
    """For what goes wrong outside the API."""
    return JsonResponse({"error": UNEXPECTED}, status=500)


def add_handlers(api: NinjaAPI) -> None:
    """Turn every exception of the core and of the server into the one shape, with its status."""

    @api.exception_handler(Exception)
    def unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
        log.error("%s %s failed", request.method, request.path, exc_info=error)
        return JsonResponse({"error": UNEXPECTED}, status=500)

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return JsonResponse({"error": NOT_FOUND}, status=404)

    def answer(status: int, text: str) -> HttpResponse:
        return JsonResponse({"error": text}, status=status)

    @api.exception_handler(MoveRefused)
    def refused(request: HttpRequest, error: MoveRefused) -> HttpResponse:
        return JsonResponse({"error": str(error), "ties": list(error.ties)}, status=409)

    @api.exception_handler(Failed)
    def failed(request: HttpRequest, error: Failed) -> HttpResponse:
        return answer(409, str(error))

    @api.exception_handler(FileError)
    def bad_file(request: HttpRequest, error: FileError) -> HttpResponse:
        return answer(422, str(error))

    @api.exception_handler(NotWritten)
    def not_written(request: HttpRequest, error: NotWritten) -> HttpResponse:
        log.error("%s", error)
        return answer(507, NO_ROOM)

    @api.exception_handler(DatabaseError)
    def database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
        code = getattr(error.__cause__, "sqlite_errorcode", None)
        if code is None or code & 0xFF not in DATABASE_WORDS:
            return unexpected(request, error)
        log.error("%s %s: %s", request.method, request.path, error)
        return answer(*DATABASE_WORDS[code & 0xFF])

    @api.exception_handler(OSError)
    def place(request: HttpRequest, error: OSError) -> HttpResponse:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EROFS):
            return unexpected(request, error)
        log.error("%s %s: %s", request.method, request.path, error)
        return answer(507, NO_ROOM)

    @api.exception_handler(AuthenticationError)
    def stranger(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return answer(401, "sign in first")

    @api.exception_handler(HttpError)
    def http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return answer(error.status_code, str(error))

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0] if error.errors else {}
        where = ".".join(str(p) for p in first.get("loc", ())[2:])
        return answer(422, f"{where or 'the request'}: {first.get('msg', 'is not understood')}")
