"""The built front end, served whole: its files are small, and Django warns of every one that is streamed."""

from django.http import FileResponse, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from whitenoise.middleware import WhiteNoiseMiddleware
from whitenoise.responders import StaticFile


class WholeFiles(WhiteNoiseMiddleware):  # type: ignore[misc]
    """WhiteNoise, with answers that hold their bytes: a synchronous stream blocks an asynchronous server."""

    @staticmethod
    def serve(static_file: StaticFile, request: HttpRequest) -> HttpResponseBase:
        """The file that was asked for, or what the browser has already."""
        streamed: HttpResponseBase = WhiteNoiseMiddleware.serve(static_file, request)
        if not isinstance(streamed, FileResponse):
            return streamed
        whole = HttpResponse(b"".join(streamed), status=streamed.status_code)
        streamed.close()
        for name, value in streamed.items():
            whole[name] = value
        return whole
