"""Why a candidate is not admitted, for programs and in words for people."""

from collections.abc import Mapping, Sized
from typing import Literal

Reason = Literal[
    "no_ground", "no_room", "no_fit", "tips", "afloat", "kept_out", "unsettled", "too_many", "not_borne", "out_of_reach"
]
IN_WORDS: dict[Reason, str] = {
    "no_ground": "found no ground that the rules allow",
    "no_room": "found no room",
    "no_fit": "did not fit the ground",
    "tips": "would tip",
    "afloat": "would not touch",
    "not_borne": "would rest on nothing but the bay",
    "out_of_reach": "could not be carried in",
    "kept_out": "reached into a keep-out",
    "unsettled": "did not come to lie",
    "too_many": "are more than are laid at most",
}
"""In the order in which they are said."""


def why(left: Mapping[Reason, int]) -> str:
    """How many were refused for which reason: “2 found no room, 1 would tip”; empty where none were."""
    return ", ".join(f"{left[reason]} {words}" for reason, words in IN_WORDS.items() if left.get(reason))


def how_many(verb: str, done: Sized, wanted: int | None, left: Mapping[Reason, int]) -> str:
    """How many of what was wanted were done, and why not more: “laid 7 of 10 (2 found no room, 1 would tip)”."""
    short = wanted is not None and len(done) < wanted
    reasons = why(left)
    return f"{verb} {len(done)}" + (f" of {wanted}" if short else "") + (f" ({reasons})" if reasons else "")
