"""The command line: the same core without the browser. See docs/command-line.md for the contract.

Only the words and options of the commands stand here. What a command does is imported when it is run, so that nobody waits
for the kernels to read a page of help.
"""

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Literal, NamedTuple

import typer
from typer.exceptions import TyperException

from brickseat.commands.given import Given
from brickseat.exit_codes import BAD, DONE, INTERRUPTED
from brickseat_core.fit.modes import Mode
from brickseat_core.formats.errors import FileError
from brickseat_core.geometry.lengths import Unit, parse_length

SHAKE = 0.005
"""Metres by which pieces are moved by chance before they settle, so that another seed gives another stand."""

app = typer.Typer(rich_markup_mode=None, help="Rests props on a set so that they touch, and proves it.")


def length(text: str) -> float:
    """``0.5mm`` -> 0.0005. Raises BadParameter."""
    try:
        return parse_length(text)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from None


def height(text: str) -> float:
    """``-20cm`` -> -0.2. Raises BadParameter."""
    below = text.strip().startswith("-")
    return -length(text.strip()[1:]) if below else length(text)


class JointTurn(NamedTuple):
    """``axis``: x, y or z of the joint itself."""

    joint: str
    axis: str
    degrees: float


def joint_turn(text: str) -> JointTurn:
    """``knee:x=30`` -> JointTurn("knee", "x", 30.0). Raises BadParameter."""
    joint, _, turn = text.rpartition(":")
    axis, _, degrees = turn.partition("=")
    try:
        value = float(degrees)
    except ValueError:
        value = float("nan")
    if not joint or axis not in ("x", "y", "z") or not abs(value) < float("inf"):
        raise typer.BadParameter(f"“{text}” is not a joint and its turn; write it like knee:x=30")
    return JointTurn(joint, axis, value)


SetFile = Annotated[Path, typer.Argument(metavar="SET.glb", show_default=False)]
OutFile = Annotated[Path, typer.Option("-o", "--output", metavar="OUT.glb", help="the file that is written")]
Bearers = Annotated[
    list[str] | None,
    typer.Option("--bearer", metavar="GLOB", help="bodies that carry and never move", show_default=False),
]
Only = Annotated[
    list[str] | None, typer.Option("--only", metavar="GLOB", help="just the pieces of these names", show_default=False)
]
Floor = Annotated[
    float | None,
    typer.Option(
        parser=height, metavar="HEIGHT", help="an endless plane at that height bears, too", show_default=False
    ),
]
Whole = Annotated[
    list[str] | None,
    typer.Option("--whole", metavar="GLOB", help="nodes that are one piece with all below them", show_default=False),
]
Parts = Annotated[
    list[str] | None,
    typer.Option("--parts", metavar="GLOB", help="nodes whose parts are pieces by themselves", show_default=False),
]
Tolerance = Annotated[float, typer.Option(parser=length, metavar="0.5mm", help="what counts as touching")]
Strict = Annotated[bool, typer.Option("--strict", help="exit 1 when faults are left")]
AsJson = Annotated[bool, typer.Option("--json", help="print JSON")]
Quiet = Annotated[bool, typer.Option("--quiet", help="print nothing but errors")]
RecipeFile = Annotated[Path, typer.Argument(metavar="RECIPE.json", show_default=False)]
Seed = Annotated[int | None, typer.Option(metavar="N", min=0, help="in place of the recipe's own", show_default=False)]
UnitWord = Annotated[
    Unit | None, typer.Option(help="what its numbers are; by default as the file says, else m", show_default=False)
]
UpWord = Annotated[
    Literal["y", "z"] | None,
    typer.Option(help="which axis is up; by default as the file says, else y", show_default=False),
]
Port = Annotated[int, typer.Option(min=1, max=65535, help="the next free one is taken when it is in use")]
NoOpen = Annotated[bool, typer.Option("--no-open", help="do not open a browser")]
Descriptor = Annotated[int | None, typer.Option(hidden=True)]


@app.command()
def check(
    set: SetFile,
    bearer: Bearers = None,
    floor: Floor = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    json: Annotated[bool, typer.Option("--json", help="the fit report as JSON")] = False,
    quiet: Quiet = False,
) -> int:
    """Fit check of every piece."""
    from brickseat.commands.checking import run_check

    return run_check(Given(set, bearer or [], tolerance, True, json, quiet, floor, whole or [], parts or []))


