"""The command line: the same core without the browser. See docs/command-line.md for the contract."""

import argparse
import json
import math
import os
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from fnmatch import fnmatchcase
from pathlib import Path

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.all_down import MODES, set_all_down
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
from brickseat_core.fit.repair import repair
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import GltfSet, read_set
from brickseat_core.formats.gltf_storing import store_set
from brickseat_core.formats.report import fit_report, fit_text
from brickseat_core.meshes.lengths import UNITS, in_words, parse_length
from brickseat_core.relations.bodies import Joined, change_to, whole_bodies
from brickseat_core.relations.indexing import index_of
from brickseat_core.relations.obeying import TiesInTheWay, obeyed
from brickseat_core.scene import Piece, Pose, Set

DONE, FAULTS, BAD = 0, 1, 2
REST_TRIES = 4
"""Starts of a rest: as the piece is, then a little askew."""
SHAKE = 0.005
"""Metres by which pieces are moved by chance before they settle, so that another seed gives another stand."""


class OneLineParser(argparse.ArgumentParser):
    """Bad usage ends with one line on standard error and exit code 2."""

    def error(self, message: str) -> None:  # type: ignore[override]
        sys.stderr.write(f"{self.prog}: {message}; see {self.prog} --help\n")
        raise SystemExit(BAD)


def length(text: str) -> float:
    try:
        return parse_length(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def whole_number(text: str) -> int:
    try:
        value = int(text)
    except ValueError:
        value = 0
    if value < 1:
        raise argparse.ArgumentTypeError(f"“{text}” is not a whole number from 1")
    return value


def joint_turn(text: str) -> tuple[str, str, float]:
    """``knee:x=30`` -> ("knee", "x", 30.0). Raises ArgumentTypeError."""
    joint, _, turn = text.rpartition(":")
    axis, _, degrees = turn.partition("=")
    try:
        value = float(degrees)
    except ValueError:
        value = math.nan
    if not joint or axis not in ("x", "y", "z") or not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"“{text}” is not a joint and its turn; write it like knee:x=30")
    return joint, axis, value


