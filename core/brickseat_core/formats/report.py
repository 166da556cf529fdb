"""The fit report: what the fit check found, as JSON and as text."""

from collections.abc import Mapping
from typing import Any

from brickseat_core.fit.check import STATES, Fit
from brickseat_core.scene import Set

REPORT_VERSION = 1


def counts(fits: Mapping[str, Fit]) -> dict[str, int]:
    return {
        state: sum(1 for f in fits.values() if f.state == state) for state in reversed(STATES) if state != "unchecked"
    }


def fit_report(dressed: Set, fits: Mapping[str, Fit]) -> dict[str, Any]:
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
    found = counts(fits)
    lines.append(", ".join(f"{n} {state}" for state, n in found.items() if n or state == "seated"))
    return "\n".join(lines)
