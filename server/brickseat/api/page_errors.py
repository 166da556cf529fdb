"""What went wrong on somebody's page goes into the server's log."""

import logging
import threading
import time
from collections import deque
from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema, Status
from ninja.errors import HttpError
from pydantic import Field

from brickseat.api.access import PROBLEMS, user_of

log = logging.getLogger(__name__)
router = Router(tags=["visitor"])
MOST_A_MINUTE = 60
"""Of all pages together, so that a page that fails in a loop cannot fill the disk."""
_times: deque[float] = deque(maxlen=MOST_A_MINUTE)
_lock = threading.Lock()


class PageError(Schema):
    """``where``: the path of the page. ``at``: when, by the clock of the browser."""

    words: Annotated[str, Field(max_length=500)]
    stack: Annotated[str, Field(max_length=4000)] = ""
    where: Annotated[str, Field(max_length=300)]
    at: datetime


@router.post("/page-errors", response={204: None, **PROBLEMS})
def report_page_error(request: HttpRequest, error: PageError) -> Any:
    """An error that a page met, into the log. Raises HttpError."""
    now = time.monotonic()
    with _lock:
        if len(_times) == MOST_A_MINUTE and now - _times[0] < 60.0:
            raise HttpError(429, "too many errors of pages were reported within a minute; this one is not kept")
        _times.append(now)
    # Quoted, so that nobody can write lines of their own into the log.
    log.error(
        "the page %r of user %s failed at %s: %r, %r",
        error.where,
        user_of(request).pk,
        error.at,
        error.words,
        error.stack,
    )
    return Status(204, None)
