"""What is measured of a prop, as JSON and as text."""

from collections.abc import Iterable
from typing import Any

from brickseat_core.formats.report import REPORT_VERSION
from brickseat_core.geometry.lengths import in_words
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.questions import Question
from brickseat_core.geometry.sides import resting_sides
from brickseat_core.gravity.shapes import ContactShape


def prop_report(mesh: Mesh, asked: Iterable[Question], shapes: Iterable[ContactShape] = ()) -> dict[str, Any]:
    """What is measured of a prop, as plain JSON values in metres; all in the frame of its file, +Y up.

    ``inertia_m2``: about the centre of mass, per kg. ``volume_m3``: None when the mesh is open.
    """
    size = mesh.box[1] - mesh.box[0]
    volume, centre = mesh.mass
    health = mesh.health
    return {
        "version": REPORT_VERSION,
        "size_m": {"width": float(size[0]), "height": float(size[1]), "depth": float(size[2])},
        "volume_m3": abs(volume) if health.closed else None,
        "centre_of_mass": [float(v) for v in centre],
        "inertia_m2": [[float(v) for v in row] for row in mesh.inertia],
        "resting_sides": [
            {
                "down": list(s.down),
                "steadiness_deg": s.steadiness_deg,
                "centre_height_m": s.height,
                "area_m2": s.area,
            }
            for s in resting_sides(mesh)
        ],
        "health": {
            "triangles": health.triangles,
            "closed": health.closed,
            "open_edges": health.open_edges,
            "shells": health.shells,
            "degenerate_faces": health.degenerate,
            "duplicate_faces": health.duplicate,
            "inward": health.inward,
        },
        "questions": [{"about": q.about, "proposal": q.proposal, "text": q.text} for q in asked],
        "contact_shapes": [
            {"kind": s.kind, "parts": s.cost, "bulge_m": s.bulge, "uncovered_m": s.uncovered} for s in shapes
        ],
    }


def prop_text(report: dict[str, Any]) -> str:
    """The same report for a person."""
    size, health = report["size_m"], report["health"]
    across, up, along = (in_words(size[k]) for k in ("width", "height", "depth"))
    lines = [f"size     {across} across, {up} up, {along} along"]
    volume = report["volume_m3"]
    lines.append(
        f"volume   none: {health['open_edges']} open edges" if volume is None else f"volume   {volume * 1e3:.3f} l"
    )
    lines.append(f"mesh     {health['triangles']} triangles in {health['shells']} shell{'s' * (health['shells'] != 1)}")
    for word in ("degenerate", "duplicate"):
        if health[f"{word}_faces"]:
            lines.append(f"         {health[f'{word}_faces']} {word} faces")
    if health["inward"]:
        lines.append("         its faces look inward")
    for side in report["resting_sides"][:6]:
        x, y, z = side["down"]
        lines.append(f"stands   with ({x:.2f}, {y:.2f}, {z:.2f}) down, tips at {side['steadiness_deg']:.1f}°")
    for shape in report["contact_shapes"]:
        bulge, bare = in_words(shape["bulge_m"]), in_words(shape["uncovered_m"])
        lines.append(f"shape    {shape['kind']}, {shape['parts']} convex: {bulge} beyond the surface, {bare} within it")
    lines += [f"asks     {q['text']} (--{q['about']} {q['proposal']})" for q in report["questions"]]
    return "\n".join(lines)
