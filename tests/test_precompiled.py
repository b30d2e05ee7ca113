"""Gates built beforehand: the same answers as those built anew, from files that are refused once they are stale."""

# Rooms: gates, engine, cli

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from types import ModuleType
from typing import Any
from zipfile import ZipFile

import pytest
from click.testing import CliRunner

from any_declaration import any_declaration
from dutiful_gate import CannotSample, DeclarationError, Gate, payloads, probes
from dutiful_gate.cli.app import dutiful
from dutiful_gate.engine.stored import StoredEngine
from dutiful_gate.gates.active_store import stores
from dutiful_gate.precompiled import StaleBuild, build_gates, open_built

SHAPES = """
from dataclasses import dataclass
from typing import Annotated, Any
from dutiful_gate import Gate, Source, about, goes_out, holds, it, obeys, secret, this, trimmed
from dutiful_gate.web import RequestGate

def even(value: int) -> bool:
    return value % 2 == 0

@dataclass
class Crate:
    contents: Annotated[str, trimmed, it.length >= 2]
    kg: Annotated[float, it > 0]
    inner: "Crate | None" = None

@dataclass
@obeys(this.to > this.start)
class Booking:
    \"\"\"A booking.\"\"\"
    start: int
    to: int
    crates: list[Crate]
    token: Annotated[str, secret, it.length <= 4] = "x"
    deck: Annotated[int, holds(even)] = 2

@dataclass
class Asked:
    query: Booking
    body: Crate

bookings = Gate(Booking)
by_text = Gate(Booking, Source.TEXT, unknown="refuse")
asked = RequestGate(Asked)

def local():
    @dataclass
    class Hidden:
        n: int
    return Gate(Hidden)

hidden = local()
"""
SOUND = {"start": 1, "to": 2, "crates": [{"contents": " ab ", "kg": 1, "inner": {"contents": "cd", "kg": 2}}], "x": 1}
ASK = """
import json, sys
{first}
import shapes
from dutiful_gate import payloads
gate, text, asked = shapes.bookings, shapes.by_text, shapes.asked
told = []
for data in ({sound}, {{}}, {{"start": 3, "to": 2, "crates": [{{"contents": "a", "kg": 0}}], "token": "h1dden", "deck": 3}}, 7):
    verdict = gate.examine(data)
    told.append([repr(verdict.value) if verdict else None, [str(fault) for fault in verdict.faults], verdict.dropped])
    told.append([str(fault) for fault in gate.examine_json(json.dumps(data)).faults])
    told.append([str(fault) for fault in text.examine(data).faults])
told.append(gate.release(gate.admit({sound})))
told.append([str(fault) for fault in asked.examine({{"query": {{"start": "1"}}, "body": {{"contents": "a"}}}}).faults])
told.append(gate.schema())
told.append(str(gate.why({{}}, "/start")))
told.append(payloads(gate, 2))
print(json.dumps([type(gate._engine).__name__, told], default=str, sort_keys=True))
"""


def ask(folder: Path, first: str = "") -> Any:
    done = subprocess.run(
        [sys.executable, "-c", ASK.format(first=first, sound=SOUND)],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
    )
    return json.loads(done.stdout) if done.returncode == 0 else done.stderr.strip().splitlines()[-1]


def build(folder: Path, *words: str) -> tuple[int, str]:
    command = [sys.executable, "-m", "dutiful_gate", "build", "shapes:bookings", "--into", "built", *words]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    return done.returncode, done.stdout + done.stderr


