"""The examples run."""

# Rooms: gates

from __future__ import annotations

import json
import runpy
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

EXAMPLES = Path(__file__).parent.parent / "examples"


def test_the_library_script(capsys: pytest.CaptureFixture[str]) -> None:
    runpy.run_path(str(EXAMPLES / "library.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "admitted: QLP to MRW, 120 kg, standard" in out
    assert "/crates: needs 1 to 50 items; got 0" in out
    assert "line 3:14: /crates/0/weight_kg [absent] needs a value; none came" in out


def test_the_variants_script(capsys: pytest.CaptureFixture[str]) -> None:
    runpy.run_path(str(EXAMPLES / "variants.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "stood in for: /page: needs a whole number in ASCII digits, such as 42; got 'zero'" in out
    assert "changing {'weight_kg': 12.5, 'hazard': None}" in out
    assert "/unNumber: needs a value, since hazard has one; got none" in out
    assert "/pin: braucht genau 4 Zeichen; bekam einen verborgenen Wert" in out


def test_a_partners_document(capsys: pytest.CaptureFixture[str]) -> None:
    runpy.run_path(str(EXAMPLES / "partner.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "2:27: /value needs a number of at least 0; got -3 (by #/then/properties/value/minimum)" in out
    assert '    kind: Literal["water", "wind"]' in out
    assert "for our clients: Booking, Crate, Bookings" in out


def test_the_http_service(sound: dict[str, Any]) -> None:
    service = runpy.run_path(str(EXAMPLES / "service.py"))
    client = service["app"].test_client()
    answer = client.post("/bookings", data=json.dumps(sound))
    assert (answer.status_code, answer.json) == (201, {"number": 1, "origin": "QLP", "destination": "MRW"})
    answer = client.post("/bookings", data=b'{"origin": "QLP",\n "crates": 3}')
    assert answer.status_code == 422
    assert answer.content_type == "application/problem+json"
    assert answer.json["instance"] == "/bookings"
    assert {"pointer": "#/crates", "line": 2}.items() <= answer.json["errors"][-1].items()
    for body in (b"", b"\xff", b"[" * 10_000, b"null"):
        assert client.post("/bookings", data=body).status_code == 422
    assert client.get("/bookings/schema").json["$ref"] == "#/$defs/Booking"


def test_rows_of_a_model(capsys: pytest.CaptureFixture[str]) -> None:
    pytest.importorskip("sqlalchemy")
    runpy.run_path(str(EXAMPLES / "rows.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "refused: /berths/0/number needs a whole number from 1 to 40; got 41" in out
    assert "created: QLP [3, 4]" in out
    assert '"fee":"15.25"' in out
    assert "the table holds what the gate admits: True" in out


def test_what_is_installed() -> None:
    command = [sys.executable, str(EXAMPLES / "installed.py")]
    told = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert "packages" in told
    assert "keys of the report were not declared here and were left out" in told


def test_a_nightly_table(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    pytest.importorskip("pandas")
    pytest.importorskip("matplotlib")
    monkeypatch.setattr(sys, "argv", ["nightly_table.py", str(tmp_path)])
    runpy.run_path(str(EXAMPLES / "nightly_table.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "<TableVerdict 4,783 of 5,000 rows admitted, 217 faults>" in out
    assert (tmp_path / "faults.png").read_bytes()[:4] == b"\x89PNG"


def test_a_folder_of_parquet_on_a_cluster() -> None:
    pytest.importorskip("distributed")
    done = subprocess.run(
        [sys.executable, str(EXAMPLES / "parquet_folder.py")], capture_output=True, text=True, check=True, timeout=240
    )
    assert "a worker was killed on the way: True" in done.stdout
    assert "the digest of one process: True" in done.stdout
    assert "sound rows written: 38307 and faults: 1703" in done.stdout


def test_a_release_check(capsys: pytest.CaptureFixture[str]) -> None:
    runpy.run_path(str(EXAMPLES / "release_check.py"), run_name="__main__")
    out = capsys.readouterr().out
    assert "narrowing  /contents    at most 60 characters, was 80" in out
    assert "the test fails: senders: /contents at most 60 characters" in out
