"""One error shape for everything: {"error": what is wrong and what to do}."""

import logging

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError
from pydantic import Field

from brickseat.jobs.running import Failed
from brickseat_core.formats.errors import FileError
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
