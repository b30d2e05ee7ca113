"""`dutiful demo`: the whole story on the shipped data."""

from __future__ import annotations

import inspect
import json
from importlib.resources import files
from pathlib import Path
from textwrap import dedent

import click
from rich.console import Console
from rich.syntax import Syntax
from rich.text import Text

from ..demo import ferries
from ..feed.json_file import Examined, examine_whole
from ..report.fault import Fault
from ..report.shown_values import visible
from .console import console, sure_output, told

_TARGET = "dutiful_gate.demo.ferries:Booking"
_THEME = "ansi_dark"
_EXCERPTS = 4
_ADDRESSES = (
    ("/manual", "the manual: read what is sent and answered, and try it"),
    ("/book", "a form, with every fault under its field"),
    ("/openapi.json", "the description for programs"),
    ("/bookings?size=2&sort=-departs", "the last bookings on file"),
)


@click.command(
    epilog="""Example:

\b
    dutiful demo
    dutiful demo --into .      also puts a copy of the data here, to try things on
    dutiful demo --serve       an API over the data, with its manual, until Ctrl+C
"""
)
@click.option(
    "--into",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="A folder to put bookings.json into; a file of that name is left alone.",
)
@click.option("--serve", is_flag=True, help="Serve the booking desk on this machine alone, until Ctrl+C.")
@click.option(
    "--port",
    type=click.IntRange(0, 65535),
    default=8000,
    show_default=True,
    help="For --serve; 0 is any free one.",
)
def demo(into: Path | None, serve: bool, port: int) -> None:
    """Show the main job on the shipped data: declare, admit or refuse, tell, document."""
    sure_output()
    out = console()
    if serve:
        _serve(out, port)
        return
    raw = files("dutiful_gate.demo").joinpath("bookings.json").read_bytes()
    examined = examine_whole(ferries.bookings, raw)
    lines = raw.decode().splitlines()
    _declared(out)
    _passed(out, examined)
    _placed(out, examined, lines)
    _sent(out, examined, raw)
    _documented(out)
    _compiled(out)
    _repeat(out, into, raw)


def _serve(out: Console, port: int) -> None:
    """The booking desk, with the addresses of what there is to see."""
    try:
        from ..demo.serve import serve
    except ImportError as missing:
        raise click.ClickException(
            f"the package {missing.name} is not installed: pip install 'dutiful-gate[demo]'"
        ) from None

    def started(address: str) -> None:
        out.print("The booking desk of Tern Sound Ferries answers here, until Ctrl+C:", style="heading")
        for path, words in _ADDRESSES:
            out.print(Text.assemble("   ", (f"{address}{path}", "place"), "  ", (words, "quiet")), soft_wrap=True)

    try:
        serve(port, started)
    except OSError as error:
        remedy = "give another with --port, or --port 0 for any that is free"
        raise click.ClickException(f"port {port} cannot be had ({error.strerror}): {remedy}") from None
    out.print("Stopped.", style="quiet")


def _step(out: Console, number: int, title: str, text: str) -> None:
    out.print()
    out.print(f"{number}. {title}", style="heading")
    out.print(f"   {text}", style="quiet")
    out.print()


def _declared(out: Console) -> None:
    _step(
        out, 1, "Declare once, in plain types", "Tern Sound Ferries takes bookings for freight. This is all it writes:"
    )
    source = inspect.getsource(ferries)
    start = source.index("PortCode =")
    out.print(Syntax(source[start:].rstrip(), "python", theme=_THEME, background_color="default"))


def _passed(out: Console, examined: Examined[ferries.Booking]) -> None:
    _step(out, 2, "A day's feed meets the gate", "bookings.json is what the booking offices sent in.")
    faults = len(examined.faults)
    out.print("   ", told(len(examined.admitted), len(examined.refused), faults), sep="")
    first = examined.verdicts[examined.admitted[0]].value
    out.print(
        f"   an admitted one is a typed record: {type(first).__name__}, "
        f"from {first.origin} to {first.destination}, departs {first.departs:%d %B %Y at %H:%M},"
        f" {len(first.crates)} crates",
        markup=False,
    )


