"""`dutiful schema`: the document of a declaration, and how an editor finds it."""

from __future__ import annotations

import json
import os
import re
from pathlib import Path
from typing import Any

import click

from ..declare.errors import DeclarationError
from ..document.dialects import WRITTEN
from ..document.differing import differences
from ..document.document import Document
from ..document.plain_document import read_document
from ..gates.bundle import bundle
from ..report.shown_values import counted
from .console import console, sure_output
from .shared_options import unknown_option
from .target import CannotRun, Unknown, typed_gate_for
from .text_files import json_of, read_text, write_text

_MOST_TOLD = 40
_NEXT = "give --into FILE too: an editor reads the document from there"


@click.command(
    epilog="""Example:

\b
    dutiful schema harbour.shapes:Booking > booking.schema.json
    dutiful schema harbour.shapes:Booking harbour.shapes:Sailing --dialect openapi-3.1
    dutiful schema harbour.shapes:Booking --of release
    dutiful schema harbour.settings:Settings --into settings.schema.json --editor json --for settings.json
    dutiful schema harbour.shapes:Booking --check booking.schema.json      in CI: stale? exit status 1

The document goes to standard output or into the file, what it cannot say to standard error.
"""
)
@click.argument("targets", metavar="MODULE:NAME...", nargs=-1, required=True)
@click.option(
    "--of",
    type=click.Choice(["send", "release"]),
    default="send",
    show_default=True,
    help="What a client should send, or what comes out.",
)
@click.option(
    "--dialect",
    type=click.Choice(list(WRITTEN)),
    default=None,
    help="The dialect.  [default: 2020-12, and draft-07 with --editor]",
)
@click.option(
    "--formats",
    type=click.Choice(["name", "spell-out"]),
    default="name",
    show_default=True,
    help="spell-out puts a pattern beside each format.",
)
@click.option("--id", "uri", metavar="URI", help="The document's own URI.")
@unknown_option
@click.option("--into", type=click.Path(dir_okay=False, path_type=Path), help="Write the document into this file.")
@click.option(
    "--check",
    "kept",
    metavar="FILE",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write nothing; tell whether the document in this file is stale, and what changed.",
)
@click.option(
    "--editor",
    type=click.Choice(["json", "yaml", "workspace"]),
    help="Tell the editor: a $schema line for JSON, a first line for YAML, a mapping for the workspace.",
)
@click.option(
    "--for",
    "data",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="The data file to put that line into; without it the line is printed.",
)
def schema(
    targets: tuple[str, ...],
    of: Any,
    dialect: Any,
    formats: Any,
    uri: str | None,
    unknown: Unknown | None,
    into: Path | None,
    kept: Path | None,
    editor: str | None,
    data: Path | None,
) -> None:
    """Print the JSON Schema document of MODULE:NAME, a declared type or a Gate; of several, one bundle."""
    sure_output()
    if kept is not None and (into is not None or editor is not None):
        raise CannotRun("--check writes nothing: leave out --into and --editor, which wrote --dialect draft-07")
    if editor is not None and into is None:
        raise CannotRun(_NEXT)
    gates = {target.rpartition(":")[2]: typed_gate_for(target, unknown) for target in targets}
    dialect = dialect or ("draft-07" if editor else "2020-12")
    try:
        if len(targets) == 1:
            (gate,) = gates.values()
            document = gate.schema(of=of, dialect=dialect, formats=formats, id=uri)
        else:
            document = bundle(gates, of=of, dialect=dialect, formats=formats, id=uri)
    except DeclarationError as error:
        raise CannotRun(str(error)) from None
    if kept is not None:
        _check_stale(kept, document)
        return
    text = json.dumps(document, indent=2, ensure_ascii=False)
    out = console()
    if into is not None:
        write_text(into, text + "\n")
    elif out.is_terminal:
        out.print_json(text, indent=2)
    else:
        click.echo(text)
    _tell_unstated(document)
    if editor is not None and into is not None:
        _associate(editor, into, data)


def _check_stale(kept: Path, document: Document) -> None:
    """Tell whether a file holds the document, and end with status 1 where it does not."""
    try:
        there = read_document(kept)
    except DeclarationError as error:
        raise CannotRun(error.problem) from None
    except OSError as error:
        raise CannotRun(f"{kept} cannot be read: {error.strerror}; --into {kept} writes it") from None
    out = console()
    found = list(differences(there, json.loads(json.dumps(document))))
    if not found:
        out.print(f"{kept} says what the declaration says", markup=False)
        return
    out.print(f"{kept} is stale: {counted(len(found), 'part')} changed", style="refused", markup=False)
    for difference in found[:_MOST_TOLD]:
        out.print(f"  {difference}", markup=False, highlight=False)
    if len(found) > _MOST_TOLD:
        out.print(f"  and {len(found) - _MOST_TOLD:,} more", markup=False)
    if any(difference.pointer == "/$schema" for difference in found):
        out.print("The file is of another dialect: give the --dialect that it was written in.", markup=False)
    out.print(f"To renew it: the same command with --into {kept} in the place of --check {kept}", markup=False)
    raise SystemExit(1)


def _tell_unstated(document: Document) -> None:
    aside = console(stderr=True)
    if document.unstated:
        aside.print("\nNot in the document, and checked by the gate all the same:", style="heading")
    for rule in document.unstated:
        aside.print(f"  {rule.field}: {rule.rule}", markup=False)
        aside.print(f"      {rule.reason}", style="quiet", markup=False)


def _associate(editor: str, document: Path, data: Path | None) -> None:
    """Print the line or mapping that leads an editor to the document, or put it into the data file."""
    lead = _lead(document, data)
    if editor == "workspace":
        files = [data.name] if data is not None else ["*.json", "*.yaml"]
        plain = [name for name in files if not name.endswith((".yaml", ".yml"))]
        mapping: dict[str, Any] = {"json.schemas": [{"fileMatch": plain, "url": lead}]} if plain else {}
        if others := [name for name in files if name.endswith((".yaml", ".yml"))]:
            mapping["yaml.schemas"] = {lead: others}
        click.echo(json.dumps(mapping, indent=2))
        return
    line = f'"$schema": {json.dumps(lead)}' if editor == "json" else f"# $schema: {lead}"
    if data is None:
        click.echo(line)
        return
    text = read_text(data)
    write_text(
        data, _with_key(text, line, data) if editor == "json" else _with_line(text, line), note=f"now names {lead}"
    )


def _lead(document: Path, data: Path | None) -> str:
    here = data.resolve().parent if data is not None else Path.cwd()
    lead = Path(os.path.relpath(document.resolve(), here)).as_posix()
    return lead if lead.startswith("../") else f"./{lead}"


def _with_key(text: str, line: str, data: Path) -> str:
    """JSON text with the key first; the rest stays letter by letter."""
    held = json_of(text, str(data))
    if not isinstance(held, dict):
        raise CannotRun(f"{data} holds no record, and only a record can have a $schema key; try --editor workspace")
    if "$schema" in held:
        return re.sub(r'"\$schema"\s*:\s*"(?:[^"\\]|\\.)*"', lambda found: line, text, count=1)
    before, _, after = text.partition("{")
    comma = "," if held else ""
    if held and "\n" in after.partition('"')[0]:
        return f"{before}{{\n  {line}{comma}{after}"
    return f"{before}{{{line}{comma}{' ' if held else ''}{after.lstrip()}"


def _with_line(text: str, line: str) -> str:
    first, _, rest = text.partition("\n")
    return f"{line}\n{rest}" if first.startswith("# $schema:") else f"{line}\n{text}"
