"""`dutiful demo`: the whole story on the shipped data."""

from __future__ import annotations

import inspect
import json
from contextlib import chdir, suppress
from importlib.resources import files
from pathlib import Path
from tempfile import mkdtemp
from textwrap import dedent

import click
from rich.console import Console
from rich.progress import Progress
from rich.syntax import Syntax
from rich.text import Text

from ..demo import ferries
from ..demo import manifest as expected
from ..demo.make import MANIFEST_ROWS, long_feed, manifest
from ..files.json_file import ExaminedFile, examine_whole
from ..report.fault import Fault
from ..report.shown_values import visible
from .console import console, sure_output, told
from .target import CannotRun

_LINE = "dutiful_gate.demo.manifest:Line"
_STORY = ("manifest.csv", "sound.ndjson", "refused.csv", "refused.csv.faults.ndjson")
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
    dutiful demo --into . --feed 100000    and a long feed of bookings, feed.ndjson
    dutiful demo --serve       an API over the data, with its manual, until Ctrl+C
"""
)
@click.option(
    "--into",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="A folder to put the data into; files that are there are left alone.",
)
@click.option("--feed", type=click.IntRange(1), metavar="N", help="With --into: also a feed of so many bookings.")
@click.option("--serve", is_flag=True, help="Serve the booking desk on this machine alone, until Ctrl+C.")
@click.option(
    "--port",
    type=click.IntRange(0, 65535),
    default=8000,
    show_default=True,
    help="For --serve; 0 is any free one.",
)
def demo(into: Path | None, feed: int | None, serve: bool, port: int) -> None:
    """Show the main job on the shipped data: declare, admit or refuse, tell, document."""
    sure_output()
    out = console()
    if serve:
        _serve(out, port)
        return
    if feed is not None and into is None:
        raise CannotRun("--feed needs a folder to put it into: --into FOLDER")
    raw = files("dutiful_gate.demo").joinpath("bookings.json").read_bytes()
    examined = examine_whole(ferries.bookings, raw)
    lines = raw.decode().splitlines()
    _declared(out)
    _passed(out, examined)
    _placed(out, examined, lines)
    _sent(out, examined, raw)
    _documented(out)
    _compiled(out)
    try:
        _somebody_elses_file(out, _story_folder(into))
        if feed is not None and into is not None:
            _long_feed(out, into, feed)
        _repeat(out, into, raw)
    except OSError as error:
        raise CannotRun(f"{into or 'the folder'} cannot be written: {error.strerror}") from None


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


def _passed(out: Console, examined: ExaminedFile[ferries.Booking]) -> None:
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


def _placed(out: Console, examined: ExaminedFile[ferries.Booking], lines: list[str]) -> None:
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


def _sent(out: Console, examined: ExaminedFile[ferries.Booking], raw: bytes) -> None:
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


def _story_folder(into: Path | None) -> Path:
    """The folder for the manifest and what is made of it: none where a file of one of these names is already."""
    if into is not None and not any((into / name).exists() for name in _STORY):
        return into
    return Path(mkdtemp(prefix="dutiful-demo-"))


def _somebody_elses_file(out: Console, folder: Path) -> None:
    """A manifest that came by mail: drafted, looked over, tightened, checked, split."""
    _step(out, 7, "Somebody else's file", f"manifest.csv came by mail: {MANIFEST_ROWS:,} lines. What is in it?")
    (folder / "manifest.csv").write_text(manifest(), encoding="utf-8")
    with chdir(folder):
        _command(out, "draft manifest.csv --name Line")
        out.print()
        _command(out, "tree manifest.csv")
        _step(out, 8, "Tighten what was drafted", "What the ferries ask of a line, in dutiful_gate.demo.manifest:")
        source = inspect.getsource(expected)
        begins, ends = source.index("@dataclass"), source.index("lines = Gate")
        out.print(Syntax(source[begins:ends].rstrip(), "python", theme=_THEME, background_color="default"))
        _step(
            out,
            9,
            "Check the delivery",
            "Faults are told by rule and place, with where they begin and what would pass:",
        )
        _command(out, f"check manifest.csv --against {_LINE}")
        _step(out, 10, "Keep what is sound", "Typed records go into one file, refused lines untouched into another:")
        _command(out, f"check manifest.csv --against {_LINE} --admitted sound.ndjson --refused refused.csv --brief")
    out.print(f"   The files are in {folder}: open them.", style="quiet", markup=False)


def _command(out: Console, words: str) -> None:
    """Show a command, and what it prints."""
    out.print(f"   dutiful {words}", style="command", markup=False)
    command = click.get_current_context().find_root().command
    with suppress(SystemExit):
        command.main(words.split(), prog_name="dutiful", standalone_mode=False)


def _long_feed(out: Console, folder: Path, count: int) -> None:
    """A feed of bookings for trying things on, as long as is asked for."""
    path = folder / "feed.ndjson"
    if path.exists():
        out.print(f"   {path} was there already and is left alone", style="quiet", markup=False)
        return
    with path.open("wb") as file, Progress(console=console(stderr=True), transient=True) as bar:
        for line in bar.track(long_feed(count), total=count, description="writing the feed"):
            file.write(line)
    out.print(f"   {count:,} bookings in {path}", style="quiet", markup=False)


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
    out.print(f"11. {text}", style="heading")
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
    out.print("12. The settings of a terminal are there too", style="heading")
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