@app.command()
def seat(
    set: SetFile,
    output: OutFile,
    mode: Annotated[
        Mode, typer.Option(help="drop: move along the direction only; rest: may tilt to the nearest stable stand")
    ] = "drop",
    only: Only = None,
    land: Annotated[bool, typer.Option("--land", help="down to what is below: no stand-off is kept")] = False,
    bearer: Bearers = None,
    floor: Floor = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Set pieces down where they are."""
    from brickseat.commands.mending import run_seat

    return run_seat(
        Given(set, bearer or [], tolerance, strict, json, quiet, floor, whole or [], parts or []),
        output,
        mode,
        only or [],
        land,
    )


@app.command()
def settle(
    set: SetFile,
    output: OutFile,
    seed: Annotated[int, typer.Option(metavar="N", help="the same seed gives the same outcome")] = 0,
    trials: Annotated[int, typer.Option(min=1, metavar="K", help="seeds tried side by side; best is kept")] = 1,
    only: Only = None,
    lift: Annotated[float, typer.Option(parser=length, metavar="5cm", help="raise them before they fall")] = "0",  # type: ignore[assignment]
    shake: Annotated[
        float, typer.Option(parser=length, metavar="5mm", help="move and turn each by chance first")
    ] = f"{SHAKE}",  # type: ignore[assignment]
    animation: Annotated[bool, typer.Option("--animation", help="keep the motion as a glTF animation")] = False,
    bearer: Bearers = None,
    floor: Floor = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Let gravity act on loose pieces, then finish every contact exactly."""
    from brickseat.commands.settling import run_settle
    from brickseat_core.gravity.settling import SettleSlip

    slip = SettleSlip(lift, shake, seed, motion=animation)
    return run_settle(
        Given(set, bearer or [], tolerance, strict, json, quiet, floor, whole or [], parts or []),
        output,
        slip,
        trials,
        only or [],
    )


@app.command()
def repair(
    set: SetFile,
    output: OutFile,
    bearer: Bearers = None,
    floor: Floor = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Mend faults with the least movement."""
    from brickseat.commands.mending import run_repair

    return run_repair(Given(set, bearer or [], tolerance, strict, json, quiet, floor, whole or [], parts or []), output)


@app.command()
def apply(
    set: SetFile,
    moves: Annotated[Path, typer.Argument(metavar="MOVES.json", show_default=False)],
    output: OutFile,
    bearer: Bearers = None,
    floor: Floor = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Make moves, one after the other, all or none."""
    from brickseat.commands.mending import run_apply

    return run_apply(
        Given(set, bearer or [], tolerance, strict, json, quiet, floor, whole or [], parts or []), moves, output
    )


@app.command()
def scatter(
    set: SetFile,
    recipe: RecipeFile,
    output: OutFile,
    seed: Seed = None,
    bearer: Bearers = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Lay a scatter recipe on a set."""
    from brickseat.commands.laying import run_recipe

    return run_recipe(
        Given(set, bearer or [], tolerance, strict, json, quiet, None, whole or [], parts or []),
        "scatter",
        recipe,
        output,
        seed,
    )


@app.command()
def fill(
    set: SetFile,
    recipe: RecipeFile,
    output: OutFile,
    seed: Seed = None,
    bearer: Bearers = None,
    whole: Whole = None,
    parts: Parts = None,
    tolerance: Tolerance = "0.5mm",  # type: ignore[assignment]
    strict: Strict = False,
    json: AsJson = False,
    quiet: Quiet = False,
) -> int:
    """Fill a bay of a set."""
    from brickseat.commands.laying import run_recipe

    return run_recipe(
        Given(set, bearer or [], tolerance, strict, json, quiet, None, whole or [], parts or []),
        "fill",
        recipe,
        output,
        seed,
    )


@app.command()
def schema(what: Annotated[Literal["moves", "scatter", "fill", "report"], typer.Argument(show_default=False)]) -> int:
    """The JSON schema of what is read and written."""
    from brickseat.commands.checking import run_schema

    return run_schema(what)


@app.command()
def measure(
    prop: Annotated[Path, typer.Argument(metavar="PROP", show_default=False)],
    json: Annotated[bool, typer.Option("--json", help="the report as JSON")] = False,
    shapes: Annotated[
        bool, typer.Option("--shapes", help="also make each kind of contact shape and measure its error")
    ] = False,
    unit: UnitWord = None,
    up: UpWord = None,
) -> int:
    """Size, volume, resting sides, health of a mesh."""
    from brickseat.commands.props import run_measure

    return run_measure(prop, json, shapes, unit, up)


@app.command()
def convert(
    input: Annotated[Path, typer.Argument(metavar="IN", show_default=False)],
    output: Annotated[Path, typer.Option("-o", "--output", metavar="OUT", help="the file that is written")],
    bend: Annotated[
        list[JointTurn] | None,
        typer.Option(
            parser=joint_turn,
            metavar="JOINT:x=30",
            help="turn a named joint about its own x, y or z axis by so many degrees",
            show_default=False,
        ),
    ] = None,
    light: Annotated[
        int | None,
        typer.Option(min=1, metavar="N", help="a copy for display with at most N triangles a mesh", show_default=False),
    ] = None,
    unit: UnitWord = None,
    up: UpWord = None,
    quiet: Quiet = False,
) -> int:
    """Between the formats read and written."""
    from brickseat.commands.props import run_convert

    return run_convert(input, output, bend or [], light, unit, up, quiet)


accounts = typer.Typer(help="Accounts of the web application.", no_args_is_help=True)
app.add_typer(accounts, name="user")
AccountName = Annotated[str, typer.Argument(metavar="NAME", show_default=False)]


@accounts.command("add")
def add_user(
    name: AccountName,
    keeps_store: Annotated[
        bool, typer.Option("--keeps-store", help="may change and delete the props that belong to everybody")
    ] = False,
) -> int:
    """A new account; its password is asked for, or read from standard input."""
    from brickseat.commands.accounts import run_add

    return run_add(name, keeps_store)


@accounts.command("password")
def change_password(name: AccountName) -> int:
    """Another password; whoever is signed in with the old one is signed out."""
    from brickseat.commands.accounts import run_password

    return run_password(name)


@accounts.command("token")
def make_token(name: AccountName) -> int:
    """A new token for pipelines, shown once: Authorization: Bearer TOKEN. The one before it is no longer good."""
    from brickseat.commands.accounts import run_token

    return run_token(name)


@accounts.command("list")
def list_users() -> int:
    """Every account: name, active or closed, and whether it has a token."""
    from brickseat.commands.accounts import run_list

    return run_list()


@app.command()
def demo(port: Port = 8460, host: str = "127.0.0.1", no_open: NoOpen = False, fd: Descriptor = None) -> int:
    """The web application with the demo data."""
    from brickseat.serving import serve as run

    return run(demo=True, host=host, port=port, open_browser=not no_open, fd=fd)


@app.command()
def serve(
    port: Port = 8460,
    host: str = "127.0.0.1",
    no_open: NoOpen = False,
    fd: Descriptor = None,
    behind_proxy: Annotated[
        bool, typer.Option("--behind-proxy", help="a proxy on this machine speaks HTTPS to the visitors")
    ] = False,
) -> int:
    """The web application."""
    from brickseat.serving import serve as run

    return run(demo=False, host=host, port=port, open_browser=not no_open, fd=fd, behind_proxy=behind_proxy)


@app.command()
def warm() -> int:
    """Compile the kernels once, side by side, with progress."""
    from brickseat.commands.warming import run_warm

    return run_warm()


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; its exit code. Bad usage and bad input end with one line on standard error."""
    given = list(sys.argv[1:] if argv is None else argv)
    command = next((word for word in given if not word.startswith("-")), "")
    try:
        code = typer.main.get_command(app).main(given or ["--help"], prog_name="brickseat", standalone_mode=False)
    except TyperException as error:
        known = (
            f"brickseat {command}"
            if command in {c.callback.__name__ for c in app.registered_commands if c.callback}
            else "brickseat"
        )
        sys.stderr.write(f"{known}: {' '.join(error.format_message().split())}; see {known} --help\n")
        return BAD
    except FileError as error:
        sys.stderr.write(f"brickseat {command}: {' '.join(str(error).split())}\n")
        return BAD
    except BrokenPipeError:
        return DONE
    except (KeyboardInterrupt, typer.Abort):
        return INTERRUPTED
    return int(code or DONE)


if __name__ == "__main__":
    raise SystemExit(main())