def _placed(out: Console, examined: Examined[ferries.Booking], lines: list[str]) -> None:
    _step(out, 3, "Every fault, where it stands", "All faults of a record come at once, each with its line and column:")
    shown = [fault for number in examined.refused[:_EXCERPTS] for fault in examined.verdicts[number].faults]
    for fault in shown:
        _excerpt(out, fault, lines)
    rest = len(examined.faults) - len(shown)
    out.print(f"   and {rest} more; the command at the end lists them all", style="quiet")


def _excerpt(out: Console, fault: Fault, lines: list[str]) -> None:
    """A line of the file with a caret under the fault, as compilers show it."""
    assert fault.place is not None
    line = visible(lines[fault.place.line - 1])
    number = f"{fault.place.line:>6} "
    out.print(Text.assemble("   ", (f"bookings.json:{fault.place}", "place"), "  ", (fault.pointer, "pointer")))
    out.print(Text.assemble((f"{number}| ", "quiet"), line))
    caret = " " * (fault.place.column - 1) + "^ "
    out.print(Text.assemble(" " * len(number), ("| ", "quiet"), (caret, "refused"), fault.message))


def _sent(out: Console, examined: Examined[ferries.Booking], raw: bytes) -> None:
    _step(out, 4, "What an HTTP client is told", "verdict.problem() is the body of a 422 answer (RFC 9457):")
    number = next(number for number in examined.refused if len(examined.verdicts[number].faults) == 2)
    sent = json.dumps(json.loads(raw)[number], indent=2)
    out.print_json(json.dumps(ferries.bookings.examine_json(sent).problem(instance="/bookings")))


def _documented(out: Console) -> None:
    document = ferries.bookings.schema()
    _step(out, 5, "The document that says the same", "bookings.schema() is JSON Schema 2020-12; of it, Crate:")
    out.print_json(json.dumps(document["$defs"]["Crate"], ensure_ascii=False))
    for rule in document.unstated:
        out.print(f"\n   what it cannot say is listed, never lost: {rule}", style="quiet", markup=False)


def _compiled(out: Console) -> None:
    _step(
        out, 6, "Why it is fast", "Each gate is compiled to plain Python; bookings.source shows it. Of it, the crates:"
    )
    lines = ferries.bookings.source.splitlines()
    begins = next(number for number, line in enumerate(lines) if line.endswith("# crates"))
    crates = dedent("\n".join(lines[begins : begins + 19]))
    out.print(Syntax(crates, "python", theme=_THEME, background_color="default"))


def _repeat(out: Console, into: Path | None, raw: bytes) -> None:
    out.print()
    data = "bookings.json"
    if into is None:
        text = "Put the data into this folder, and repeat it:"
        commands = ["dutiful demo --into ."]
    else:
        target = into / data
        if target.exists():
            text = f"{target} was there already and is left alone. Repeat it:"
        else:
            target.write_bytes(raw)
            text = f"The data is now in {target}. Repeat it:"
        data, commands = str(target), []
    out.print(f"7. {text}", style="heading")
    commands += [f"dutiful check {data} --against {_TARGET}", f"dutiful schema {_TARGET}", f"dutiful prove {_TARGET}"]
    for command in commands:
        out.print(f"   {command}", style="command", markup=False)
    if into is not None:
        _settings_too(out, into)


def _settings_too(out: Console, into: Path) -> None:
    """The files of the terminal's settings, with what to try on them."""
    from ..demo.terminal import put_into

    told = put_into(into)
    out.print()
    out.print("8. The settings of a terminal are there too", style="heading")
    for name, written in told:
        out.print(
            f"   {name}{'' if written else '  (was there already and is left alone)'}", style="quiet", markup=False
        )
    where = "" if into.resolve() == Path.cwd() else f" --folder {into}"
    for words in ("check", "show", "show --profile staging", "compare base staging", "template"):
        verb, _, rest = words.partition(" ")
        options = "" if verb == "template" else where
        command = f"dutiful config {verb} dutiful_gate.demo.terminal:settings{' ' + rest if rest else ''}{options}"
        out.print(f"   {command}", style="command", markup=False)
