"""Wrong passwords are counted: after a few of them a name is not tried from that place for a while."""

from django.core.cache import cache

MOST_FAILED = 8
SECONDS = 300


def key_of(username: str, address: str) -> str:
    """By name and place: nobody can lock somebody else out from elsewhere."""
    return f"sign-in:{address}:{username.casefold()[:200].encode().hex()}"


def is_throttled(username: str, address: str) -> bool:
    """Whether there were too many wrong passwords lately."""
    return int(cache.get(key_of(username, address), 0)) >= MOST_FAILED


def note_failed(username: str, address: str) -> None:
    """One more wrong password."""
    key = key_of(username, address)
    cache.add(key, 0, SECONDS)
    cache.incr(key)


def forget_failed(username: str, address: str) -> None:
    """The right one was given."""
    cache.delete(key_of(username, address))
