"""What the fit check found of a set, as JSON and as text."""

from collections import Counter
from collections.abc import Mapping
from typing import Any

from typing_extensions import TypedDict

from brickseat_core.fit.measuring import STATES, Fit, State
from brickseat_core.scene import Set

REPORT_VERSION = 1


ClashReport = TypedDict("ClashReport", {"with": str, "depth_m": float, "point": list[float], "normal": list[float]})


class PieceReport(TypedDict):
    """The fit of one piece."""

    name: str
    state: State
    faults: list[State]
    gap_m: float | None
    depth_m: float
    rests_on: list[str]
    clashes: list[ClashReport]
    contacts: list[list[float]]
    balance_margin_m: float | None
    tilt_deg: float
    reason: str


class FitReport(TypedDict):
    """The fit report of a set: lengths in metres, pieces by name."""

    version: int
    tolerance_m: float
    counts: dict[str, int]
    pieces: list[PieceReport]


def report_schema() -> dict[str, Any]:
    """The JSON schema of the fit report."""
    # Imported here: a check should not wait for it.
    from pydantic import TypeAdapter

    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **TypeAdapter(FitReport).json_schema()}


def counts(fits: Mapping[str, Fit]) -> dict[str, int]:
    """How many pieces are in each state, worst last; unchecked ones are not counted."""
    found = Counter(f.state for f in fits.values())
    return {state: found[state] for state in reversed(STATES) if state != "unchecked"}


def fit_report(dressed: Set, fits: Mapping[str, Fit]) -> FitReport:
    """The report as plain JSON values; lengths in metres."""
    name = {key: piece.name for key, piece in dressed.pieces.items()}
    return {
        "version": REPORT_VERSION,
        "tolerance_m": dressed.tolerance,
        "counts": counts(fits),
        "pieces": [
            {
                "name": name[fit.key],
                "state": fit.state,
                "faults": list(fit.faults),
                "gap_m": fit.gap,
                "depth_m": fit.depth,
                "rests_on": [name[k] for k in fit.rests_on],
                "clashes": [
                    {"with": name[c.other], "depth_m": c.depth, "point": list(c.point), "normal": list(c.normal)}
                    for c in fit.clashes
                ],
                "contacts": [list(p) for p in fit.contacts],
                "balance_margin_m": fit.balance_margin,
                "tilt_deg": fit.tilt_deg,
                "reason": fit.reason,
            }
            for fit in fits.values()
        ],
    }


def fit_text(dressed: Set, fits: Mapping[str, Fit]) -> str:
    """The same for a person: the faults, then the count."""
    width = max((len(dressed.pieces[f.key].name) for f in fits.values()), default=0)
    lines = [f"{dressed.pieces[f.key].name:<{width}}  {f.state:<9} {f.reason}" for f in fits.values() if f.faults]
    return "\n".join([*lines, counts_text(fits)])


def counts_text(fits: Mapping[str, Fit]) -> str:
    """How many pieces are in each state, in words."""
    return ", ".join(f"{n} {state}" for state, n in counts(fits).items() if n or state == "seated")
