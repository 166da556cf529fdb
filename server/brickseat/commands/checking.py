"""Fit checks, and the schemas of what is read and written."""

import json
import sys
from collections.abc import Mapping

from brickseat.commands.files import open_set
from brickseat.commands.given import Given
from brickseat.commands.output import print_json, print_table, progress
from brickseat.exit_codes import DONE, FAULTS
from brickseat_core.constraints.indexing import index_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
from brickseat_core.formats.report import counts_text, fit_report, fit_text, report_schema
from brickseat_core.scene import Set


def run_check(given: Given) -> int:
    """Check a set and tell its faults. Raises FileError."""
    found = open_set(given)
    index = index_of(found.dressed)
    with progress("checking", given.quiet) as on_progress:
        fits = check(index, given.tolerance, on_progress=on_progress)
    if given.as_json:
        print_json(fit_report(found.dressed, fits))
    elif not given.quiet:
        print_fits(found.dressed, fits)
    return FAULTS if any(f.faults for f in fits.values()) else DONE


def print_fits(dressed: Set, fits: Mapping[str, Fit]) -> None:
    """The faults and the counts: a table on a terminal, plain lines elsewhere."""
    if not sys.stdout.isatty():
        print(fit_text(dressed, fits))
        return
    faulty = [(dressed.pieces[f.key].name, f.state, f.reason) for f in fits.values() if f.faults]
    if faulty:
        print_table(("piece", "state", "why"), faulty)
    print(counts_text(fits))


def left_over(dressed: Set, given: Given, index: SceneIndex | None = None) -> int:
    """The exit code of a command that has left a set so; where it is strict, faults are looked for and printed.

    ``index``: that of the set, where there is one already.
    """
    if not given.strict:
        return DONE
    fits = check(index or index_of(dressed), given.tolerance)
    if sys.stderr.isatty() and not given.quiet and not given.as_json:
        sys.stderr.write(fit_text(dressed, fits) + "\n")
    return FAULTS if any(f.faults for f in fits.values()) else DONE


def run_schema(what: str) -> int:
    """Tell a JSON schema."""
    if what == "moves":
        from brickseat_core.moves import schema as found
    elif what == "scatter":
        from brickseat_core.recipes.scatter_schema import recipe_schema as found
    elif what == "fill":
        from brickseat_core.recipes.fill_schema import fill_schema as found
    else:
        found = report_schema
    print(json.dumps(found(), indent=1, ensure_ascii=False))
    return DONE
