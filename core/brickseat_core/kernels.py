"""Compiled kernels: the decorators, and with what options they compile."""

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba

from brickseat_core.kernel_cache import KernelCache

F = TypeVar("F", bound=Callable[..., Any])

# The loops here are short and branch; vectorising them took a tenth of the compiling and gained nothing.
numba.config.LOOP_VECTORIZE = 0  # type: ignore[attr-defined]


def compiled(function: F, options: dict[str, Any]) -> F:
    """``function`` compiled when it is first called with arguments of some types, or taken from the cache."""
    dispatcher = numba.njit(nogil=True, error_model="numpy", **options)(function)
    dispatcher._cache = KernelCache(function)
    return cast(F, dispatcher)


def kernel(function: F) -> F:
    """Compile ``function`` with Numba: cached on disk, without the interpreter lock.

    Arithmetic stays strict IEEE double (no fast-math): contact is exact or it is nothing.
    """
    return compiled(function, {})


def inner_kernel(function: F) -> F:
    """As ``kernel``, for what is called in the innermost loops: it may make no array, and is put into each of its callers.

    A kernel counts the references to every array it is given, one locked addition each and far more work than a box or
    a triangle; what makes no array has nothing to count. To hand over a query or a tree takes longer than a box test, too.
    """
    # An option of the compiler that its stubs leave out.
    options: dict[str, Any] = {"_nrt": False, "forceinline": True}
    return compiled(function, options)


def nested_kernel(function: F) -> F:
    """As ``kernel``, for what only other kernels call: it gets no entry from Python, which for a kernel that takes a query
    is half of its compiling. Called from Python it would crash, so that it is never called from there.
    """
    options: dict[str, Any] = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True}
    return compiled(function, options)


def nested_inner_kernel(function: F) -> F:
    """As ``inner_kernel``, without an entry from Python, as ``nested_kernel``."""
    options: dict[str, Any] = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True, "_nrt": False, "forceinline": True}
    return compiled(function, options)
