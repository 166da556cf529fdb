"""What a command prints: progress and tables on a terminal, plain lines or JSON elsewhere."""

import json
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import Any


@contextmanager
def progress(words: str, quiet: bool = False) -> Iterator[Callable[[int, int], bool]]:
    """A bar on standard error while something runs. Yields the callback ``on_progress(done, total)`` that moves it. Only on a terminal."""
    if quiet or not sys.stderr.isatty():
        yield lambda done, total: True
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(words, total=None)

        def on_progress(done: int, total: int) -> bool:
            bar.update(task, completed=done, total=total)
            return True

        yield on_progress


def print_json(value: Any) -> None:
    """Write JSON on one line of standard output."""
    print(json.dumps(value, ensure_ascii=False))


def print_table(heads: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> None:
    """A table on standard output, which is a terminal."""
    from rich import box
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    table = Table(*heads, box=box.SIMPLE_HEAD, pad_edge=False)
    for row in rows:
        table.add_row(*(Text(cell) for cell in row))
    Console().print(table)


def complain(lines: Iterable[str], quiet: bool) -> None:
    """What a person should know, on standard error."""
    if not quiet:
        sys.stderr.writelines(f"{line}\n" for line in lines)
