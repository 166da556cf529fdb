"""Answers that may be megabytes: written as JSON at once. Tests hold them to their schemas, so that no request has to."""

from collections.abc import Mapping
from typing import Any

import orjson
from django.http import HttpResponse


def json_answer(record: Mapping[str, Any]) -> HttpResponse:
    """Plain JSON values, keys (UUID) and dates as an answer."""
    return HttpResponse(orjson.dumps(record), content_type="application/json; charset=utf-8")
