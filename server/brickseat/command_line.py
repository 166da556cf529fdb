"""The command line: the same core without the browser. See docs/command-line.md for the contract."""

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import Fit, check
from brickseat_core.fit.lengths import in_words, parse_length
from brickseat_core.fit.repair import bottom_up, repair
from brickseat_core.fit.rest import rest
from brickseat_core.fit.seat import seat
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import GltfSet, read_set
from brickseat_core.formats.report import fit_report, fit_text
from brickseat_core.placing.moves import REST_TRIES
from brickseat_core.scene import Piece, Pose, Set

DONE, FAULTS, BAD = 0, 1, 2


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


def parser() -> argparse.ArgumentParser:
    root = OneLineParser(prog="brickseat", description="Rests props on a set so that they touch, and proves it.")
    commands = root.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(name: str, run: Callable[[argparse.Namespace], int], text: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        return sub

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
        choices=["drop", "rest"],
        default="drop",
        help="drop: move along the direction only; rest: may tilt to the nearest stable stand",
    )
    sub.add_argument("--only", metavar="GLOB", action="append", default=[], help="just the pieces of these names")
    sub = command("repair", run_repair, "mend faults with the least movement")
    takes_set(sub, writes=True)
    sub = command("measure", run_measure, "size, volume, resting sides, health of a mesh")
    sub.add_argument("prop", metavar="PROP", type=Path)
    sub.add_argument("--json", action="store_true")
    for name, text in (("demo", "the web application with the demo data"), ("serve", "the web application")):
        sub = command(name, run_serve, text)
        sub.add_argument("--port", type=int, default=8460, help="the next free one is taken when it is in use")
        sub.add_argument("--host", default="127.0.0.1")
        sub.add_argument("--no-open", action="store_true", help="do not open a browser")
        sub.add_argument("--fd", type=int, default=None, help=argparse.SUPPRESS)
    command("warm", run_warm, "compile the kernels once, with progress")
    return root


def open_set(path: Path, bearers: Sequence[str], tolerance: float) -> GltfSet:
    document = GltfDocument.open(path)
    try:
        return read_set(document, bearers, tolerance)
    except FileError as error:
        raise FileError(f"{path}: {error}") from None


def progress(label: str) -> Callable[[int, int], bool]:
    def told(done: int, total: int) -> bool:
        if sys.stderr.isatty():
            sys.stderr.write(f"\r{label} {done}/{total} ")
            sys.stderr.flush()
        return True

    return told


def outcome(dressed: Set, fits: dict[str, Fit], strict: bool) -> int:
    sys.stderr.write(fit_text(dressed, fits) + "\n") if sys.stderr.isatty() else None
    return FAULTS if strict and any(f.faults for f in fits.values()) else DONE


def run_check(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = SceneIndex.of(found.dressed)
    fits = check(index, args.tolerance, told=progress("checking"))
    if args.json:
        print(json.dumps(fit_report(found.dressed, fits), ensure_ascii=False))
    else:
        print(fit_text(found.dressed, fits))
    return FAULTS if any(f.faults for f in fits.values()) else DONE


def run_seat(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = SceneIndex.of(found.dressed)
    chosen = [
        p
        for p in bottom_up(found.dressed.pieces.values())
        if p.movable and (not args.only or any(fnmatchcase(p.name, g) for g in args.only))
    ]
    if args.only and not chosen:
        raise FileError(f"{args.set}: no piece that may move is named {' or '.join(args.only)}; see brickseat check")
    told = progress("seating")
    for done, piece in enumerate(chosen):
        pose, reason = seated_pose(index, piece, args.mode)
        if pose is None:
            sys.stderr.write(f"{piece.name}: left where it is, {reason}\n")
        else:
            index.put(piece.at(pose))
        told(done + 1, len(chosen))
    found.store(index.pieces)
    save(found.document, args.output)
    if not args.strict:
        return DONE
    return outcome(found.dressed, check(index, args.tolerance), args.strict)


def seated_pose(index: SceneIndex, piece: Piece, mode: str) -> tuple[Pose | None, str]:
    """Where a piece sits, or None and why it stays where it is."""
    if mode == "rest":
        found = rest(index, piece, REST_TRIES)
        return (found.pose if found.stable else None, found.reason)
    result = seat(index, piece)
    return (result.pose if result.travel is not None else None, result.reason)


def run_repair(args: argparse.Namespace) -> int:
    found = open_set(args.set, args.bearer, args.tolerance)
    index = SceneIndex.of(found.dressed)
    result = repair(index, args.tolerance, told=progress("mending"))
    found.store(index.pieces)
    save(found.document, args.output)
    for mended in result.mended:
        print(mended.words)
    for left in result.left:
        print(f"{index.pieces[left.key].name} left: {left.reason}")
    return FAULTS if args.strict and result.left else DONE


def save(document: GltfDocument, path: Path) -> None:
    if path.suffix.lower() not in (".glb", ".gltf"):
        raise FileError(f"{path}: a set is written as .glb or .gltf; name the output so")
    document.save(path)


def run_measure(args: argparse.Namespace) -> int:
    from brickseat_core.formats.prop_file import read_prop
    from brickseat_core.meshes.sides import resting_sides

    mesh = read_prop(args.prop)
    lo, hi = mesh.box
    size = hi - lo
    volume, centre = mesh.mass
    health = mesh.health
    sides = resting_sides(mesh)
    if args.json:
        report: dict[str, Any] = {
            "version": 1,
            "size_m": {"width": float(size[0]), "height": float(size[1]), "depth": float(size[2])},
            "volume_m3": abs(volume) if health.closed else None,
            "centre_of_mass": [float(v) for v in centre],
            "resting_sides": [
                {
                    "down": list(s.down),
                    "steadiness_deg": s.steadiness_deg,
                    "centre_height_m": s.height,
                    "area_m2": s.area,
                }
                for s in sides
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
        }
        print(json.dumps(report, ensure_ascii=False))
        return DONE
    print(f"size     {in_words(size[0])} across, {in_words(size[1])} up, {in_words(size[2])} along")
    print(f"volume   {abs(volume) * 1000:.3f} l" if health.closed else f"volume   none: {health.open_edges} open edges")
    print(f"mesh     {health.triangles} triangles in {health.shells} shell{'' if health.shells == 1 else 's'}")
    for word, n in (("degenerate", health.degenerate), ("duplicate", health.duplicate)):
        if n:
            print(f"         {n} {word} faces")
    if health.inward:
        print("         its faces look inward")
    for s in sides[:6]:
        print(
            f"stands   with ({s.down[0]:.2f}, {s.down[1]:.2f}, {s.down[2]:.2f}) down, tips at {s.steadiness_deg:.1f}°"
        )
    return DONE


def run_serve(args: argparse.Namespace) -> int:
    from brickseat.serving import serve

    return serve(demo=args.command == "demo", host=args.host, port=args.port, open_browser=not args.no_open, fd=args.fd)


def run_warm(args: argparse.Namespace) -> int:
    from brickseat_core.warm import warm

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
