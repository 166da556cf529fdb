"""Files that are written whole: beside their place first, then renamed into it."""

import contextlib
import fcntl
import os
import re
import secrets
from pathlib import Path
from typing import IO, Any

from brickseat_core.formats.errors import NotWritten

UNFINISHED = re.compile(r"\..+\.[0-9a-f]{16}")
"""The name of a file that is being written beside its place."""


def place_beside(path: Path) -> Path:
    """Where a file is written before it is renamed to ``path``; each call names another place."""
    return path.with_name(f".{path.name[:50]}.{secrets.token_hex(8)}")


def lock(file: IO[Any]) -> None:
    """Lock a file for as long as this process writes it. The system lets go of it when the process is killed."""
    # Some file systems know no locks. There a file is written all the same.
    with contextlib.suppress(OSError):
        fcntl.flock(file, fcntl.LOCK_EX)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file beside its place and rename it: an interrupted run leaves the old one whole. Raises NotWritten."""
    beside = place_beside(path)
    try:
        # As readable as the user has it with all files (umask).
        handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666)
        try:
            with os.fdopen(handle, "wb") as file:
                lock(file)
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
                beside.replace(path)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
    except OSError as error:
        raise NotWritten(
            f"{path}: cannot be written ({error.strerror}); check the folder, and whether there is room"
        ) from None


def remove_unfinished(folder: Path) -> int:
    """Remove what killed processes left half written in a folder and below it; returns how many files.

    A file that another process is still writing stays. Raises OSError where the folder cannot be changed.
    """
    removed = 0
    for path in folder.rglob(".*"):
        if not UNFINISHED.fullmatch(path.name) or path.is_symlink() or not path.is_file():
            continue
        try:
            with path.open("rb") as file:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            # Held, gone, or not known to be nobody's.
            continue
        path.unlink(missing_ok=True)
        removed += 1
    return removed
