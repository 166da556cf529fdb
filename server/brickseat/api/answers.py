"""Answers that may be megabytes: written as JSON at once, or files. Tests hold them to their schemas, so that no request has to."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, TypeVar

import orjson
from django.db.models import Model, QuerySet
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from ninja import Query, Schema
from pydantic import Field


def json_answer(record: Mapping[str, Any] | Sequence[Any]) -> HttpResponse:
    """Plain JSON values, keys (UUID) and dates as an answer."""
    return HttpResponse(orjson.dumps(record), content_type="application/json; charset=utf-8")


def compressed(request: HttpRequest, answer: HttpResponse) -> HttpResponseBase:
    """The same answer, gzipped where whoever asks takes that: records of one kind shrink to a tenth."""
    return GZipMiddleware(lambda _: answer).process_response(request, answer)


def file_of(kind: str) -> dict[str, Any]:
    """What the schema says of an address that answers with a file of a media type."""
    content = {kind: {"schema": {"type": "string", "format": "binary"}}}
    return {"responses": {200: {"description": "The file.", "content": content}}}


class Page(Schema):
    """A part of a list: ``limit`` entries after the first ``offset``. The header X-Total says how many there are in all."""

    limit: Annotated[int, Field(ge=1, le=10_000)] = 10_000
    offset: Annotated[int, Field(ge=0, le=1_000_000)] = 0


PageAsked = Query[Page]
M = TypeVar("M", bound=Model)


def page_of(entries: "QuerySet[M]", page: Page, response: HttpResponse) -> "QuerySet[M]":
    """That part of them."""
    response["X-Total"] = str(entries.count())
    return entries[page.offset : page.offset + page.limit]
