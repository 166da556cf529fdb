"""Compiled kernels: one decorator, and a cache on disk that cannot go stale.

Numba keys its cache on the file a function stands in, not on the files of the functions it calls.
The cache folder is therefore named after a digest of all kernel sources: change one and everything
is compiled anew.
"""

import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import numba

F = TypeVar("F", bound=Callable[..., Any])
KERNEL_FOLDERS = ("meshes", "contact")
KERNEL_MARKS = (b"@kernel", b"@inner_kernel", b"@nested")
"""What a file of kernels holds. Constants that are compiled into kernels stand in such files or in the tolerances."""


def cache_folder() -> Path:
    """The writable folder the compiled kernels live in, named after their sources."""
    here = Path(__file__).parent
    digest = hashlib.sha256(numba.__version__.encode())
    sources = [here / "kernels.py", here / "tolerances.py"]
    sources += [source for folder in KERNEL_FOLDERS for source in sorted((here / folder).glob("*.py"))]
    for source in sources:
        text = source.read_bytes()
        if source.parent == here or any(mark in text for mark in KERNEL_MARKS):
            digest.update(source.name.encode())
            digest.update(text)
    root = os.environ.get("BRICKSEAT_KERNEL_CACHE")
    base = Path(root) if root else Path.home() / ".cache" / "brickseat"
    return base / f"kernels-{digest.hexdigest()[:12]}"


# Numba sets its options as attributes at run time, which its stubs do not know.
numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]
# The loops here are short and branch; vectorising them took a tenth of the compiling and gained nothing.
numba.config.LOOP_VECTORIZE = 0  # type: ignore[attr-defined]


def kernel(function: F) -> F:
    """Compile ``function`` with Numba: cached on disk, without the interpreter lock.

    Arithmetic stays strict IEEE double (no fast-math): contact is exact or it is nothing.
    """
    compiled = numba.njit(cache=True, nogil=True, error_model="numpy")(function)
    return cast(F, compiled)


def inner_kernel(function: F) -> F:
    """As ``kernel``, for what is called in the innermost loops: it may make no array, and is put into each of its callers.

    A kernel counts the references to every array it is given, one locked addition each and far more work than a box or
    a triangle; what makes no array has nothing to count. To hand over a query or a tree takes longer than a box test, too.
    """
    # An option of the compiler that its stubs leave out.
    options: dict[str, Any] = {"_nrt": False, "forceinline": True}
    compiled = numba.njit(cache=True, nogil=True, error_model="numpy", **options)(function)
    return cast(F, compiled)


def nested_kernel(function: F) -> F:
    """As ``kernel``, for what only other kernels call: it gets no entry from Python, which for a kernel that takes a query
    is half of its compiling. Called from Python it would crash, so that it is never called from there.
    """
    options: dict[str, Any] = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True}
    compiled = numba.njit(cache=True, nogil=True, error_model="numpy", **options)(function)
    return cast(F, compiled)


def nested_inner_kernel(function: F) -> F:
    """As ``inner_kernel``, without an entry from Python, as ``nested_kernel``."""
    options: dict[str, Any] = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True, "_nrt": False, "forceinline": True}
    compiled = numba.njit(cache=True, nogil=True, error_model="numpy", **options)(function)
    return cast(F, compiled)
