"""The one boundary at which what is wrong with a file becomes one error, whatever it was that stumbled over it."""

import logging
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from brickseat_core.formats.errors import FileError, NotWritten

UNFORESEEN = (
    ValueError,
    TypeError,
    KeyError,
    IndexError,
    AttributeError,
    ArithmeticError,
    RecursionError,
    struct.error,
)
"""What readers stumble over in a file that is not what it says it is."""
log = logging.getLogger(__name__)


@contextmanager
def reading(where: str | Path) -> Iterator[None]:
    """Raises FileError, one line that begins with ``where``, for whatever is wrong with what is read meanwhile.

    What cannot be written names its own place, which stays.
    What no reader foresaw is logged with its place, for whoever mends the reader.
    """
    try:
        yield
    except NotWritten:
        raise
    except FileError as error:
        raise error if str(error).startswith(f"{where}:") else type(error)(f"{where}: {error}") from None
    except OSError as error:
        raise FileError(f"{where}: cannot be read ({error.strerror or error}); check the path") from None
    except MemoryError:
        raise FileError(f"{where}: is too large for this machine; split it") from None
    except UNFORESEEN as error:
        log.debug("unforeseen in %s", where, exc_info=True)
        said = " ".join(str(error).split())[:200]
        raise FileError(
            f"{where}: holds what cannot be read ({type(error).__name__}: {said}); export it again"
        ) from error
