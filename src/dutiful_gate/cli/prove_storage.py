"""What `dutiful prove --stores` does: a gate held against a table."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import Any

import click
from rich.progress import Progress, SpinnerColumn, TextColumn
from rich.text import Text

from ..declare.errors import DeclarationError
from ..report.shown_values import counted, visible
from .console import console
from .target import CannotRun, named, typed_gate_for

_MOST_ROWS = 300
"""So many sound rows are written to each database: each is a statement of its own, there and back."""


def prove_storage(
    target: str, model: str, databases: Sequence[str], *, own: bool, rows: int, seed: int, form: str
) -> int:
    """Print what a table does not hold of what a gate admits; 1 where there is anything, 3 where it could not be told,
    else 0. Raises CannotRun."""
    try:
        from sqlalchemy import create_engine
        from sqlalchemy.exc import SQLAlchemyError

        from ..storage import NoServer, agreement, own_postgresql
    except ModuleNotFoundError as error:
        raise CannotRun(f"storage models need the package {error.name}: pip install 'dutiful-gate[storage]'") from None
    gate = typed_gate_for(target)
    with ExitStack() as stack:
        try:
            engines = {"SQLite": create_engine("sqlite://")}
            stack.callback(engines["SQLite"].dispose)
            for at, url in enumerate(databases, 1):
                engine = create_engine(url)
                stack.callback(engine.dispose)
                engines[f"{engine.dialect.name}{f' {at}' if len(databases) > 1 else ''}"] = engine
            if own:
                engines["PostgreSQL"] = stack.enter_context(own_postgresql())
            tell = stack.enter_context(_progress())
            found = agreement(gate, named(model), engines, rows=min(rows, _MOST_ROWS), seed=seed, told=tell)
        except (DeclarationError, NoServer) as error:
            raise CannotRun(visible(str(error))) from None
        except (SQLAlchemyError, ImportError) as error:
            # A URL may have a password in it, and the words of a driver may have the URL: neither is shown.
            told = type(error).__name__
            raise CannotRun(f"a database cannot be used ({told}); check the URL of --database") from None
    if form == "json":
        click.echo(json.dumps(_as_data(target, model, found), indent=2, ensure_ascii=False))
    else:
        _print(target, model, found)
    return 1 if found.disagreements else 0 if found else 3


@contextmanager
def _progress() -> Iterator[Callable[[int], Any] | None]:
    if not sys.stderr.isatty():
        yield None
        return
    columns = (SpinnerColumn(), TextColumn("{task.completed:,} rows written and read back"))
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("rows", total=None)
        yield lambda count: bar.advance(task, count)


def _print(target: str, model: str, found: Any) -> None:
    out = console()
    out.print(f"{target}, stored by {model}", style="heading", markup=False)
    order = {each.field: at for at, each in reversed([*enumerate(found.disagreements)])}
    for each in sorted(found.disagreements, key=lambda each: order[each.field]):
        out.print(Text.assemble("\n  ", (visible(each.field) or "(the whole)", "pointer"), "  ", visible(each.words)))
        shown = f", with {visible(each.value)}" if each.value and each.value not in each.words else ""
        out.print(f"      found by {each.found}{shown}", style="quiet", markup=False)
    out.print()
    for words in found.unknowable:
        out.print(f"  a gate cannot know: {visible(words)}", style="quiet", markup=False)
    for words in found.unread:
        out.print(f"  not understood: {visible(words)}", style="refused", markup=False)
    for name, count in found.written.items():
        out.print(f"  {name}: {counted(count, 'row')} written and read back", style="quiet", markup=False)
    if found:
        out.print("  the table holds all that the gate admits, as far as was found", style="admitted")
    elif found.disagreements:
        out.print(f"  {counted(len(found.disagreements), 'disagreement')}", style="refused")
    else:
        what = counted(len(found.unread), "point")
        out.print(
            f"  no disagreement was found, and it could not be told for certain: {what} not understood", style="refused"
        )


def _as_data(target: str, model: str, found: Any) -> dict[str, Any]:
    return {
        "target": target,
        "stores": model,
        "disagreements": [
            {"field": each.field, "words": each.words, "value": each.value, "found": each.found}
            for each in found.disagreements
        ],
        "unknowable": found.unknowable,
        "unread": found.unread,
        "written": found.written,
    }
