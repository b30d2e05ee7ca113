"""`dutiful prove`: a gate and its document run against each other."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from ..declare.errors import DeclarationError
from ..document.dialects import WRITTEN
from ..gates.document import DocumentGate
from ..prove.of_document import prove_document
from ..prove.proof import Proof
from ..prove.proof import prove as run
from ..report.shown_values import counted, visible
from .console import console, sure_output
from .shared_options import printed_as
from .target import CannotRun, documents_option, gate_for

_SHOW_PROGRESS_FROM = 4_000
_MOST_RELEASED = 2_000
"""So many values at most are released for a consumer: the proof is by the documents, and they are tried beside it."""
_LAWS = {
    1: "what the document accepts, the gate admits",
    2: "what the gate admits, the document accepts",
    3: "what is released, the release document accepts",
}
_WAYS = {1: "all ways of judging by a document say the same"}


@click.command(
    epilog="""Example:

\b
    dutiful prove harbour.shapes:Booking
    dutiful prove harbour.shapes:Booking -n 200000 --dialect draft-07
    dutiful prove booking.schema.json
    dutiful prove harbour.shapes:Booking --stores harbour.storage:BookingRow --postgresql
    dutiful prove harbour.shapes:Booking --against customs.shapes:Declared

With --stores, TARGET is held against a class that SQLAlchemy maps to a table: whatever the gate admits, the table must
hold, and give back equal. Rows are written to SQLite in memory, to databases that are named, and to a PostgreSQL server
that is started for it; to temporary tables, in a transaction that is rolled back.

With --against, TARGET is a service and CONSUMER reads what it releases, a MODULE:NAME or a .json document, also with
@REVISION: all that the one releases, the other must admit.

