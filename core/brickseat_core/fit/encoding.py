"""Fits as plain JSON values and back, bit for bit: for the database and the wire. Lengths in metres."""

from typing import Any

from brickseat_core.fit.measuring import Clash, Fit

Json = dict[str, Any]


def encode_fit(fit: Fit) -> Json:
    """The JSON of a fit; pieces go by key."""
    return {**encode_verdict(fit), "contacts": list(fit.contacts)}


def encode_verdict(fit: Fit) -> Json:
    """The same without the contacts: they are half of it, and are asked for one piece at a time."""
    return {
        "key": fit.key,
        "state": fit.state,
        "faults": list(fit.faults),
        "gap": fit.gap,
        "depth": fit.depth,
        "rests_on": list(fit.rests_on),
        "clashes": [
            {"other": c.other, "depth": c.depth, "point": c.point, "normal": c.normal, "upward": c.upward}
            for c in fit.clashes
        ],
        "touch": fit.touch,
        "balance_margin": fit.balance_margin,
        "tilt_deg": fit.tilt_deg,
        "reason": fit.reason,
        "grip": fit.grip,
        "deeper": fit.deeper,
    }


def decode_fit(data: Json) -> Fit:
    """The fit that ``encode_fit`` made these values of. Raises KeyError, TypeError or ValueError for any others."""
    return Fit(
        data["key"],
        data["state"],
        tuple(data["faults"]),
        data["gap"],
        data["depth"],
        tuple(data["rests_on"]),
        tuple(
            Clash(c["other"], c["depth"], tuple(c["point"]), tuple(c["normal"]), c["upward"]) for c in data["clashes"]
        ),
        tuple((x, y, z) for x, y, z in data["contacts"]),
        tuple(data["touch"]) if data["touch"] is not None else None,
        data["balance_margin"],
        data["tilt_deg"],
        data["reason"],
        data["grip"],
        data["deeper"],
    )