def test_a_program_starts_with_what_was_built_and_answers_the_same(tmp_path: Path) -> None:
    (tmp_path / "shapes.py").write_text(SHAPES)
    code, text = build(tmp_path)
    assert (code, "3 gates in built" in text) == (0, True), text
    assert "not built beforehand: Hidden from json: its declaration cannot be found by its name" in text
    documents = {path.name for path in (tmp_path / "built" / "documents").iterdir()}
    assert "shapes_bookings.schema.json" in documents
    plain, built = ask(tmp_path), ask(tmp_path, "import built")
    assert (plain[0], built[0]) == ("Engine", "StoredEngine")
    assert plain[1] == built[1]
    code, text = build(tmp_path, "--check")
    assert (code, "built holds what would be built now: 3 gates" in text) == (0, True), text
    # a change that matters, and one that does not
    (tmp_path / "shapes.py").write_text(SHAPES.replace("it > 0", "it > 0.5"))
    assert ask(tmp_path, "import built").endswith("shapes.py has changed; run dutiful build again")
    code, text = build(tmp_path, "--check")
    assert (code, "shapes:bookings is written otherwise now" in text) == (1, True), text
    (tmp_path / "shapes.py").write_text(SHAPES + "# more\n")
    code, text = build(tmp_path, "--check")
    assert (code, "stale: shapes.py has changed" in text) == (1, True), text
    assert build(tmp_path, "--stale", "compile")[0] == 0
    (tmp_path / "shapes.py").write_text(SHAPES.replace("it > 0", "it > 0.5"))
    again = ask(tmp_path, "import built")
    assert again[0] == "Engine", "what is stale is passed over"
    assert "above 0.5" in json.dumps(again[1])


COMMON = """
import os
from collections import namedtuple
from dataclasses import dataclass
from enum import Enum
from typing import Annotated, NewType, NotRequired, TypedDict
from dutiful_gate import it, obeys, this
from far.most import MOST

class Port(Enum):
    QUILLPORT = "QLP"

class Tide(TypedDict):
    height: float

Code = Annotated[str, it.length <= 4]
Ref = NewType("Ref", str)
Deck = "Annotated[int, it <= 3]"

@dataclass
class Base:
    low: int
    high: int = 9

def upper(name: str) -> str:
    return name.upper()
"""
OVER = """
from dataclasses import dataclass
from typing import Annotated
import common.alias
from common.alias import MOST, Base, Code, Port, Ref, Tide, upper
from dutiful_gate import Gate, it

@dataclass
class Sent(Base):
    code: Code = "a"
    many: Annotated[int, it <= MOST] = 1
    port: Port = Port.QUILLPORT
    ref: Ref = Ref("b")
    tide: "Tide | None" = None
    deck: "list[common.alias.Deck] | None" = None

bookings = Gate(Sent, keys=upper)
"""
ASK_OVER = """
import sys
if sys.argv[1:]:
    import built
from svc.shapes import bookings
print(type(bookings._engine).__name__, bookings.schema()["$defs"])
"""


@pytest.mark.parametrize(
    ("old", "new", "file"),
    [
        ("<= 4", "<= 5", "alias"),
        ("MOST = 3", "MOST = 4", "most"),
        ("high: int = 9", "high: int = 8", "alias"),
        ("low: int", "low: float", "alias"),
        ("height: float", "height: NotRequired[float]", "alias"),
        ('"QLP"', '"QLP"; OSTREY = "OST"', "alias"),
        ('NewType("Ref", str)', 'NewType("Ref", Annotated[str, it.length < 9])', "alias"),
        ("it <= 3", "it <= 2", "alias"),
        ("return name.upper()", "return name.title()", "alias"),
        ("@dataclass\nclass Base", "@obeys(this.low < this.high)\n@dataclass\nclass Base", "alias"),
        ("QUILLPORT = ", "QUILLPORT = ", "alias"),
    ],
)
@pytest.mark.parametrize("stale", ["refuse", "compile"])
def test_what_is_declared_in_other_packages_is_in_the_stamp(
    tmp_path: Path, old: str, new: str, file: str, stale: str
) -> None:
    """Aliases, constants, bases, enumerations and TypedDicts of other packages: a program ran with the old rules."""
    files = {"svc/shapes": OVER, "common/alias": COMMON, "far/most": "MOST = 3\n"}
    for name, text in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / f"{name}.py").write_text(text)
    command = [
        sys.executable,
        "-m",
        "dutiful_gate",
        "build",
        "svc.shapes:bookings",
        "--into",
        "built",
        "--stale",
        stale,
    ]
    subprocess.run(command, cwd=tmp_path, capture_output=True, check=True)

    def asked(*words: str) -> Any:
        command = [sys.executable, "-c", ASK_OVER, *words]
        return subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)

    assert asked("built").stdout.startswith("StoredEngine ")
    changed = next(tmp_path.glob(f"*/{file}.py"))
    assert old in changed.read_text()
    changed.write_text(changed.read_text().replace(old, new))
    found = asked("built")
    if old == new:
        assert found.stdout.startswith("StoredEngine ")
    elif stale == "compile":
        assert found.stdout == asked().stdout != ""
    else:
        assert "run dutiful build again" in found.stderr.splitlines()[-1]
        assert "StaleBuild: what was built in 'built' is stale: " in found.stderr.splitlines()[-1]


