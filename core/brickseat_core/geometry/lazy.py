"""A property that is computed when it is first asked for, and kept."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class lazy(Generic[T]):
    """As ``functools.cached_property``, without its lock.

    In Python 3.11 that lock is shared by all instances of a class, so that the trees of many meshes would be built one
    after the other however many threads there are. Here two threads that ask at the same moment both compute the
    value; the one that is first keeps it.
    """

    def __init__(self, compute: Callable[[Any], T]) -> None:
        self.compute = compute
        self.name = compute.__name__
        self.__doc__ = compute.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    @overload
    def __get__(self, instance: None, owner: type) -> "lazy[T]": ...

    @overload
    def __get__(self, instance: object, owner: type) -> T: ...

    def __get__(self, instance: object | None, owner: type) -> "lazy[T] | T":
        if instance is None:
            return self
        found: T = instance.__dict__.setdefault(self.name, self.compute(instance))
        return found
