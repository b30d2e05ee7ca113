"""Files that are written belong to one run: none follows a link, replaces what appeared, or throws away what was begun."""

# Rooms: safe_files, files, cli

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from io import BytesIO
from pathlib import Path
from tempfile import SpooledTemporaryFile
from typing import Any

import pytest
from click.testing import CliRunner

from dutiful_gate import Gate
from dutiful_gate.cli.app import dutiful
from dutiful_gate.cli.target import CannotRun
from dutiful_gate.cli.text_files import write_text
from dutiful_gate.demo.ferries import Booking
from dutiful_gate.files.split import Split
from dutiful_gate.precompiled import build_gates
from dutiful_gate.read.unreadable import BrokenOff, CannotStart
from dutiful_gate.safe_files import own_files
from dutiful_gate.safe_files.own_files import HeldElsewhere, Lock, made_anew, opened_again, put_in_place, write_whole
from dutiful_gate.web import UploadedFile

pytestmark = pytest.mark.skipif(os.name == "nt", reason="links are made by POSIX's own rules here")
NUMBERS: Gate[Any] = Gate(dict[str, int])


def _delivery(folder: Path, rows: int = 50) -> Path:
    (folder / "a.ndjson").write_text(
        "".join(f'{{"n": {number if number % 5 else json.dumps("x")}}}\n' for number in range(rows))
    )
    return folder / "a.ndjson"


def _split(folder: Path, **words: Any) -> Split:
    return Split(
        NUMBERS, str(folder / "a.ndjson"), admitted=folder / "out.ndjson", refused=folder / "no.ndjson", **words
    )


def _fill(split: Split, folder: Path, *, stop: int = 10**9) -> None:
    from dutiful_gate.files import examine_file

    split.begin(b"")
    for number, item in enumerate(examine_file(NUMBERS, folder / "a.ndjson"), 1):
        split.take(item, number)
        if number == stop:
            return
    split.finish()


def test_two_runs_into_one_output_do_not_both_say_done(tmp_path: Path) -> None:
    _delivery(tmp_path)
    with _split(tmp_path) as first:
        for words in ({}, {"resume": True}):
            with pytest.raises(CannotStart, match=r"another run|is there already"):
                _split(tmp_path, **words)
        _fill(first, tmp_path)
    with pytest.raises(CannotStart, match="is there already"):
        _split(tmp_path)
    assert len((tmp_path / "out.ndjson").read_text().splitlines()) == 40
    assert sorted(each.name for each in tmp_path.iterdir()) == [
        "a.ndjson",
        "no.ndjson",
        "no.ndjson.faults.ndjson",
        "out.ndjson",
    ]


def test_two_resumed_runs_are_told_apart_by_the_kernels_lock(tmp_path: Path) -> None:
    _delivery(tmp_path)
    with _split(tmp_path) as split:
        _fill(split, tmp_path, stop=30)
    with _split(tmp_path, resume=True) as split:
        with pytest.raises(CannotStart, match=f"process {os.getpid()}"):
            _split(tmp_path, resume=True)
        _fill(split, tmp_path)
    assert len((tmp_path / "out.ndjson").read_text().splitlines()) == 40


def test_a_lock_is_let_go_of_when_its_process_is_killed(tmp_path: Path) -> None:
    words = f"from pathlib import Path; from dutiful_gate.safe_files.own_files import Lock; import time; Lock(Path({str(tmp_path / 'x')!r})); print('held', flush=True); time.sleep(60)"
    words = words.replace("Lock(Path", "kept = Lock(Path")
    with subprocess.Popen([sys.executable, "-c", words], stdout=subprocess.PIPE) as other:
        assert other.stdout is not None
        other.stdout.readline()
        with pytest.raises(HeldElsewhere) as held:
            Lock(tmp_path / "x")
        assert held.value.pid == other.pid
        other.kill()
    for _ in range(50):
        try:
            Lock(tmp_path / "x").let_go()
            break
        except HeldElsewhere:
            time.sleep(0.1)
    else:
        pytest.fail("the lock outlived its process")


def test_what_was_begun_is_not_thrown_away_unasked(tmp_path: Path) -> None:
    _delivery(tmp_path)
    with _split(tmp_path) as split:
        _fill(split, tmp_path, stop=7)
    with pytest.raises(CannotStart, match="--resume goes on from it"):
        _split(tmp_path)
    with _split(tmp_path, resume=True) as split:
        _fill(split, tmp_path)
    assert len((tmp_path / "out.ndjson").read_text().splitlines()) == 40


def test_a_final_file_that_appeared_meanwhile_is_not_replaced(tmp_path: Path) -> None:
    _delivery(tmp_path)
    with _split(tmp_path) as split:
        (tmp_path / "out.ndjson").write_text("mine")
        with pytest.raises(BrokenOff, match="has appeared meanwhile"):
            _fill(split, tmp_path)
    assert (tmp_path / "out.ndjson").read_text() == "mine"
    (tmp_path / "out.ndjson").unlink()
    with _split(tmp_path, resume=True) as split:
        assert split.complete
        split.finish()
    assert len((tmp_path / "out.ndjson").read_text().splitlines()) == 40


LEFT = [
    "out.ndjson.part",
    "no.ndjson.part",
    "no.ndjson.faults.ndjson.part",
    "out.ndjson.journal",
    "out.ndjson.journal.lock",
]