def test_what_a_program_takes_from_its_environment_is_in_the_stamp(tmp_path: Path) -> None:
    (tmp_path / "shapes.py").write_text(
        "import os\nfrom typing import Annotated\nfrom dataclasses import dataclass\nfrom dutiful_gate import Gate, it\n"
        "@dataclass\nclass Sent:\n    n: Annotated[int, it <= int(os.environ.get('MOST', '3'))]\nbookings = Gate(Sent)\n"
    )
    assert build(tmp_path)[0] == 0
    question = [sys.executable, "-c", "import built, shapes; print(type(shapes.bookings._engine).__name__)"]
    for most, said in (("3", "StoredEngine"), ("4", "what is declared of Sent has changed")):
        found = subprocess.run(
            question, cwd=tmp_path, env={**os.environ, "MOST": most}, capture_output=True, text=True, check=False
        )
        assert said in found.stdout + found.stderr


def test_what_stands_in_an_archive_says_what_to_do(tmp_path: Path) -> None:
    (tmp_path / "shapes.py").write_text(SHAPES)
    assert build(tmp_path)[0] == 0
    with ZipFile(tmp_path / "all.zip", "w") as archive:
        for path in ("shapes.py", "built/__init__.py", "built/stamp.json", "built/gates.bin"):
            archive.write(tmp_path / path, path)
    (tmp_path / "shapes.py").unlink()
    inside = {**os.environ, "PYTHONPATH": str(tmp_path / "all.zip")}
    command = [sys.executable, "-m", "dutiful_gate", "build", "shapes:bookings", "--into", "again"]
    found = subprocess.run(command, cwd=tmp_path, env=inside, capture_output=True, text=True, check=False)
    assert (found.returncode, "unpack the archive" in found.stderr, (tmp_path / "again").exists()) == (2, True, False)
    (tmp_path / "built").rename(tmp_path / "gone")
    command = [sys.executable, "-c", "import built"]
    found = subprocess.run(command, cwd=tmp_path, env=inside, capture_output=True, text=True, check=False)
    assert "StaleBuild: what was built in 'built' stands in an archive" in found.stderr