def parser() -> argparse.ArgumentParser:
    root = OneLineParser(prog="brickseat", description="Rests props on a set so that they touch, and proves it.")
    commands = root.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(name: str, run: Callable[[argparse.Namespace], int], text: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        return sub

    def taken_for(sub: argparse.ArgumentParser) -> None:
        sub.add_argument("--unit", choices=UNITS, help="what its numbers are; by default as the file says, else m")
        sub.add_argument("--up", choices=["y", "z"], help="which axis is up; by default as the file says, else y")

    def takes_set(sub: argparse.ArgumentParser, writes: bool) -> None:
        sub.add_argument("set", metavar="SET.glb", type=Path)
        sub.add_argument(
            "--bearer", metavar="GLOB", action="append", default=[], help="bodies that carry and never move"
        )
        sub.add_argument("--tolerance", type=length, default=0.0005, metavar="0.5mm", help="default 0.5mm")
        if writes:
            sub.add_argument("-o", "--output", metavar="OUT.glb", type=Path, required=True)
            sub.add_argument("--strict", action="store_true", help="exit 1 when faults are left")

    sub = command("check", run_check, "fit check of every piece")
    takes_set(sub, writes=False)
    sub.add_argument("--json", action="store_true", help="the fit report as JSON")
    sub = command("seat", run_seat, "set pieces down where they are")
    takes_set(sub, writes=True)
    sub.add_argument(
        "--mode",
        choices=MODES,
        default="drop",
        help="drop: move along the direction only; rest: may tilt to the nearest stable stand",
    )
    sub.add_argument("--only", metavar="GLOB", action="append", default=[], help="just the pieces of these names")
    sub = command("settle", run_settle, "let gravity act on loose pieces, then finish every contact exactly")
    takes_set(sub, writes=True)
    sub.add_argument("--seed", type=int, default=0, metavar="N", help="the same seed gives the same outcome")
    sub.add_argument(
        "--trials", type=whole_number, default=1, metavar="K", help="seeds tried side by side; best is kept"
    )
    sub.add_argument("--only", metavar="GLOB", action="append", default=[], help="just the pieces of these names fall")
    sub.add_argument("--lift", type=length, default=0.0, metavar="5cm", help="raise them before they fall; default 0")
    sub.add_argument(
        "--shake", type=length, default=SHAKE, metavar="5mm", help="move and turn each by chance first; default 5mm"
    )
    sub.add_argument("--animation", action="store_true", help="keep the motion as a glTF animation")
    sub = command("repair", run_repair, "mend faults with the least movement")
    takes_set(sub, writes=True)
    sub = command("apply", run_apply, "make moves, one after the other, all or none")
    sub.add_argument("set", metavar="SET.glb", type=Path)
    sub.add_argument("moves", metavar="MOVES.json", type=Path)
    sub.add_argument("--bearer", metavar="GLOB", action="append", default=[], help="bodies that carry and never move")
    sub.add_argument("--tolerance", type=length, default=0.0005, metavar="0.5mm", help="default 0.5mm")
    sub.add_argument("-o", "--output", metavar="OUT.glb", type=Path, required=True)
    sub.add_argument("--strict", action="store_true", help="exit 1 when faults are left")
    sub = command("schema", run_schema, "the JSON schema of what is read and written")
    sub.add_argument("what", choices=["moves", "report"])
    sub = command("measure", run_measure, "size, volume, resting sides, health of a mesh")
    sub.add_argument("prop", metavar="PROP", type=Path)
    sub.add_argument("--json", action="store_true")
    sub.add_argument("--shapes", action="store_true", help="also make each kind of contact shape and measure its error")
    taken_for(sub)
    sub = command("convert", run_convert, "between the formats read and written")
    sub.add_argument("input", metavar="IN", type=Path)
    sub.add_argument("-o", "--output", metavar="OUT", type=Path, required=True)
    sub.add_argument(
        "--bend",
        metavar="JOINT:x=30",
        type=joint_turn,
        action="append",
        default=[],
        help="turn a named joint about its own x, y or z axis by so many degrees",
    )
    sub.add_argument(
        "--light", metavar="N", type=whole_number, help="a copy for display with at most N triangles a mesh"
    )
    taken_for(sub)
    for name, text in (("demo", "the web application with the demo data"), ("serve", "the web application")):
        sub = command(name, run_serve, text)
        sub.add_argument("--port", type=int, default=8460, help="the next free one is taken when it is in use")
        sub.add_argument("--host", default="127.0.0.1")
        sub.add_argument("--no-open", action="store_true", help="do not open a browser")
        sub.add_argument("--fd", type=int, default=None, help=argparse.SUPPRESS)
    command("warm", run_warm, "compile the kernels once, with progress")
    return root


def open_set(path: Path, bearers: Sequence[str], tolerance: float) -> GltfSet:
    from brickseat_core.formats.opening import open_document

    document = GltfDocument.open(path) if path.suffix.lower() in (".glb", ".gltf") else open_document(path)
    try:
        return read_set(document, bearers, tolerance)
    except FileError as error:
        raise FileError(f"{path}: {error}") from None


def progress(label: str) -> Callable[[int, int], bool]:
    def on_progress(done: int, total: int) -> bool:
        if sys.stderr.isatty():
            sys.stderr.write(f"\r{label} {done}/{total} ")
            sys.stderr.flush()
        return True

    return on_progress


def outcome(dressed: Set, fits: dict[str, Fit], strict: bool) -> int:
    sys.stderr.write(fit_text(dressed, fits) + "\n") if sys.stderr.isatty() else None
    return FAULTS if strict and any(f.faults for f in fits.values()) else DONE


def run_check(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = index_of(found.dressed)
    fits = check(index, args.tolerance, on_progress=progress("checking"))
    if args.json:
        print(json.dumps(fit_report(found.dressed, fits), ensure_ascii=False))
    else:
        print(fit_text(found.dressed, fits))
    return FAULTS if any(f.faults for f in fits.values()) else DONE


def run_seat(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = index_of(found.dressed)
    chosen = [
        p.key
        for p in found.dressed.pieces.values()
        if p.movable and (not args.only or any(fnmatchcase(p.name, g) for g in args.only))
    ]
    if args.only and not chosen:
        raise FileError(f"{args.set}: no piece that may move is named {' or '.join(args.only)}; see brickseat check")
    joined = whole_bodies(found.dressed, index)
    wanted = [k for k in dict.fromkeys(map(joined.key_of, chosen)) if joined.dressed.pieces[k].movable]
    left = set_all_down(joined.index, wanted, args.mode, args.tolerance, REST_TRIES, progress("seating"))
    for key, reason in left.items():
        sys.stderr.write(f"{joined.index.pieces[key].name}: {reason}\n")
    after = store_moved(found, index, joined, joined.index.pieces.values())
    save(found.document, args.output)
    if not args.strict:
        return DONE
    return outcome(after, check(index_of(after), args.tolerance), args.strict)


def member_paths(joined: Joined, paths: Mapping[str, Sequence[Pose]]) -> dict[str, Sequence[Pose]]:
    """The way of every piece, those of a body carried along with it."""
    found: dict[str, Sequence[Pose]] = {}
    for key, path in paths.items():
        formed = joined.formations.get(key)
        if formed is None:
            found[key] = path
            continue
        steps = [formed.after(formed.body.at(pose)) for pose in path]
        found.update({m.key: [step[i].pose for step in steps] for i, m in enumerate(formed.members)})
    return found


def store_moved(found: GltfSet, index: SceneIndex, joined: Joined, pieces: Iterable[Piece]) -> Set:
    """Bring the document up to these pieces of ``joined``, and to what their ties make of that. Raises FileError."""
    try:
        after = obeyed(found.dressed, index, change_to(joined, pieces, "moved")).on(found.dressed)
    except TiesInTheWay as problem:
        raise FileError(str(problem)) from None
    store_set(found, after)
    return after


def run_apply(args: argparse.Namespace) -> int:
    from brickseat_core.formats.gltf_lines import lines_of
    from brickseat_core.formats.moves_file import apply_moves, read_moves

    found = open_set(args.set, args.bearer, args.tolerance)
    applied = apply_moves(found.dressed, read_moves(args.moves), progress("moving"), lines_of(found.document))
    store_set(found, applied.dressed)
    save(found.document, args.output)
    for words in applied.words:
        print(words)
    for name, reason in applied.left:
        sys.stderr.write(f"{name} left: {reason}\n")
    return FAULTS if args.strict and any(f.faults for f in check(applied.index, args.tolerance).values()) else DONE


def run_schema(args: argparse.Namespace) -> int:
    from brickseat_core.formats.report import report_schema
    from brickseat_core.moves import schema

    found = {"moves": schema, "report": report_schema}[args.what]()
    print(json.dumps(found, indent=1, ensure_ascii=False))
    return DONE


def run_settle(args: argparse.Namespace) -> int:
    from brickseat_core.formats.gltf_motion import animate
    from brickseat_core.formats.settle_extras import properties_and_kinds
    from brickseat_core.gravity.settling import SettleSlip, shapes_for
    from brickseat_core.gravity.trials import NoCluster, Trial, executor, run_all, run_trial, trials_of
    from brickseat_core.gravity.world import NotForGravity

    found = open_set(args.set, args.bearer, args.tolerance)
    index = index_of(found.dressed)
    joined = whole_bodies(found.dressed, index)
    pieces = tuple(joined.dressed.pieces.values())
    chosen = [
        p
        for p in pieces
        if p.movable and (any(fnmatchcase(p.name, g) for g in args.only) if args.only else p.direction[1] < -0.5)
    ]
    if not chosen:
        named = f" named {' or '.join(args.only)}" if args.only else ""
        raise FileError(f"{args.set}: no piece that may move{named} stands by gravity; see brickseat check")
    properties, kinds = properties_and_kinds(found)
    slip = SettleSlip(args.lift, args.shake, args.seed, motion=args.animation)
    try:
        shapes = shapes_for({p.prop.key: p.prop for p in chosen}, kinds)
        keys = tuple(p.key for p in chosen)
        trial = Trial(pieces, keys, slip, shapes, properties, args.tolerance, index.derived)
        if args.trials == 1:
            outcomes = {0: run_trial(trial)}
        else:
            on_progress = progress("trials")
            outcomes = {}
            cluster = os.environ.get("BRICKSEAT_CLUSTER", "")
            with executor(min(args.trials, os.cpu_count() or 1), cluster) as pool:
                for number, settled in run_all(trials_of(trial, args.trials), pool):
                    outcomes[number] = settled
                    on_progress(len(outcomes), args.trials)
    except NotForGravity as error:
        raise FileError(f"{args.set}: {error}") from None
    except NoCluster as error:
        raise FileError(str(error)) from None
    for _, settled in sorted(outcomes.items()):
        print(
            f"seed {settled.seed}: {len(settled.pieces)} settled in {settled.simulated:.1f} s, spread "
            f"{in_words(settled.spread)}, height {in_words(settled.height)}, {len(settled.named)} with faults"
        )
    best = min(outcomes.values(), key=lambda s: (s.score, s.seed))
    if best.motion is not None:
        for key in animate(found, best.motion.times, member_paths(joined, best.motion.poses)):
            sys.stderr.write(f"{found.dressed.pieces[key].name}: drawn by instancing, so its motion is not kept\n")
    store_moved(found, index, joined, best.pieces)
    save(found.document, args.output)
    if args.trials > 1:
        print(f"kept seed {best.seed}")
    for key, reason in sorted(best.named.items()):
        print(f"{joined.dressed.pieces[key].name}: {reason}")
    return FAULTS if args.strict and best.named else DONE


def run_repair(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = index_of(found.dressed)
    joined = whole_bodies(found.dressed, index)
    result = repair(joined.index, args.tolerance, on_progress=progress("mending"))
    store_moved(found, index, joined, joined.index.pieces.values())
    save(found.document, args.output)
    for mended in result.mended:
        print(mended.words)
    for left in result.left:
        print(f"{joined.index.pieces[left.key].name} left: {left.reason}")
    return FAULTS if args.strict and result.left else DONE


def save(document: GltfDocument, path: Path) -> None:
    if path.suffix.lower() in (".glb", ".gltf"):
        document.save(path)
        return
    # The other formats bring in large libraries; a set as glTF should not wait for them.
    from brickseat_core.formats.opening import save_document

    save_document(document, path)


def run_measure(args: argparse.Namespace) -> int:
    from brickseat_core.formats.prop_file import read_prop
    from brickseat_core.formats.report import prop_report, prop_text
    from brickseat_core.gravity.shapes import SHAPE_KINDS, NoShape, contact_shape
    from brickseat_core.meshes.questions import questions

    mesh = read_prop(args.prop, args.unit, args.up)
    told = {"unit": args.unit, "up": args.up}
    asked = [q for q in questions(mesh, args.prop.stem, args.prop.suffix.lower()[1:]) if told[q.about] is None]
    shapes = []
    for kind in SHAPE_KINDS if args.shapes else ():
        try:
            shapes.append(contact_shape(mesh, kind))
        except NoShape as error:
            sys.stderr.write(f"{args.prop}: no {kind}: {error}\n")
    report = prop_report(mesh, asked, shapes)
    print(json.dumps(report, ensure_ascii=False) if args.json else prop_text(report))
    return DONE


def run_convert(args: argparse.Namespace) -> int:
    from brickseat_core.formats.gltf_skin import bend
    from brickseat_core.formats.light import light_copy
    from brickseat_core.formats.opening import known, open_document, save_document

    known(args.output)
    document = open_document(args.input, args.unit, args.up)
    for joint, axis, degrees in args.bend:
        bend(document, joint, axis, degrees)
    if args.light is not None:
        document, error = light_copy(document, args.light)
        sys.stderr.write(f"{args.output}: a copy for display, up to {in_words(error)} off the true surface\n")
    save_document(document, args.output)
    return DONE


def run_serve(args: argparse.Namespace) -> int:
    from brickseat.serving import serve

    return serve(demo=args.command == "demo", host=args.host, port=args.port, open_browser=not args.no_open, fd=args.fd)


def run_warm(args: argparse.Namespace) -> int:
    import gc

    from brickseat_core.warm import warm

    # The compiler makes millions of small objects and drops few of them: looking for those takes a tenth of the time.
    gc.disable()
    warm(lambda done, total, what: print(f"kernels {done}/{total}: {what}", flush=True))
    return DONE


def main(argv: Sequence[str] | None = None) -> int:
    args = parser().parse_args(argv)
    try:
        code: int = args.run(args)
    except FileError as error:
        sys.stderr.write(f"brickseat {args.command}: {' '.join(str(error).split())}\n")
        return BAD
    except BrokenPipeError:
        return DONE
    except KeyboardInterrupt:
        return 130
    return code


if __name__ == "__main__":
    raise SystemExit(main())