@pytest.mark.parametrize("hard", [False, True])
@pytest.mark.parametrize("name", LEFT)
def test_no_planted_link_is_followed(tmp_path: Path, name: str, hard: bool) -> None:
    _delivery(tmp_path)
    victim = tmp_path / "victim"
    victim.write_text("precious")
    plant = os.link if hard else os.symlink
    plant(victim, tmp_path / name)
    for words in ({}, {"resume": True}):
        if hard and name.endswith(".lock"):
            continue  # a lock writes its process's number alone
        with pytest.raises((CannotStart, OSError)):
            _split(tmp_path, **words)
    assert victim.read_text() == "precious"
    (tmp_path / name).unlink()
    for left in tmp_path.glob("*.part"):
        left.unlink()
    with _split(tmp_path) as split:
        _fill(split, tmp_path, stop=30)
    part = tmp_path / name
    part.unlink(missing_ok=True)
    plant(victim, part)
    if not name.endswith(".lock"):
        with pytest.raises((CannotStart, OSError)):
            _split(tmp_path, resume=True)
    assert victim.read_text() == "precious"


def test_files_of_their_own(tmp_path: Path) -> None:
    victim, link, nowhere = tmp_path / "victim", tmp_path / "link", tmp_path / "nowhere"
    victim.write_text("precious")
    link.symlink_to(victim)
    nowhere.symlink_to(tmp_path / "not there")
    for path in (victim, link, nowhere):
        with pytest.raises(FileExistsError):
            made_anew(path)
    with pytest.raises(OSError, match=r"link|symbolic"):
        opened_again(link)
    write_whole(link, b"new")
    assert (victim.read_text(), link.is_symlink(), link.read_bytes()) == ("precious", False, b"new")
    with pytest.raises(FileExistsError):
        write_whole(victim, b"new", over=False)
    victim.chmod(0o640)
    write_whole(victim, BytesIO(b"streamed"))
    assert (victim.read_bytes(), victim.stat().st_mode & 0o777) == (b"streamed", 0o640)
    part = tmp_path / "a.part"
    part.write_text("whole")
    with pytest.raises(FileExistsError):
        put_in_place(part, victim)
    put_in_place(part, nowhere)
    assert (nowhere.read_text(), nowhere.is_symlink(), part.exists()) == ("whole", False, False)
    assert not [each for each in tmp_path.iterdir() if each.suffix == ".part"]


def test_a_name_is_given_where_there_are_no_hard_links(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def none(*names: Any, **words: Any) -> None:
        raise PermissionError("no hard links here")

    monkeypatch.setattr(os, "link", none)
    part = tmp_path / "a.part"
    part.write_text("whole")
    put_in_place(part, tmp_path / "a")
    part.write_text("again")
    with pytest.raises(FileExistsError):
        put_in_place(part, tmp_path / "a")
    assert (tmp_path / "a").read_text() == "whole"


def test_uploads_and_what_verbs_write_follow_no_planted_link(tmp_path: Path) -> None:
    victim = tmp_path / "victim"
    victim.write_text("precious")
    held: Any = SpooledTemporaryFile()  # noqa: SIM115
    held.write(b"sent")
    upload = UploadedFile("a.txt", "text/plain", 4, held)
    (tmp_path / "upload").symlink_to(victim)
    with pytest.raises(FileExistsError):
        upload.save(tmp_path / "upload")
    upload.save(tmp_path / "upload", over=True)
    upload.close()
    assert (victim.read_text(), (tmp_path / "upload").read_bytes()) == ("precious", b"sent")
    (tmp_path / "asked").symlink_to(tmp_path / "target")
    for predictable in (f".target.{os.getpid()}.part", "target.part", "__init__.py.part", "stamp.json.part"):
        (tmp_path / predictable).symlink_to(victim)
    write_text(tmp_path / "asked", "through a link on purpose")
    assert ((tmp_path / "target").read_text(), victim.read_text()) == ("through a link on purpose", "precious")
    build_gates({"bookings": Gate(Booking)}, tmp_path)
    assert victim.read_text() == "precious"
    with pytest.raises(CannotRun):
        write_text(tmp_path / "no folder" / "x", "")


def test_formulas_as_text(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.syspath_prepend(tmp_path)
    (tmp_path / "feed_shapes.py").write_text(
        "from dataclasses import dataclass\n@dataclass\nclass Line:\n    note: str\n    count: int\n"
    )
    notes = ["=1+1", "+1", "-1", "@sum", "\t=1", " =1", "＝1", "plain", "a=1", "'=1"]
    (tmp_path / "a.ndjson").write_text("".join(json.dumps({"note": note, "count": -3}) + "\n" for note in notes))
    command = ["check", "a.ndjson", "--against", "feed_shapes:Line"]
    runner = CliRunner()
    for name, more in (("plain.csv", []), ("safe.csv", ["--formulas-as-text"])):
        told = runner.invoke(dutiful, [*command, "--admitted", name, *more])
        assert told.exit_code == 0, told.output
    plain, safe = ((tmp_path / name).read_text().splitlines()[1:] for name in ("plain.csv", "safe.csv"))
    assert plain[0] == "=1+1,-3"
    assert [row.rpartition(",")[0].strip('"') for row in safe] == ["'" + note for note in notes[:7]] + notes[7:]


def test_a_lock_that_goes_while_it_is_taken_is_taken_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The run before removes the file between the opening and the locking: a lock on what is gone keeps nobody out."""
    locked = own_files._lock
    gone: list[Path] = []

    def late(stream: Any) -> None:
        if not gone:
            gone.append(tmp_path / "x")
            (tmp_path / "x").unlink()
        locked(stream)

    monkeypatch.setattr(own_files, "_lock", late)
    held = Lock(tmp_path / "x")
    with pytest.raises(HeldElsewhere):
        Lock(tmp_path / "x")
    held.let_go()
    assert (len(gone), (tmp_path / "x").exists()) == (1, False)