@pytest.mark.parametrize(
    "harm",
    [
        lambda raw: b"",
        lambda raw: raw[:100],
        lambda raw: raw[:-2],
        lambda raw: raw + b"}",
        lambda raw: raw[:60] + bytes([raw[60] ^ 1]) + raw[61:],
        lambda raw: raw[: len(raw) // 2] + bytes([raw[len(raw) // 2] ^ 255]) + raw[len(raw) // 2 + 1 :],
        None,
    ],
)
@pytest.mark.parametrize("name", ["gates.bin", "stamp.json"])
def test_any_damage_is_a_stale_build(tmp_path: Path, harm: Any, name: str) -> None:
    (tmp_path / "shapes.py").write_text("from dataclasses import dataclass\n@dataclass\nclass Sent:\n    n: int\n")
    command = [sys.executable, "-m", "dutiful_gate", "build", "shapes:Sent", "--into", "built"]
    subprocess.run(command, cwd=tmp_path, capture_output=True, check=True)
    file = tmp_path / "built" / name
    if harm is None:
        file.unlink()
    else:
        file.write_bytes(harm(file.read_bytes()))
    with pytest.raises(StaleBuild, match="run dutiful build again"):
        open_built(tmp_path / "built" / "__init__.py")
    for damaged in ("[]", "{}", '{"python": 1}', "null"):
        (tmp_path / "built" / "stamp.json").write_text(damaged)
        with pytest.raises(StaleBuild, match="no stamp that can be read"):
            open_built(tmp_path / "built" / "__init__.py")


@pytest.mark.parametrize("what", ["python", "library", "gone", "torn"])
def test_what_was_built_for_something_else_is_refused(tmp_path: Path, what: str) -> None:
    (tmp_path / "shapes.py").write_text(SHAPES)
    assert build(tmp_path)[0] == 0
    stamp = tmp_path / "built" / "stamp.json"
    told = json.loads(stamp.read_text())
    if what in told:
        stamp.write_text(json.dumps({**told, what: "another"}))
    elif what == "gone":
        stamp.unlink()
    else:
        stamp.write_text(stamp.read_text()[:40])
    with pytest.raises(StaleBuild, match="run dutiful build again"):
        open_built(tmp_path / "built" / "__init__.py")
    assert build(tmp_path, "--check")[0] == (2 if what in ("gone", "torn") else 1)


@pytest.mark.parametrize("seed", range(24))
def test_gates_of_any_declaration_answer_the_same(tmp_path: Path, seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    declared, words = any_declaration(seed)
    try:
        gate = Gate(declared, **words)
        sound = payloads(gate, 5, seed)
        wrong = [payload for payload, _ in probes(gate, seed)][:30]
    except (DeclarationError, CannotSample):
        return
    module = ModuleType("built_declarations")
    monkeypatch.setitem(sys.modules, "built_declarations", module)
    for record in gate.shape.records.values():
        if isinstance(record.builder, type) and record.builder is not dict:
            # Found by its name, for as long as this test runs: others have the same class.
            monkeypatch.setattr(record.builder, "__module__", module.__name__)
            setattr(module, record.builder.__qualname__, record.builder)
    built = build_gates({"it": gate}, tmp_path / "built")
    if built.left:
        return  # functions of a test, which no module has by their name
    assert open_built(tmp_path / "built" / "__init__.py")
    try:
        again = Gate(declared, **words)
    finally:
        stores.clear()
    assert isinstance(again._engine, StoredEngine)
    for data in [*sound, *wrong, {}, None, object()]:
        first, second = gate.examine(data), again.examine(data)
        assert [str(fault) for fault in first.faults] == [str(fault) for fault in second.faults]
        assert (bool(first), first.dropped) == (bool(second), second.dropped)
        if first:
            assert repr(first.value) == repr(second.value)
            assert gate.release_admitted(first.value) == again.release_admitted(second.value)
    assert gate.schema() == again.schema()
    functions = [each.source.partition("\n# What the constants are")[0] for each in (gate, again)]
    assert functions[0] == functions[1]


def test_shapes_too_large_to_be_written_at_once_are_built_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    lines = ["from dataclasses import dataclass", "from dutiful_gate import Gate"]
    for number in range(60):
        inner = f"R{number - 1}" if number else "int"
        lines += ["@dataclass", f"class R{number}:", f"    held: {inner}", "    n: int = 0"]
    (tmp_path / "shapes.py").write_text("\n".join([*lines, "bookings = Gate(R59)", ""]))
    assert build(tmp_path)[0] == 0
    data: Any = 5
    for _ in range(60):
        data = {"held": data}
    question = f"import json, shapes; g = shapes.bookings; d = {data!r}; print(json.dumps([g.release(g.admit(d)), [str(f) for f in g.examine({{}}).faults]]))"
    told = [
        subprocess.run(
            [sys.executable, "-c", first + question], cwd=tmp_path, capture_output=True, text=True, check=True
        ).stdout
        for first in ("", "import built; ")
    ]
    assert told[0] == told[1]


def test_what_cannot_be_built_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.syspath_prepend(str(tmp_path))
    (tmp_path / "nothing_here.py").write_text("HELD = [1]\ndef other(): ...\n")
    for words, said in (
        (["nothing_here:HELD", "--into", "built"], "cannot become a gate"),
        (["nothing_here:other", "--into", "built"], "no gate is made in nothing_here"),
        (["nothing_here:gone", "--into", "built"], "has no 'gone'"),
        (["dutiful_gate.demo.ferries:Booking", "--into", "built", "--check"], "there is no stamp"),
        (["dutiful_gate.demo.ferries:Booking", "--into", "/proc/built"], "cannot be used"),
        (["dutiful_gate.demo.ferries:Booking", "--into", "built.py"], "is no name of a package"),
        (["dutiful_gate.demo.ferries:Booking", "--into", "class"], "is no name of a package"),
    ):
        result = CliRunner().invoke(dutiful, ["build", *words])
        assert (result.exit_code, said in result.output) == (2, True), result.output
    result = CliRunner().invoke(dutiful, ["build", "dutiful_gate.demo.desk:TAKE", "--into", "built"])
    assert result.exit_code == 0, result.output
    assert int(result.output.split(" gates")[0].split()[-1]) > 5, "those of an API are taken"