Exit status: 0 no disagreement, 1 some, 2 cannot run; with --against and --stores 3 where it could not be told.
"""
)
@click.argument("target", metavar="TARGET")
@documents_option
@click.option(
    "-n", "instances", type=click.IntRange(1), default=20_000, show_default=True, help="How many instances to try."
)
@click.option("--seed", default=0, show_default=True, help="The same seed tries the same instances.")
@click.option("--stores", "model", default="", metavar="MODULE:NAME", help="A mapped class to hold TARGET against.")
@click.option(
    "--against",
    "consumer",
    default="",
    metavar="CONSUMER",
    help="A declaration or a document that must admit all that TARGET releases.",
)
@click.option("--database", "databases", multiple=True, metavar="URL", help="With --stores: another database.")
@click.option("--postgresql", is_flag=True, help="With --stores: also a PostgreSQL server of its own.")
@click.option(
    "--dialect",
    type=click.Choice(list(WRITTEN)),
    default="2020-12",
    show_default=True,
    help="The dialect of the document.",
)
@printed_as(["text", "json"], "For whom to print.")
def prove(
    target: str,
    documents: Path | None,
    instances: int,
    seed: int,
    model: str,
    consumer: str,
    databases: tuple[str, ...],
    postgresql: bool,
    dialect: str,
    printed: str,
) -> None:
    """Run TARGET, a MODULE:NAME, and its document against each other on generated instances.

    What the document accepts, the gate must admit; what the gate admits, the document must accept; what is released,
    the release document must accept. A disagreement is told by its smallest instance.

    Where TARGET is a JSON Schema document, a .json file, it is judged by in all ways there are, which must agree:
    compiled, word for word, and with formats by the grammars of their standards.
    """
    sure_output()
    if model and consumer:
        raise CannotRun("--stores and --against ask two questions: give them one at a time")
    if model:
        from .prove_storage import prove_storage

        raise SystemExit(
            prove_storage(target, model, databases, own=postgresql, rows=instances, seed=seed, form=printed)
        )
    if consumer:
        from .prove_consumer import prove_consumer

        samples = min(instances, _MOST_RELEASED)
        raise SystemExit(prove_consumer(target, consumer, samples=samples, seed=seed, form=printed))
    if databases or postgresql:
        raise CannotRun("--database and --postgresql go with --stores")
    gate = gate_for(target, documents=documents)
    try:
        with _progress(instances) as tell:
            if isinstance(gate, DocumentGate):
                dialect = gate.dialect
                proof = prove_document(gate, instances, seed, progress=tell)
            else:
                proof = run(gate, instances, seed, dialect=dialect, progress=tell)
    except DeclarationError as error:
        raise CannotRun(f"the document of {target} cannot become a gate.\n  {error}") from None
    if printed == "json":
        click.echo(json.dumps(_as_data(target, dialect, seed, proof), indent=2, ensure_ascii=False, default=str))
    else:
        _print(target, dialect, proof, laws=_WAYS if isinstance(gate, DocumentGate) else _LAWS)
    raise SystemExit(1 if proof.disagreements else 0)


@contextmanager
def _progress(instances: int) -> Iterator[Callable[[int], None] | None]:
    """A bar on the terminal for long runs; nothing elsewhere."""
    if instances < _SHOW_PROGRESS_FROM or not sys.stderr.isatty():
        yield None
        return
    columns = (TextColumn("instances"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("instances", total=instances)
        yield lambda done: bar.advance(task, done)


def _shown(instance: Any) -> str:
    text = visible(json.dumps(instance, ensure_ascii=False, default=str))
    return text if len(text) <= 400 else f"{text[:399]}…"


def _print(target: str, dialect: str, proof: Proof, laws: Mapping[int, str]) -> None:
    out = console()
    heading = f"{target} against its {dialect} document"
    if laws is _WAYS:
        heading = f"{target}, a {dialect} document, judged by in all ways"
    out.print(heading, style="heading", markup=False)
    out.print(
        f"  {counted(proof.instances, 'instance')} in {proof.seconds:.1f} s: "
        f"{proof.admitted:,} admitted, {proof.refused:,} refused by the gate"
    )
    if proof.unsayable:
        out.print(
            f"  {proof.unsayable:,} more that no document can speak of: lone surrogates, numbers that no double holds",
            style="quiet",
        )
    if proof.made:
        out.print(
            f"  {counted(proof.made, 'value')} made in code of those admitted: {proof.made_released:,} went out, "
            f"{proof.made - proof.made_released:,} refused on the way",
            style="quiet",
        )
    if proof.unsampled:
        out.print(f"  no sound payload could be made, so only odd ones were tried: {proof.unsampled}", markup=False)
    for broken in proof.disagreements:
        out.print(f"\n  law {broken.law} is broken: {laws[broken.law]}", style="refused")
        out.print(f"    {visible(broken.told)}", markup=False)
        out.print(f"    with {_shown(broken.instance)}", markup=False)
    if proof.unstated:
        out.print("\n  The document does not state, and says so:")
    for rule, instance, met in proof.unstated:
        out.print(f"    {rule.field}: {rule.rule}", markup=False)
        out.print(f"        {rule.reason}", style="quiet", markup=False)
        told = "only the gate refuses, for example" if met else "no instance showed the difference"
        out.print(f"        {told}", style="quiet", markup=False)
        if met:
            out.print(f"        {_shown(instance)}", markup=False)
    out.print()
    if proof.disagreements:
        out.print(f"  {counted(len(proof.disagreements), 'disagreement')}", style="refused")
    else:
        out.print("  no disagreement", style="admitted")


def _as_data(target: str, dialect: str, seed: int, proof: Proof) -> dict[str, Any]:
    return {
        "target": target,
        "dialect": dialect,
        "seed": seed,
        "instances": proof.instances,
        "admitted": proof.admitted,
        "refused": proof.refused,
        "unsayable": proof.unsayable,
        "seconds": round(proof.seconds, 3),
        "unsampled": proof.unsampled or None,
        "disagreements": [
            {"law": broken.law, "told": broken.told, "instance": broken.instance} for broken in proof.disagreements
        ],
        "unstated": [
            {"field": rule.field, "rule": rule.rule, "reason": rule.reason, "met": met, "instance": instance}
            for rule, instance, met in proof.unstated
        ],
    }
