"""One error shape for everything: {"error": what is wrong and what to do}."""

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError

from brickseat.jobs.running import Failed
from brickseat_core.formats.errors import FileError
from brickseat_core.placing.moves import MoveRefused


class Problem(Schema):
    error: str


NOT_FOUND = "there is no such thing here, or it is somebody else's"


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    return JsonResponse({"error": "this page has gone stale; load it again"}, status=403)


def add_handlers(api: NinjaAPI) -> None:
    def answer(status: int, text: str) -> HttpResponse:
        return JsonResponse({"error": text}, status=status)

    @api.exception_handler(MoveRefused)
    def refused(request: HttpRequest, error: MoveRefused) -> HttpResponse:
        return answer(409, str(error))

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
