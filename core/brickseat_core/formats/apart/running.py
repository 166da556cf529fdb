"""A function run in a process of its own. What comes back is plain JSON; whatever happens in there, one error says it.

Processes are forked from a template in which the readers are loaded already, so that one is there within some hundredths of a second.
"""

import json
import logging
import multiprocessing
import os
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from multiprocessing.connection import Connection
from typing import Any

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.formats.apart.limits import LIMITS, Limits, limit_this_process
from brickseat_core.formats.errors import FileError

TEMPLATE, WARM_TEMPLATE = "brickseat_core.formats.apart.template", "brickseat_core.formats.apart.warm_template"
MOST_ANSWER = 64 << 20
"""Bytes of JSON that are taken from such a process."""
MOST_AT_ONCE = max(2, os.cpu_count() or 1)
BEGUN = b"{}"
TEMPLATE_SECONDS = 300.0
"""How long the first of all may take to begin: the template is loaded then, and on a new machine its kernels are compiled."""
LOOK_SECONDS = 0.05
"""How often a process that runs is looked at, to be ended when its result is not wanted any more."""
log = logging.getLogger(__name__)
_preloaded = [TEMPLATE]
_apart = False
_turns = threading.BoundedSemaphore(MOST_AT_ONCE)


class TooMuch(FileError):
    """More time, memory or output than a file may take, or its reader was taken down by it."""


def keep_kernels_loaded() -> None:
    """For whoever reads many files: they do not load kernels each by itself. To be said before the first of them is read."""
    if WARM_TEMPLATE not in _preloaded:
        _preloaded.append(WARM_TEMPLATE)


def is_apart() -> bool:
    """Whether this process has been made for one such function."""
    return _apart


def run_apart(run: Callable[..., Any], *args: Any, limits: Limits = LIMITS, budget: Budget = UNLIMITED) -> Any:
    """What ``run`` gives for ``args``, which are pickled, as plain JSON values. Within such a process it is simply called.

    Raises FileError as ``run`` does, TooMuch where it takes more than ``limits`` allow or its process ends by itself, and GivenUp where the
    budget says so: then the process is ended.
    """
    if _apart:
        return run(*args)
    with turn(budget):
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(_preloaded)
        ours, theirs = context.Pipe(duplex=False)
        process = context.Process(target=work, args=(theirs, limits, run, args), daemon=True)
        process.start()
        theirs.close()
        try:
            answer = answer_of(ours, limits, budget)
        finally:
            process.kill()
            process.join()
            process.close()
            ours.close()
    if "error" in answer:
        raise (TooMuch if answer.get("too_much") else FileError)(answer["error"])
    return answer["result"]


@contextmanager
def turn(budget: Budget) -> Iterator[None]:
    """One of the few processes that may run at once. Raises GivenUp where the budget says so."""
    while not _turns.acquire(timeout=LOOK_SECONDS):
        budget.check()
    try:
        yield
    finally:
        _turns.release()


def answer_of(ours: Connection, limits: Limits, budget: Budget) -> dict[str, Any]:
    """What a process says. Raises TooMuch where it says nothing, and GivenUp."""
    if not has_come(ours, TEMPLATE_SECONDS, budget) or received(ours) is None:
        raise TooMuch("cannot be read now: the process that reads files did not begin; try once more")
    if not has_come(ours, limits.seconds, budget):
        raise TooMuch(f"takes more than {limits.seconds:g} s to read; export it in parts")
    answer = received(ours)
    if answer is None:
        raise TooMuch("is damaged, its reader gave up; export it again")
    return answer


def received(ours: Connection) -> dict[str, Any] | None:
    """What a process answers: an object of JSON. None where no such answer comes, because the process is gone."""
    try:
        answer = json.loads(ours.recv_bytes(MOST_ANSWER))
    except (EOFError, OSError, ValueError):
        return None
    return answer if isinstance(answer, dict) else None


def has_come(ours: Connection, seconds: float, budget: Budget) -> bool:
    """Whether something is said within so many seconds. Raises GivenUp where the budget says so."""
    for _ in range(max(1, round(seconds / LOOK_SECONDS))):
        if ours.poll(LOOK_SECONDS):
            return True
        budget.check()
    return False


def work(theirs: Connection, limits: Limits, run: Callable[..., Any], args: tuple[Any, ...]) -> None:
    """What such a process does: ``run``, and answer what came of it."""
    global _apart
    _apart = True
    theirs.send_bytes(BEGUN)
    limit_this_process(limits)
    try:
        answer = {"result": run(*args)}
    except FileError as problem:
        answer = {"error": str(problem), "too_much": isinstance(problem, TooMuch)}
    except MemoryError:
        answer = {"error": f"takes more than {limits.memory >> 20} MB to read; export it in parts", "too_much": True}
    except RecursionError:
        answer = {"error": "is nested too deep; export it again", "too_much": True}
    except Exception as problem:
        # Who sent the file gets one line; who runs this wants to know what was not foreseen.
        log.exception("a file brought about what its reader did not foresee")
        answer = {"error": f"cannot be read ({type(problem).__name__}); export it again", "too_much": True}
    theirs.send_bytes(json.dumps(answer).encode())
