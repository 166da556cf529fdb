"""Commands for one prop or file: measure, convert."""

from collections.abc import Sequence
from pathlib import Path

from brickseat.commands.output import complain, print_json
from brickseat.exit_codes import DONE
from brickseat_core.formats.model import UpAxis
from brickseat_core.geometry.lengths import Unit, in_words


def run_measure(path: Path, as_json: bool, with_shapes: bool, unit: Unit | None, up: UpAxis | None) -> int:
    """Tell what is measured of a prop. Raises FileError."""
    from brickseat_core.formats.prop_file import read_prop
    from brickseat_core.formats.prop_report import prop_report, prop_text
    from brickseat_core.geometry.questions import questions
    from brickseat_core.gravity.shapes import SHAPE_KINDS, NoShape, contact_shape

    mesh = read_prop(path, unit, up)
    given = {"unit": unit, "up": up}
    asked = [q for q in questions(mesh, path.stem, path.suffix.lower()[1:]) if given[q.about] is None]
    shapes = []
    for kind in SHAPE_KINDS if with_shapes else ():
        try:
            shapes.append(contact_shape(mesh, kind))
        except NoShape as error:
            complain([f"{path}: no {kind}: {error}"], quiet=False)
    report = prop_report(mesh, asked, shapes)
    if as_json:
        print_json(report)
    else:
        print(prop_text(report))
    return DONE


def run_convert(
    source: Path,
    output: Path,
    bends: Sequence[tuple[str, str, float]],
    light: int | None,
    unit: Unit | None,
    up: UpAxis | None,
    quiet: bool,
) -> int:
    """Write a file in another format. Raises FileError."""
    from brickseat_core.formats.boundary import reading
    from brickseat_core.formats.gltf.light import light_copy
    from brickseat_core.formats.gltf.skin import bend
    from brickseat_core.formats.opening import known, open_document, save_document

    known(output)
    document = open_document(source, unit, up)
    with reading(source):
        for joint, axis, degrees in bends:
            bend(document, joint, axis, degrees)
        if light is not None:
            document, error = light_copy(document, light)
            complain([f"{output}: a copy for display, up to {in_words(error)} off the true surface"], quiet)
        # The other formats read the meshes only now.
        save_document(document, output)
    return DONE
