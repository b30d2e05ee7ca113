"""Settings from ordered layers: merged, traced to their places, every fault of every layer at once; no secret shown."""

# Rooms: config, read, declare, cli, demo

from __future__ import annotations

import io
import json
import logging
import os
import pickle
import re
import shutil
import subprocess
import sys
import tomllib
import traceback
import warnings
from collections.abc import Callable, Iterator
from copy import deepcopy
from dataclasses import dataclass, field, make_dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from itertools import islice
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal, TypedDict

import click
import pytest
import yaml
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import Maker
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    Gate,
    Limits,
    Sealed,
    Source,
    about,
    appended,
    byte_size,
    exactly_one,
    holds,
    it,
    kebab,
    lenient,
    named,
    obeys,
    otherwise,
    payloads,
    pickling_sealed,
    probes,
    secret,
    split_on,
    this,
    time_span,
    trimmed,
    when,
)
from dutiful_gate.cli.app import dutiful
from dutiful_gate.config import (
    CannotHold,
    DeprecatedSetting,
    EnvFile,
    Environment,
    File,
    RefusedSettings,
    SecretsFolder,
    Settings,
    ShownSecret,
    SurprisingSetting,
    Values,
)
from dutiful_gate.config.click_options import settings_options
from dutiful_gate.config.merging import Held, merged, owner_of
from dutiful_gate.config.names import SettingNames
from dutiful_gate.demo.terminal import put_into
from dutiful_gate.demo.terminal import settings as terminal
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.read.toml_places import TomlPlaces
from dutiful_gate.read.yaml_text import YamlText
from hostile_words import WORDS

ROOT = Path(__file__).parent.parent
TARGET = "dutiful_gate.demo.terminal:settings"
SECRET = "h1dden-words-of-a-secret"


@dataclass
class Berths:
    limit: Annotated[int, it.between(1, 40)]
    every: timedelta = timedelta(minutes=5)
    names: Annotated[list[str], split_on(",")] = field(default_factory=list)


@dataclass
class Store:
    host: str
    password: Annotated[Sealed[str], it.length >= 12]


@dataclass
class Harbour:
    berths: Berths
    store: Store
    port: Annotated[str, it.matches("[A-Z]{3}"), named("port", formerly="code")] = "QLP"
    open: bool = True
    closed: Annotated[list[date], appended] = field(default_factory=list)
    limits: dict[str, int] = field(default_factory=dict)
    old: Annotated[int | None, about(deprecated=True, text="it does nothing")] = None


def written(folder: Path, files: dict[str, str | bytes]) -> Path:
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return folder


BASE = f'[berths]\nlimit = 12\n[store]\nhost = "db.example"\npassword = "{SECRET}"\n'
LAYERS = (
    File("a.toml", optional=True),
    File("a.{profile}.toml"),
    File("b.yaml", optional=True),
    File("c.json", optional=True),
    EnvFile(".env", "TERN_"),
    Environment("TERN_", ignore=["TERN_SERVICE_*"]),
    SecretsFolder("secrets", optional=True),
)
harbour = Settings(Harbour, *LAYERS, profile_from="TERN_PROFILE")


def lines(folder: Path, settings: Settings[Any] = harbour, **words: Any) -> list[str]:
    return settings.examine(folder=folder, **{"environ": {}, **words}).lines()


# Each layer, and each kind of fault: what is written, and the one line that is told of it.
FAULTS: list[tuple[str, dict[str, str | bytes], dict[str, Any], str]] = [
    ("TOML, rule", {"a.toml": BASE.replace("12", "400")}, {}, "a.toml:2:9 berths.limit needs a whole number from 1 to 40; got 400"),
    ("TOML, kind", {"a.toml": BASE.replace("= 12", '= "12"')}, {}, "a.toml:2:9 berths.limit needs a whole number; got the text '12'"),
    ("TOML, unreadable", {"a.toml": BASE.replace("12", '12\nevery = "5m"')}, {},
     "a.toml:3:9 berths.every needs a duration (ISO 8601), such as PT1H30M; got '5m'"),
    ("TOML, unknown", {"a.toml": BASE.replace("limit = 12", "limit = 12\nlimt = 1")}, {}, "a.toml:3:1 berths.limt is not a known key; did you mean 'limit'?"),
    ("TOML, absent", {"a.toml": BASE.replace("limit = 12", "")}, {},
     "a.toml:1:1 berths.limit needs a value; none came; set berths.limit in a.toml or TERN_BERTHS__LIMIT"),
    ("TOML, malformed", {"a.toml": BASE + "x = [1\n"}, {}, "a.toml:7:1 needs TOML that can be read; got this: Unclosed array"),
    ("TOML, twice", {"a.toml": "open = true\nopen = false\n" + BASE}, {}, "a.toml:2:13 needs TOML that can be read; got this: Cannot overwrite a value"),
    ("TOML, encoding", {"a.toml": BASE.encode() + b'# \xff\n'}, {}, "a.toml:6:3 needs text in UTF-8; got the byte 0xFF"),
    ("TOML, UTF-16", {"a.toml": BASE.encode("utf-16")}, {}, "a.toml:1:1 needs text in UTF-8; got text in UTF-16"),
    ("TOML, no number", {"a.toml": BASE.replace("12", "nan")}, {}, "a.toml:2:9 berths.limit needs a whole number; got not a number"),
    ("TOML, digits", {"a.toml": BASE.replace("12", "9" * 5000)}, {}, "a.toml:2:9 needs numbers of at most 4300 digits; got more"),
    ("TOML, deep", {"a.toml": "limits = " + "[" * 100 + "]" * 100 + "\n" + BASE}, {}, "a.toml:1:10 limits needs at most 64 levels; got more"),
    ("TOML, very deep", {"a.toml": "limits = " + "[" * 9000}, {}, "a.toml:1:1 needs at most 64 levels; got more"),
    ("YAML, rule", {"a.toml": BASE, "b.yaml": "berths:\n  limit: 400\n"}, {},
     "b.yaml:2:10 berths.limit needs a whole number from 1 to 40; got 400; it would have replaced 12 from a.toml:2:9"),
    ("YAML, yes", {"a.toml": BASE, "b.yaml": "open: yes"}, {},
     "b.yaml:1:7 open needs true or false; got the text 'yes' (yes is a text; in YAML 1.1 it was true or false: write true or false, or put it in quotes)"),
    ("YAML, sexagesimal", {"a.toml": BASE, "b.yaml": "berths: {limit: 1:30}"}, {},
     "b.yaml:1:17 berths.limit needs a whole number; got the text '1:30' (1:30 is a text; in YAML 1.1 it was a number of base 60: put it in quotes);"
     " it would have replaced 12 from a.toml:2:9"),
    ("YAML, unknown", {"a.toml": BASE, "b.yaml": "\nberth:\n  limit: 4"}, {}, "b.yaml:2:1 berth is not a known key; did you mean 'berths'?"),
    ("YAML, twice", {"a.toml": BASE, "b.yaml": "open: true\nopen: false"}, {}, "b.yaml:2:1 open its key needs to come once; got it again"),
    ("YAML, malformed", {"a.toml": BASE, "b.yaml": "open: [1"}, {}, "b.yaml:* needs YAML that can be read; got this: *"),
    ("YAML, tag", {"a.toml": BASE, "b.yaml": "open: !!python/name:os.system x"}, {}, "b.yaml:1:7 needs no tags but those of the core schema; got another"),
    ("YAML, alias", {"a.toml": BASE, "b.yaml": "open: *open"}, {}, "b.yaml:1:7 needs an alias of what stands before it; got one that stands for nothing"),
    ("YAML, alias in itself", {"a.toml": BASE, "b.yaml": "limits: &a\n  b: *a"}, {},
     "b.yaml:2:6 needs an alias of what stands before it; got one inside of itself"),
    ("YAML, bomb", {"a.toml": BASE, "b.yaml": "a0: &a0 [x,x,x,x,x,x,x,x,x]\n" + "".join(
        f"a{n}: &a{n} [{','.join([f'*a{n - 1}'] * 9)}]\n" for n in range(1, 9))}, {},
     "b.yaml:6:10 needs at most 100000 values, aliases written out; got more"),
    ("YAML, merge key", {"a.toml": BASE, "b.yaml": "berths:\n  <<: {limit: 3}"}, {},
     "b.yaml:2:3 berths needs keys of one's own: YAML 1.2 merges nothing; got the key <<"),
    ("YAML, two documents", {"a.toml": BASE, "b.yaml": "open: true\n---\nopen: false"}, {}, "b.yaml:2:1 needs one document; got another after it"),
    ("YAML, a list", {"a.toml": BASE, "b.yaml": "- open"}, {}, "b.yaml:1:1 needs settings by name; got something else"),
    ("YAML, encoding", {"a.toml": BASE, "b.yaml": b"open: \xe4"}, {}, "b.yaml:1:7 needs text in UTF-8; got the byte 0xE4"),
    ("YAML, sign", {"a.toml": BASE, "b.yaml": "open: \x07"}, {}, "b.yaml:1:7 needs YAML that can be read; got this: *"),
    ("JSON, rule", {"a.toml": BASE, "c.json": '{"berths":\n {"limit": 0}}'}, {},
     "c.json:2:12 berths.limit needs a whole number from 1 to 40; got 0; it would have replaced 12 from a.toml:2:9"),
    ("JSON, malformed", {"a.toml": BASE, "c.json": '{"open": tru}'}, {}, "c.json:1:10 open needs a JSON value; got a hidden value"),
    ("JSON, twice", {"a.toml": BASE, "c.json": '{"open": true, "open": true}'}, {}, "c.json:1:16 open its key needs to come once; got it again"),
    ("JSON, a list", {"a.toml": BASE, "c.json": "[]"}, {}, "c.json:1:1 needs settings by name; got something else"),
    (".env, rule", {"a.toml": BASE, ".env": "# c\nTERN_BERTHS__LIMIT=0\n"}, {},
     ".env:2 berths.limit needs a whole number from 1 to 40; got '0'; it would have replaced 12 from a.toml:2:9"),
    (".env, unknown", {"a.toml": BASE, ".env": "OTHER=1\nTERN_BERTH__LIMIT=3\n"}, {}, ".env:2 berth is not a known key; did you mean 'berths'?"),
    (".env, malformed", {"a.toml": BASE, ".env": "TERN_OPEN=true\n=x\n"}, {}, ".env:2 needs NAME=value; got another line"),
    (".env, no value", {"a.toml": BASE, ".env": "TERN_OPEN\n"}, {}, ".env:1 needs a value after its name: NAME=value; got a name alone"),
    (".env, twice", {"a.toml": BASE, ".env": "TERN_OPEN=true\n\nTERN_OPEN=true\n"}, {}, ".env:3 needs each name once; got one again"),
    (".env, encoding", {"a.toml": BASE, ".env": b"TERN_PORT=\xff\n"}, {}, ".env:1:11 needs text in UTF-8; got the byte 0xFF"),
    ("variable, unreadable", {"a.toml": BASE}, {"environ": {"TERN_BERTHS__LIMIT": "x"}},
     "TERN_BERTHS__LIMIT berths.limit needs a whole number in ASCII digits, such as 42; got 'x'; it would have replaced 12 from a.toml:2:9"),
    ("variable, unknown", {"a.toml": BASE}, {"environ": {"TERN_BERTHS__LIMITS": "3"}},
     "TERN_BERTHS__LIMITS berths.limits is not a known key; did you mean 'limit'?"),
    ("variable, JSON", {"a.toml": BASE}, {"environ": {"TERN_LIMITS": '{"a": 1, "b": "x"}'}}, "TERN_LIMITS:1:15 limits.b needs a whole number; got the text 'x'"),
    ("variable, no JSON", {"a.toml": BASE}, {"environ": {"TERN_LIMITS": '{"a": 1'}}, "TERN_LIMITS:1:8 limits.a needs a comma or }; got the end of the text"),
    ("variable, blank", {"a.toml": BASE.replace("limit = 12", "")}, {"environ": {"TERN_BERTHS__LIMIT": " "}},
     "a.toml:1:1 berths.limit needs a value; none came; set berths.limit in a.toml or TERN_BERTHS__LIMIT"),
    ("variable, twice", {"a.toml": BASE}, {"environ": {"TERN_OPEN": "true", "TERN_open": "true", "tern_opn": ""}}, "TERN_open open its key needs to come once; got it again"),
    ("variable, empty step", {"a.toml": BASE}, {"environ": {"TERN_BERTHS____LIMIT": "3"}}, "TERN_BERTHS____LIMIT berths.(hidden) is not a known key"),
    ("variable, truth", {"a.toml": BASE}, {"environ": {"TERN_OPEN": "yes"}}, "TERN_OPEN open needs true or false, on or off; got 'yes'"),
    ("argument, empty step", {"a.toml": BASE}, {"arguments": ["berths..limit=7"]}, "argument 1 needs name=value; got something else"),
    ("argument, ends in a dot", {"a.toml": BASE}, {"arguments": ["berths.=7"]}, "argument 1 needs name=value; got something else"),
    ("profile, no file", {"a.toml": BASE}, {"profile": "nowhere"}, "a.nowhere.toml needs a file; there is none"),
    ("secret, rule", {"a.toml": BASE, "secrets/store__password": "short\n"}, {},
     "secrets/store__password store.password needs at least 12 characters; got a hidden value; it would have replaced (sealed) from a.toml:5:12"),
    ("secret, unknown", {"a.toml": BASE, "secrets/stor": "x"}, {}, "secrets/stor stor is not a known key; did you mean 'store'?"),
    ("secret, encoding", {"a.toml": BASE, "secrets/store__password": b"\xff\xfe"}, {}, "secrets/store__password store__password needs text in UTF-8; got other bytes"),
    ("argument, rule", {"a.toml": BASE}, {"arguments": ["berths.limit=0"]},
     "berths.limit= needs a whole number from 1 to 40; got '0'; it would have replaced 12 from a.toml:2:9"),
    ("argument, none", {"a.toml": BASE}, {"arguments": ["open=true", "berths.limit"]}, "argument 2 needs name=value; got something else"),
    ("argument, unknown", {"a.toml": BASE}, {"arguments": ["opn=true"]}, "opn= is not a known key; did you mean 'open'?"),
    ("override, kind", {"a.toml": BASE}, {"overrides": {"berths.limit": "12"}},
     "overrides berths.limit needs a whole number; got the text '12'; it would have replaced 12 from a.toml:2:9"),
    ("profile, no file", {"a.toml": BASE}, {"profile": "north"}, "a.north.toml needs a file; there is none"),
    ("profile, path", {"a.toml": BASE}, {"environ": {"TERN_PROFILE": "../x"}},
     "TERN_PROFILE needs the name of a profile: letters, digits, - and _; got something else"),
    ("profile, rule", {"a.toml": BASE, "a.north.toml": "[berths]\nlimit = 0\n"}, {"profile": "north"},
     "a.north.toml:2:9 berths.limit needs a whole number from 1 to 40; got 0; it would have replaced 12 from a.toml:2:9"),
]  # fmt: skip


@pytest.mark.parametrize(("files", "words", "told"), [row[1:] for row in FAULTS], ids=[row[0] for row in FAULTS])
def test_each_fault_of_each_layer_is_told_at_its_place(
    tmp_path: Path, files: dict[str, str | bytes], words: dict[str, Any], told: str
) -> None:
    found = lines(written(tmp_path, files), **words)
    assert len(found) == 1, found
    assert re.fullmatch(re.escape(told).replace(r"\*", ".*"), found[0]), found
    assert SECRET not in "".join(found)


def test_all_faults_of_all_layers_come_at_once(tmp_path: Path) -> None:
    written(tmp_path, {"a.toml": BASE.replace("12", "400"), "b.yaml": "open: maybe", ".env": "TERN_PORT=x\n"})
    found = lines(tmp_path, environ={"TERN_LIMITS": "[]", "TERN_SERVICE_HOST": "192.0.2.1"}, arguments=["old=x"])
    assert [line.split()[0] for line in found] == ["a.toml:2:9", "TERN_LIMITS", ".env:1", "b.yaml:1:7", "old="] or len(
        found
    ) == 5
    with pytest.raises(RefusedSettings) as refused:
        harbour.load(folder=tmp_path, environ={})
    assert next(fault.place.as_dict() for fault in refused.value.faults if fault.place is not None) == {
        "source": "a.toml", "line": 2, "column": 9,
    }  # fmt: skip
    assert str(refused.value).startswith("settings refused with 3 faults\n  a.toml:2:9 berths.limit needs")
    again = pickle.loads(pickle.dumps(refused.value))
    assert str(again) == str(refused.value)


def test_byte_order_marks_and_line_ends_are_passed_over(tmp_path: Path) -> None:
    mark = b"\xef\xbb\xbf"
    files = {"a.toml": mark + BASE.replace("\n", "\r\n").encode(), "b.yaml": mark + b"limits: &l {a: 1}\r\nopen: false\r\n", "c.json": mark + b'{"code": "OST"}',
             ".env": mark + b"TERN_BERTHS__LIMIT=0\r\n", "secrets/store__password": mark + b"turnstone-at-the-quay\r\n"}  # fmt: skip
    assert lines(written(tmp_path, dict(files))) == [
        ".env:1 berths.limit needs a whole number from 1 to 40; got '0'; it would have replaced 12 from a.toml:2:9"
    ]
    value = harbour.examine(folder=tmp_path, environ={"TERN_BERTHS__LIMIT": "3"}).value
    assert (value.open, value.port, value.limits, value.store.password == "turnstone-at-the-quay") == (
        False,
        "OST",
        {"a": 1},
        True,
    )


def test_what_cannot_be_read_hides_what_else_would_be_absent(tmp_path: Path) -> None:
    found = lines(written(tmp_path, {"a.toml": "[berths", "b.yaml": "open: 1"}))
    assert [line.split()[0] for line in found] == ["a.toml:1:8", "b.yaml:1:7"], found


def test_settings_know_their_origins(tmp_path: Path) -> None:
    files = {"a.toml": BASE + 'closed = [2026-12-25]\n'.join(["", ""]), "a.north.toml": "closed = [2026-12-24]\nport = 'OST'\n",
             ".env": "TERN_BERTHS__EVERY=PT1M\nTERN_BERTHS__NAMES='a, b'\n", "b.yaml": "berths: {limit: 3}\n"}  # fmt: skip
    files["a.toml"] = "closed = [2026-12-25]\n" + BASE
    environ = {"TERN_PROFILE": "north", "TERN_LIMITS": '{"x": 1}', "TERN_LIMITS__Y": "2"}
    loaded = harbour.load(folder=written(tmp_path, files), environ=environ, overrides={"open": False})
    assert loaded.value.berths == Berths(3, timedelta(minutes=1), ["a", "b"])
    assert loaded.value.closed == [date(2026, 12, 25), date(2026, 12, 24)]
    assert loaded.value.limits == {"x": 1, "y": 2}
    told = {each.name: str(each.origin) for each in loaded.settings()}
    assert told == {
        "berths.limit": "b.yaml:1:17", "berths.every": ".env:1", "berths.names": ".env:2", "store.host": "a.toml:5:8",
        "store.password": "a.toml:6:12", "port": "a.north.toml:2:8", "open": "overrides", "closed": "a.north.toml:1:10",
        "limits": "TERN_LIMITS", "old": "default",
    }  # fmt: skip
    assert str(loaded.origin("closed[0]")) == "a.toml:1:11"
    assert str(loaded.origin("closed[1]")) == "a.north.toml:1:11"
    assert str(loaded.origin(("limits", "y"))) == "TERN_LIMITS__Y"
    with pytest.raises(KeyError, match="no setting"):
        loaded.origin("berths.nothing")
    for odd in ("closed[²]", "closed[" + "9" * 5_000 + "]"):
        with pytest.raises(KeyError, match="no setting"):
            loaded.origin(odd)
    alone = harbour.load(folder=written(tmp_path, {"a.toml": BASE, "b.yaml": "", ".env": ""}), environ={})
    assert [str(alone.origin(name)) for name in ("berths.limit", "berths.every", "open", "berths")] == [
        "a.toml:2:9", "default", "default", "a.toml:1:1",
    ]  # fmt: skip
    limit = next(each for each in loaded.settings() if each.name == "berths.limit")
    assert [(value, str(origin)) for value, origin in limit.replaced] == [(12, "a.toml:3:9")]


def test_former_names_and_deprecated_settings_load_and_warn(tmp_path: Path) -> None:
    written(tmp_path, {"a.toml": 'code = "MRW"\nold = 1\n' + BASE, "b.yaml": "berths: {limit: 010}"})
    with pytest.warns((DeprecatedSetting, SurprisingSetting)) as told:
        loaded = harbour.load(folder=tmp_path, environ={"TERN_CODE": "OST"})
    assert (loaded.value.port, loaded.value.berths.limit) == ("OST", 10)
    assert [str(each.message) for each in told] == [
        "a.toml:1:1 code is a former name; write port",
        "a.toml:2:7 old should no longer be set: it does nothing",
        "b.yaml:1:17 berths.limit 010 is the number 10; in YAML 1.1 it was an octal one: write 10",
        "TERN_CODE code is a former name; write port",
    ]
    assert lines(written(tmp_path, {"a.toml": 'code = "MRW"\nport = "QLP"\n' + BASE, "b.yaml": ""})) == [
        "a.toml:1:8 code needs one of port, code only; got several"
    ]


def test_load_or_exit_tells_people_and_leaves(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    written(tmp_path, {"a.toml": BASE.replace("12", "400")})
    with pytest.raises(SystemExit) as left:
        harbour.load_or_exit(folder=tmp_path, environ={})
    assert left.value.code == 78
    told = capsys.readouterr().err
    assert "  a.toml:2:9 berths.limit needs a whole number from 1 to 40; got 400" in told
    written(tmp_path, {"a.toml": BASE + "[old]"})
    written(tmp_path, {"a.toml": "old = 2\n" + BASE})
    assert harbour.load_or_exit(folder=tmp_path, environ={}).value.old == 2
    assert "note: a.toml:1:7 old should no longer be set" in capsys.readouterr().err


@dataclass
class Paths:
    root: str
    data: str
    size: int = 1
    token: Sealed[str] = field(default=Sealed("none at all"))
    more: dict[str, Any] = field(default_factory=dict)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('root = "/srv"\ndata = "${root}/data $${root}"', {"data": "/srv/data ${root}"}),
        ('root = "${env:HOME}"\ndata = "${root}"\nsize = "${more.n}"\nmore.n = 7', {"data": "/home/${root}", "size": 7}),
        ('root = "a"\ndata = "${more.l[1]}"\nmore.l = ["x", "${root}${size}"]\nsize = 3', {"data": "a3"}),
        ('root = "${data}"\ndata = "${root}"', ["s.toml:1:8 root needs ${...} that leads to a setting of its own; got one that leads back to itself",
                                             "s.toml:2:8 data needs ${...} that leads to a setting of its own; got one that leads back to itself"]),
        ('root = "${token}"\ndata = ""\ntoken = "h1dden-words-of-a-secret"', ["s.toml:1:8 root needs ${...} of a setting that is no secret; got a secret"]),
        ('root = "${nothing}"\ndata = ""', ["s.toml:1:8 root needs ${...} of a setting that a layer gives; got no setting of the name 'nothing'"]),
        ('root = ""\ndata = ""\ntoken = "${h1dden-words-of-a-secret}"', ["s.toml:3:9 token needs ${...} of a setting that a layer gives; got another reference"]),
        ('root = "a${more}"\ndata = ""\nmore.x = 1', ["s.toml:1:8 root needs ${...} of a text or a number inside of a text; got another setting"]),
        ('root = "${env:T_ROOT}"\ndata = ""', ["s.toml:1:8 root needs ${...} of a setting by its own name; got the variable that sets it"]),
        ('root = "${env:NOWHERE}"\ndata = ""', ["s.toml:1:8 root needs ${env:...} of a variable that is set; got no variable of the name 'NOWHERE'"]),
    ],
)  # fmt: skip
def test_references_stand_for_other_settings_where_they_are_asked_for(tmp_path: Path, text: str, told: Any) -> None:
    written(tmp_path, {"s.toml": text})
    settings = Settings(Paths, File("s.toml", expands=True), Environment("T_"))
    loaded = settings.examine(folder=tmp_path, environ={"HOME": "/home/${root}"})
    if isinstance(told, list):
        assert loaded.lines() == told
    else:
        assert {name: getattr(loaded.value, name) for name in told} == told
    plain = Settings(Paths, File("s.toml")).examine(folder=tmp_path)
    assert plain.faults == () or all(fault.path == ("size",) for fault in plain.faults), "nobody asked: they are text"


INCLUDING: list[tuple[dict[str, str | bytes], Any]] = [
    ({"s.toml": 'include = ["d/one.toml", "two.yaml"]\nroot = "s"', "d/one.toml": 'root = "one"\ndata = "one"\n', "two.yaml": "data: two"}, ("s", "two")),
    ({"s.toml": 'include = "d/one.toml"\ndata = "s"', "d/one.toml": 'include = ["../two.toml"]\nroot = "one"', "two.toml": 'root = "two"'}, ("one", "s")),
    ({"s.toml": 'root = ""\ndata = ""\ninclude = ["../s.toml"]'}, ["s.toml:3:12 include[0] needs a path in the file's own folder; got one that leads out of it"]),
    ({"s.toml": 'root = ""\ndata = ""\ninclude = ["/etc/hosts.toml"]'}, ["s.toml:3:12 include[0] needs a path in the file's own folder; got one that leads out of it"]),
    ({"s.toml": 'root = ""\ndata = ""\ninclude = ["s.toml"]'}, ["s.toml:3:12 include[0] needs files that do not include each other in a circle; got a circle"]),
    ({"s.toml": 'root = ""\ndata = ""\ninclude = ["x.toml", 3]'}, ["x.toml needs a file; there is none", "s.toml:3:22 include[1] needs the path of a file as text; got something else"]),
    ({"s.toml": 'root = ""\ndata = ""\ninclude = ["x.ini"]'}, ["s.toml:3:12 include[0] needs a file that ends in one of .toml, .yaml, .yml, .json; got another"]),
]  # fmt: skip


@pytest.mark.parametrize(("files", "told"), INCLUDING)
def test_files_include_others_of_their_folder(tmp_path: Path, files: dict[str, str | bytes], told: Any) -> None:
    settings = Settings(Paths, File("s.toml", includes="include"))
    loaded = settings.examine(folder=written(tmp_path, files))
    if isinstance(told, list):
        assert loaded.lines() == told
    else:
        assert (loaded.value.root, loaded.value.data) == told


def hostile_files(folder: Path) -> Iterator[tuple[str, Callable[[], None], str]]:
    inside, outside = folder / "in", folder / "out"
    yield (
        "link out",
        lambda: (inside / "a.toml").symlink_to(outside / "a.toml"),
        "a.toml needs a file in its own folder; got a link that leads out of it",
    )
    yield "a folder", lambda: (inside / "a.toml").mkdir(), "a.toml needs a file; got a folder"
    yield "a pipe", lambda: os.mkfifo(inside / "a.toml"), "a.toml needs a file; got something that is none"
    yield "a circle of links", lambda: (inside / "a.toml").symlink_to(inside / "a.toml"), "a.toml needs a file"

    def huge() -> None:
        with (inside / "a.toml").open("wb") as made:
            made.truncate(1 << 30)

    yield "a gibibyte", huge, "a.toml needs a file of at most 1048576 bytes; got 1,073,741,824"
    yield (
        "secret outside",
        lambda: _secret_link(inside, outside),
        "secrets/store__password store__password needs a file in its own folder; got a link that leads out of it",
    )
    yield "secrets are a file", lambda: (inside / "secrets").write_bytes(b""), "secrets needs a folder; got a file"
    yield "a folder of secrets inside", lambda: (inside / "secrets" / "deeper").mkdir(parents=True), "secrets/deeper deeper needs a file; got a folder"  # fmt: skip


def _secret_link(inside: Path, outside: Path) -> None:
    (inside / "secrets").mkdir()
    (inside / "secrets" / "store__password").symlink_to(outside / "a.toml")


@pytest.mark.parametrize("number", range(8))
def test_hostile_files_are_told_and_never_waited_for(tmp_path: Path, number: int) -> None:
    (tmp_path / "in").mkdir()
    written(tmp_path / "out", {"a.toml": BASE})
    _, make, told = list(hostile_files(tmp_path))[number]
    if "secret" in told:
        written(tmp_path / "in", {"a.toml": BASE})
    make()
    found = lines(tmp_path / "in")
    assert found, told
    assert found[0].startswith(told), found


def test_secrets_are_mounted_by_links_within_their_folder(tmp_path: Path) -> None:
    folder = written(
        tmp_path, {"a.toml": BASE, "secrets/..2026/store__password": "turnstone-at-the-quay\r\n", "secrets/.git/x": "y"}
    )
    (folder / "secrets" / "..data").symlink_to("..2026")
    (folder / "secrets" / "store__password").symlink_to("..data/store__password")
    assert harbour.load(folder=folder, environ={}).value.store.password.opened() == "turnstone-at-the-quay"


@pytest.mark.filterwarnings("ignore:This process .* is multi-threaded:DeprecationWarning")
@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root may give up its rights")
def test_files_that_may_not_be_read(tmp_path: Path) -> None:
    written(tmp_path, {"a.toml": BASE, "secrets/x": ""})
    (tmp_path / "a.toml").chmod(0)
    (tmp_path / "secrets").chmod(0)
    tmp_path.chmod(0o755)
    for parent in (tmp_path, *tmp_path.parents[:-2]):
        parent.chmod(parent.stat().st_mode | 0o055)
    lines(tmp_path)  # what is imported late is imported as root
    out, into = os.pipe()
    if not (child := os.fork()):
        os.setgid(65534)
        os.setuid(65534)
        os.write(into, "\n".join(lines(tmp_path)).encode())
        os._exit(0)
    os.close(into)
    with os.fdopen(out) as told:
        found = told.read().splitlines()
    os.waitpid(child, 0)
    assert found == [
        "a.toml needs a file that may be read; got one that this process may not read",
        "secrets needs a folder that may be read; got one that this process may not",
    ]


def test_a_file_that_changes_while_it_is_read_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = written(tmp_path, {"a.toml": BASE}) / "a.toml"
    read = os.read

    def reading(at: int, count: int) -> bytes:
        path.write_text(BASE + "open = false\n")
        return read(at, count)

    monkeypatch.setattr("dutiful_gate.read.plain_file.os.read", reading)
    assert lines(tmp_path)[0].startswith(
        "a.toml needs a file that stays as it is while it is read; got one that changed"
    )


# Texts of each format


@pytest.mark.parametrize("seed", range(60))
def test_places_in_toml_are_those_of_what_the_standard_library_reads(seed: int) -> None:
    text = _any_toml(Random(seed))
    data = tomllib.loads(text)
    places = TomlPlaces(text).found
    paths = set(_paths(data))
    assert paths == set(places.values), text
    for path in paths:
        held: Any = data
        for step in path:
            held = held[step]
        if not isinstance(held, dict | list):
            rest = text[places.values[path] :]
            assert any(_reads_as(rest[:end], held) for end in range(1, len(rest) + 1)), (path, rest[:40])
        if path and isinstance(path[-1], str):
            assert re.match(r"\[*[ \t]*(?:[\w-]+|\"|')", text[places.keys[path] :]), path


def _reads_as(text: str, held: Any) -> bool:
    try:
        read = tomllib.loads(f"x = {text}")["x"]
    except tomllib.TOMLDecodeError:
        return False
    return bool(read == held) and type(read) is type(held)


def _paths(held: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    yield path
    inner = held.items() if isinstance(held, dict) else enumerate(held) if isinstance(held, list) else ()
    for step, each in inner:
        yield from _paths(each, (*path, step))


NAMES = ["a", "b-1", '"c d"', "'e.f'", '"\\u0041"', "g_2", "1979"]
SINGLE = ["1", "0x1F", "1_000", "3.5e2", "inf", "true", "1979-05-27T07:32:00Z", "1979-05-27 07:32:00", "07:32:00",
          "1979-05-27", '"a # \\" b"', "'c:\\d'", '"""x\n "" y\\\n   z"""', "'''\nq''r'''", '""""quoted"""', "''", '""']  # fmt: skip


def _any_toml(random: Random) -> str:
    """A TOML text of every construct: the standard library says which are none, and those are made anew."""
    while True:
        made = [_any_line(random) for _ in range(random.randint(1, 8))]
        text = random.choice(["\n", "\r\n"]).join(made)
        try:
            tomllib.loads(text)
        except tomllib.TOMLDecodeError:
            continue
        return text


def _any_line(random: Random) -> str:
    roll = random.random()
    if roll < 0.25:
        return f"[{_any_key(random, 3)}] # table"
    if roll < 0.4:
        return f"[[ {_any_key(random, 3)} ]]"
    if roll < 0.5:
        return random.choice(["", "# comment = 1", "\t"])
    return f"{random.choice(['', '  '])}{_any_key(random)}{random.choice([' = ', '='])}{_any_value(random)}"


def _any_key(random: Random, most: int = 2) -> str:
    return random.choice([".", " . "]).join(random.choice(NAMES) for _ in range(random.randint(1, most)))


def _any_value(random: Random, depth: int = 2) -> str:
    roll = random.random()
    if depth and roll < 0.2:
        items = [_any_value(random, depth - 1) for _ in range(random.randint(0, 3))]
        return "[" + random.choice([", ", ",\n  # c\n  "]).join(items) + random.choice(["", " "]) + "]"
    if depth and roll < 0.35:
        pairs = [f"{_any_key(random)} = {_any_value(random, depth - 1)}" for _ in range(random.randint(0, 2))]
        return "{" + ", ".join(pairs) + "}"
    return random.choice(SINGLE)


PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**70), 2**70) | st.floats(allow_nan=False, allow_infinity=False) | st.text(max_size=12)
    | st.sampled_from(["yes", "No", "010", "0o7", "12:30:00", "1_0", ".5", "~", "null", "<<", "=", "2026-05-04", "1e3", "-", "a: b", "# c", "'", "\x85", " a", "a\n b", "\ud7ff\ufffe"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=12,
)  # fmt: skip


@given(st.dictionaries(st.text(max_size=8), PLAIN, max_size=4))
def test_what_is_written_as_yaml_says_the_same_in_both_versions(data: dict[str, Any]) -> None:
    from dutiful_gate.config.written import in_yaml

    text = in_yaml(data)
    read = YamlText(text, Limits())
    assert (read.value, read.broken, read.surprises) == (data, [], []), text
    old = yaml.safe_load(text)
    assert old == data, text


CORE: dict[str, Any] = {
    "~": None, "": None, "null": None, "Null": None, "true": True, "FALSE": False, "yes": "yes", "on": "on", "y": "y",
    "010": 10, "+12": 12, "-0": 0, "0o17": 15, "0x1F": 31, "0b11": "0b11", "1_000": "1_000", "12:30:00": "12:30:00", "1.5": 1.5,
    ".5": 0.5, "1.": 1.0, "1e3": 1000.0, "+.inf": float("inf"), "2026-05-04": "2026-05-04", "!!str 12": "12", "!!int 12": 12, "!!float 1": 1,
    "! 12": "12", "'12'": "12", "!!binary aGk=": b"hi", "!!timestamp 2026-05-04": date(2026, 5, 4), "0o8": "0o8", "trUe": "trUe", "-": [None],
}  # fmt: skip


@pytest.mark.parametrize("text", CORE)
def test_yaml_is_read_by_the_core_schema_of_1_2(text: str) -> None:
    wanted = CORE[text]
    read = YamlText(f"a: {text}" if text != "-" else "a:\n  -", Limits())
    assert (read.value, type(read.value["a"])) == ({"a": wanted}, type(wanted))
    exact = YamlText("a: 1.50", Limits(), exact=True).value["a"]
    assert (exact, str(exact)) == (Decimal("1.5"), "1.50")


# Merging


@dataclass
class Leaf:
    a: int = 0
    b: int = 0


@dataclass
class Node:
    kind: Literal["node"] = "node"
    left: Leaf = field(default_factory=Leaf)
    x: int = 0


@dataclass
class Other:
    kind: Literal["other"] = "other"
    y: int = 0


@dataclass
class Whole:
    leaf: Leaf = field(default_factory=Leaf)
    either: Node | Other = field(default_factory=Node)
    several: Annotated[list[int], appended] = field(default_factory=list)
    plain: list[int] = field(default_factory=list)
    by_name: dict[str, Leaf] = field(default_factory=dict)
    n: int | None = None


LEAF = st.fixed_dictionaries({}, optional={"a": st.integers(0, 9), "b": st.integers(0, 9)})
LAYER = st.fixed_dictionaries(
    {},
    optional={
        "leaf": LEAF,
        "either": st.fixed_dictionaries({"kind": st.just("node")}, optional={"left": LEAF, "x": st.integers(0, 9)})
        | st.fixed_dictionaries({"kind": st.just("other")}, optional={"y": st.integers(0, 9)}),
        "several": st.lists(st.integers(0, 9), max_size=2),
        "plain": st.lists(st.integers(0, 9), max_size=2),
        "by_name": st.dictionaries(st.sampled_from("pq"), LEAF, max_size=2),
        "n": st.none() | st.integers(0, 9),
    },
)
WHOLE = Settings(Whole)


@given(st.lists(LAYER, max_size=5))
def test_merging_is_a_left_fold_and_associative_and_the_last_layer_that_sets_a_value_is_its_origin(
    layers: list[dict[str, Any]],
) -> None:
    names, root = WHOLE.names, WHOLE.gate.shape.root
    held = [Held(deepcopy(layer), number) for number, layer in enumerate(layers)]

    def folded(several: list[Held]) -> Held:
        made = Held({}, {})
        for each in several:
            made = merged(names, root, made, each)
        return made

    left = folded(held)
    # A tag that changes replaces the record: another one is something else.
    tags = {layer["either"]["kind"] for layer in layers if "either" in layer}
    for cut in range(len(held)) if len(tags) < 2 else ():
        right = merged(names, root, folded(held[:cut]), _together(names, root, held[cut:]))
        assert right.data == left.data
        assert {path: owner_of(right.owner, path) for path in _paths(right.data) if path} == {
            path: owner_of(left.owner, path) for path in _paths(left.data) if path
        }
    for path in _paths(left.data):
        if not path or path[0] in ("several", "either"):
            continue
        found = left.data
        for step in path:
            found = found[step]
        if isinstance(found, dict | list):
            continue
        holders = [number for number, layer in enumerate(layers) if _has(layer, path)]
        assert owner_of(left.owner, path) == (holders[-1], path)
    loaded = WHOLE.examine(folder=Path(), overrides=None, environ={}) if not layers else Settings(
        Whole, *[Values(layer, f"layer {number}") for number, layer in enumerate(layers)]
    ).examine()  # fmt: skip
    assert loaded, loaded.lines()
    assert loaded.value.several == [each for layer in layers for each in layer.get("several", ())]


def _together(names: SettingNames, root: Any, several: list[Held]) -> Held:
    made = several[0]
    for each in several[1:]:
        made = merged(names, root, made, each)
    return made


def _has(held: Any, path: tuple[Any, ...]) -> bool:
    for step in path:
        if not (isinstance(held, dict) and step in held) and not (isinstance(held, list) and step < len(held)):
            return False
        held = held[step]
    return True


# Written forms, templates, documents: on declarations that nobody thought of


def _any_settings(seed: int, *layers: Any) -> Settings[Any]:
    maker = Maker(seed)
    declared = maker.record(maker.random.choice([0, 1, 2]))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        return Settings(declared, *layers, names=maker.names or None)


FORMS: list[tuple[Any, str, Any]] = [
    ("toml", "s.toml", File("s.toml")), ("yaml", "s.yaml", File("s.yaml")), ("json", "s.json", File("s.json")), ("env", ".env", EnvFile(".env", "T_")),
]  # fmt: skip


@pytest.mark.parametrize("seed", range(40))
def test_any_settings_are_read_again_from_what_was_written_of_them(tmp_path: Path, seed: int) -> None:
    cannot: list[CannotHold] = []
    for form, name, layer in FORMS:
        try:
            settings = _any_settings(seed, layer)
            values = [settings.gate.admit(plain) for plain in payloads(settings.gate, 3, seed)]
        except (DeclarationError, CannotSample):
            return
        for value in values:
            try:
                text = settings.written(value, form, secrets=True)
            except CannotHold as error:
                cannot.append(error)
                continue
            loaded = settings.examine(folder=written(tmp_path, {name: text}), environ={})
            assert loaded, (text, loaded.lines())
            assert settings.gate.release(loaded.value, secrets=True) == settings.gate.release(value, secrets=True)
            assert all(str(each.origin) for each in loaded.settings())
    assert all(error.path for error in cannot), "it is refused by name"


@pytest.mark.parametrize("seed", range(60))
def test_a_template_filled_in_as_it_suggests_loads(tmp_path: Path, seed: int) -> None:
    for form, name, layer in FORMS:
        try:
            settings = _any_settings(seed, layer)
            payloads(settings.gate, 1, seed)
        except (DeclarationError, CannotSample):
            return
        text = settings.template(form, schema="./s.schema.json")
        raw = settings.examine(folder=written(tmp_path, {name: text}), environ={})
        assert form == "json" or {fault.code for fault in raw.faults} <= {"absent", "agreement"}, raw.lines()
        filled = re.sub(r"(?m)^#(?!#)", "", text)
        loaded = settings.examine(folder=written(tmp_path, {name: filled}), environ={})
        # What a form cannot hold is left out, and said: TOML has no null, and a variable of any type is text.
        left_out = "leave it out" in text or "## for example" in text or form == "env"
        # So is every secret: no template holds one that works.
        secrets = settings.gate.shape.secretive and {fault.code for fault in loaded.faults} <= {"absent", "agreement"}
        assert loaded or left_out or secrets, (form, text, loaded.lines())


ODD_WORDS = (*filter(None, WORDS), "a\nevil = 1\nevil: 1\r\x0bEVIL=1\u2028x")


@pytest.mark.parametrize("word", ODD_WORDS, ids=range(len(ODD_WORDS)))
def test_no_word_of_a_declaration_becomes_a_setting(word: str) -> None:
    """A choice with a line end in it was a line of its own, and that line a setting."""
    beside = about(title=word, text=word, examples=[word])
    fields: list[Any] = [
        ("a", Annotated[str, beside]), ("c", Literal[word, "z"]), ("d", Annotated[str, it.has(re.escape(word))] | None, None),  # type: ignore[valid-type]
        ("e", str, word), ("g", dict[str, str], field(default_factory=lambda: {word: word})), ("h", Annotated[int, named(f"{word}2")], 3),
        ("k", Annotated[str, holds(len, says=word.replace("{", ""))], "x"),
    ]  # fmt: skip
    declared = make_dataclass("Desk", fields)
    declared.__doc__ = word
    try:
        settings = Settings(declared)
    except DeclarationError:
        return  # JSON has no such text
    for form, parse in (("toml", tomllib.loads), ("yaml", yaml.safe_load), ("env", str)):
        text = settings.template(form)  # type: ignore[arg-type]
        assert [line for line in text.split("\n") if line and not line.startswith("#")] == []
        assert parse(re.sub(r"(?m)^#(?!#)", "", text))


def test_a_template_has_the_defaults_where_a_rule_asks_for_more() -> None:
    @obeys(when(this.port > 8000).needs("note"))
    @dataclass
    class Desk:
        port: int = 8080
        note: str | None = None
        rate: Decimal = Decimal("1.50")
        raw: bytes = b"x"
        days: list[date] = field(default_factory=lambda: [date(2026, 5, 4)])

    filled = tomllib.loads(re.sub(r"(?m)^#(?!#)", "", Settings(Desk).template("toml")))
    assert isinstance(filled.pop("note"), str), "the one that the rule asks for"
    assert filled == {"port": 8080, "rate": 1.5, "raw": "eA=="}, "what a function makes is not known beforehand"


@pytest.mark.parametrize("form", ["toml", "yaml", "json", "env", "markdown"])
def test_no_template_holds_a_secret_that_works(form: Any) -> None:
    """Neither a default, nor one that is made up; nor a sample where there is a default."""

    @dataclass
    class Store:
        url: Annotated[str, secret]
        pin: Annotated[int, secret] = 77551
        token: Annotated[str, secret] = "hunter2hunter2"
        key: Sealed[str] = field(default_factory=lambda: Sealed("sealed-word"))

    @dataclass
    class Desk:
        store: Store
        keys: Annotated[list[str], secret]
        others: list[Store] = field(default_factory=list)
        named: dict[str, Store] = field(default_factory=lambda: {"a": Store("open-sesame")})
        either: Store | int = field(default_factory=lambda: Store("open-barley"))
        most: int | None = None
        port: Annotated[int, it.between(8000, 9000)] = 8080
        made: date = field(default_factory=lambda: date(2026, 5, 4))

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        settings = Settings(Desk)
    text = settings.template(form)
    for hidden in ("77551", "hunter2", "sealed-word", "open-sesame", "open-barley"):
        assert hidden not in text
    if form == "json":
        told = json.loads(text)
        assert told == {"store": {}, "others": [], "most": None, "port": 8080, "made": "2026-05-04"} or not {
            "keys",
            "named",
            "either",
        } & {*told}
        return
    assert "8080" in text
    assert "for example" not in text
    assert form == "markdown" or text.count("set a secret of your own") >= 6
    filled = re.sub(r"(?m)^#(?!#)", "", text)
    assert (
        not any(word in filled for word in ("url =", "url: ", "URL=")) or "url: set" in filled or "URL: set" in filled
    )


@pytest.mark.parametrize("seed", range(40))
def test_the_document_of_a_file_refuses_what_loading_refuses(tmp_path: Path, seed: int) -> None:
    try:
        settings = _any_settings(seed, File("s.json"))
        sent = payloads(settings.gate, 3, seed) + [data for data, _ in islice(probes(settings.gate, seed), 25)]
    except (DeclarationError, CannotSample):
        return
    document = settings.schema()
    judge = Gate.from_schema(document, formats="assert")
    assert Gate.from_schema(settings.schema(partial=True, dialect="draft-07"), formats="assert").accepts(
        {"$schema": "x"}
    )
    for data in sent:
        if not isinstance(data, dict) or not is_sayable(data, True):
            continue
        data = {"$schema": "./s.schema.json", **data}
        loaded = settings.examine(folder=written(tmp_path, {"s.json": json.dumps(data)}))
        if judge.accepts(data):
            assert loaded or document.unstated, (data, loaded.lines())
        elif loaded:  # it was brought into its final form on the way in
            final = json.loads(json.dumps(settings.gate.release(loaded.value, secrets=True), default=float))
            assert judge.accepts(final) or document.unstated, (data, final)


# The rest of the interface


@dataclass
class Alike:
    a_b: int
    c: Annotated[int, named("a-b")]


class Loose(TypedDict):
    limit: Annotated[int, it > 0]


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Settings(int), "settings are known by their names; declare a record"),
        (lambda: Settings(tuple[int, str]), "settings are known by their names"),
        (lambda: Settings(Loose, "a.toml"), "'a.toml' is no layer"),
        (lambda: Settings(Loose, File), "is no layer"),
        (lambda: File("a.ini"), "'a.ini' tells no format by its ending"),
        (lambda: Environment(""), "variables without a prefix are those of everybody"),
        (lambda: Settings(Annotated[Harbour, appended]), "appended is for lists"),
        (lambda: named("a", formerly=""), "needs text"),
        (lambda: Settings(Alike, Environment("T_")), "'a_b' and 'c' are spelled alike in variables, A_B"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told_when_it_is_made(make: Any, words: str) -> None:
    with pytest.raises(DeclarationError, match=re.escape(words)):
        make()


def test_names_in_files_may_be_made_of_attributes(tmp_path: Path) -> None:
    @dataclass
    class Kebab:
        berth_limit: int
        inner_part: Annotated[dict[str, int], trimmed] | None = None

    with pytest.raises(DeclarationError):
        Settings(Kebab)

    @dataclass
    class Good:
        berth_limit: int

    settings = Settings(Good, File("a.toml", optional=True), Environment("T_"), keys=kebab)
    assert settings.load(folder=written(tmp_path, {"a.toml": "berth-limit = 3"}), environ={}).value == Good(3)
    assert settings.load(folder=tmp_path, environ={"T_BERTH_LIMIT": "4"}).value == Good(4)
    assert Settings(Loose, Values({"limit": 2})).load().value == {"limit": 2}


def test_a_union_told_by_its_tag_is_replaced_when_the_tag_changes(tmp_path: Path) -> None:
    settings = Settings(Whole, File("a.toml"), Environment("T_"))
    written(tmp_path, {"a.toml": '[either]\nkind = "node"\nx = 3\n[either.left]\na = 1\n'})
    assert settings.load(folder=tmp_path, environ={"T_EITHER__X": "4"}).value.either == Node(left=Leaf(1), x=4)
    changed = settings.load(folder=tmp_path, environ={"T_EITHER__KIND": "other", "T_EITHER__Y": "2"})
    assert changed.value.either == Other(y=2)


def test_what_a_program_gives_may_be_typed(tmp_path: Path) -> None:
    given = {"berths": Berths(7, timedelta(hours=1), ["a"]), "store": {"host": "h", "password": Sealed("turnstone-at-the-quay")}, "closed": [date(2026, 5, 4)]}  # fmt: skip
    value = Settings(Harbour, Values(given)).load(overrides={"berths.limit": 8, "store.host": "other"}).value
    assert value.berths == Berths(8, timedelta(hours=1), ["a"])
    assert value.store == Store("other", Sealed("turnstone-at-the-quay"))
    loop: dict[str, Any] = {}
    loop["limits"] = loop
    assert Settings(Harbour, Values(loop)).examine().faults


def test_nothing_global_is_read_unasked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TERN_OPEN", "false")
    written(tmp_path, {"a.toml": BASE})
    assert harbour.load(folder=tmp_path, environ={}).value.open
    assert not harbour.load(folder=tmp_path).value.open
    assert Settings(Harbour, File("a.toml")).load(folder=tmp_path).value.open
    given = Settings(Harbour, File("a.toml"), Environment("TERN_", environ={"TERN_PORT": "OST"}))
    assert given.load(folder=tmp_path).value.port == "OST"
    code = "import sys, dutiful_gate.config; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert not {"yaml", "dotenv", "click", "rich", "jinja2"} & set(loaded)


# Secrets


@dataclass
class Told:
    name: str
    token: Annotated[str, secret] = "x"


def test_a_secret_that_a_record_would_show_is_warned_of() -> None:
    with pytest.warns(ShownSecret, match=r"Told\.token is a secret that the record's own repr shows"):
        Settings(Told)

    @dataclass
    class Quiet:
        token: Annotated[str, secret] = field(default="x", repr=False)

    Settings(Quiet)


def test_a_sealed_value_shows_itself_to_nobody(caplog: pytest.LogCaptureFixture) -> None:
    @dataclass(frozen=True)
    class Held:
        token: Annotated[Sealed[str], trimmed, it.length >= 4]
        store: Sealed[Store | None] | None = None
        keys: list[Sealed[bytes]] = field(default_factory=list)

    gate = Gate(Held)
    value = gate.admit({"token": f" {SECRET} ", "store": {"host": SECRET, "password": SECRET}, "keys": ["aGk="]})
    assert value.token.opened() == SECRET
    assert value.store is not None
    assert value.store.opened() == Store(SECRET, Sealed(SECRET))
    token = value.token
    caplog.set_level(logging.INFO)
    logging.getLogger("quay").info("%s %r %s", token, value, [token])
    buffer = io.StringIO()
    try:
        raise ValueError(token, value)
    except ValueError:
        traceback.print_exc(file=buffer)
    shown = [repr(value), str(token), f"{token!s:>20}", f"{token:>20}", str([token]), f"{token}", caplog.text, buffer.getvalue(),
             repr(vars(value) if hasattr(value, "__dict__") else value), json.dumps({"t": token}, default=str), str(gate.examine({"token": 1, "keys": [SECRET]}).faults)]  # fmt: skip
    assert all(SECRET not in text for text in shown)
    assert f"{token:>9}" == " (sealed)"[-9:]
    assert (token == SECRET, token == Sealed(SECRET), token == SECRET + "x", token == SECRET.encode(), Sealed(b"a") == b"a", Sealed(1) == Sealed(True)) == (
        True, True, False, False, True, False,
    )  # fmt: skip
    assert (deepcopy(value) == value, hash(token) == hash(SECRET), replace(value, token=Sealed("abcde")) == value) == (
        True,
        True,
        False,
    )
    with pytest.raises(TypeError, match="not pickled"):
        pickle.dumps(value.token)
    with pickling_sealed():
        assert pickle.loads(pickle.dumps(value.token)) == token
    with pytest.raises(AttributeError, match="does not change"):
        token.held = 1  # type: ignore[attr-defined]
    assert gate.release(value) == {"keys": []} or "token" not in gate.release(value)
    assert gate.release(value, secrets=True)["token"] == SECRET
    assert [fault.code for fault in Gate(Held, Source.NATIVE).examine({"token": SECRET}).faults] == ["kind"]
    with pytest.raises(DeclarationError, match="rule or step beside a secret"):
        Gate(Annotated[Sealed[int], it.length > 77])


def test_a_secrets_folder_is_sealed_whatever_its_files_are_for(tmp_path: Path) -> None:
    """A password put in the file of another setting is not shown, nor what it would have replaced, nor in force."""

    @dataclass
    class Open:
        port: Annotated[int, it > 3] = 5
        more: dict[str, int] = field(default_factory=dict)
        names: list[str] = field(default_factory=list)

    held = tmp_path / "secrets"
    held.mkdir()
    (tmp_path / "a.toml").write_text("port = 12\n")
    settings = Settings(Open, File("a.toml"), SecretsFolder("secrets"), Environment("X_"))
    for file, text in (
        ("port", "hushhush"), ("port", "2"), ("more", '{"a": hushhush}'), ("more", '{"a": "hushhush"}'),
        ("more__a", "hushhush"), ("names", '["hushhush", 7]'),
    ):  # fmt: skip
        (held / file).write_text(text)
        refused = settings.examine(folder=tmp_path, environ={})
        (fault,) = refused.faults
        told = f"{list(refused.lines())} {fault} {fault!r} {fault.as_dict()} {fault.given}"
        assert ("hush" in told, "got a hidden value" in fault.message) == (False, True), told
        (held / file).unlink()
    (held / "port").write_text("771")
    shadowed = settings.examine(folder=tmp_path, environ={"X_PORT": "none"})
    assert "it would have replaced (sealed) from" in next(iter(shadowed.lines()))
    (setting, *_) = settings.load(folder=tmp_path, environ={}).settings()
    assert (setting.value, setting.secret, settings.load(folder=tmp_path, environ={}).value.port) == (
        "(sealed)",
        True,
        771,
    )


def test_no_secret_appears_anywhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every command, with sound settings and with broken ones; every fault, log and traceback; every written form."""
    put_into(tmp_path)
    hidden = [path.read_text().strip() for path in (tmp_path / "secrets").iterdir()]
    assert all(len(each) > 12 for each in hidden)
    monkeypatch.chdir(tmp_path)
    outputs = []

    def run(*words: str) -> None:
        result = CliRunner().invoke(dutiful, ["config", *words])
        assert result.exit_code in (0, 1, 2), result.output
        outputs.append(result.output + (result.stderr if result.stderr_bytes is not None else ""))

    broken: list[dict[str, str]] = [
        {}, {"secrets/sensors__tokn": hidden[0]}, {"terminal.toml": f'[desk]\npassword = "{hidden[0]}" x'}, {"terminal.toml": f"[desk]\npassword = {hidden[0]}"},
        {"terminal.toml": f'[desk]\npasword = "{hidden[0]}"\n[sensors]\ntoken = ["{hidden[1]}"]'}, {".env": f"TERN_DESK__PASSWORD {hidden[0]}\nTERN_DESK={hidden[1]}\n"},
        {".env": f'TERN_DESK={{"password": "{hidden[0]}\n'}, {"secrets/desk__password": hidden[0][:6]}, {"terminal.toml": f'desk = "{hidden[0]}"'},
        {"terminal.toml": f'[desk.password]\n"{hidden[0]}" = 1'},
        {"terminal.toml": f'[desk]\n"password: {hidden[0]}" = 1\n"{hidden[1]} " = 2'},
        {".env": f'TERN_DESK__PASSWORD"{hidden[0]}"=\n'},
    ]  # fmt: skip
    for files in broken:
        for path in list(tmp_path.rglob("*")):
            if path.is_file():
                path.unlink()
        put_into(tmp_path)
        written(tmp_path, dict(files))
        for words in (["check"], ["show"], ["show", "--format", "json"], ["show", "--format", "env"], ["compare"]):
            run(words[0], TARGET, *(["base", "staging"] if words == ["compare"] else []), *words[1:])
        run("check", TARGET, "--set", f"desk.passwrd={hidden[0]}", "--set", f"{hidden[0]}")
        with warnings.catch_warnings(record=True) as caught:
            warnings.simplefilter("always")
            try:
                outputs.append(repr(terminal.load(environ={"TERN_DESK__PASSWORD": "x"}).value))
            except RefusedSettings as refused:
                outputs += [
                    traceback.format_exc(),
                    repr(refused.verdict.faults),
                    json.dumps([fault.as_dict() for fault in refused.faults]),
                ]
        outputs += [str(each.message) for each in caught]
    put_into(tmp_path)
    value = terminal.examine(
        environ={},
        folder=written(
            tmp_path,
            {
                "terminal.toml": (ROOT / "src/dutiful_gate/demo/terminal_files/terminal.toml").read_text(),
                ".env": "",
                "secrets/desk__password": hidden[0],
                "secrets/sensors__token": hidden[1],
            },
        ),
    ).value
    outputs += [terminal.written(value, form) for form in ("toml", "yaml", "json", "env")]
    outputs += [repr(value), str(terminal.schema()), terminal.template("toml")]
    for text in outputs:
        assert not any(each in text for each in hidden), text
    assert hidden[0] in terminal.written(value, "toml", secrets=True)


def test_lists_and_truth_values_of_variables_are_as_the_docs_say() -> None:
    @dataclass
    class Desk:
        names: list[str] = field(default_factory=list)
        numbers: Annotated[list[int], split_on(",")] = field(default_factory=list)
        open: bool = False
        slow: Annotated[bool, lenient] = False

    desk = Settings(Desk, Environment("D_"))
    for name, text, value in (
        ("names", "a,b", ["a,b"]), ("names", '["a", "b"]', ["a", "b"]), ("names", "", []),
        ("numbers", "1,2", [1, 2]), ("numbers", "[1, 2]", [1, 2]), ("numbers", "7", [7]), ("numbers", "", []),
        ("open", "on", True), ("open", "TRUE", True), ("open", "off", False), ("open", "", False),
        ("slow", "yes", True), ("slow", "1", True), ("slow", "no", False),
    ):  # fmt: skip
        assert getattr(desk.load(environ={f"D_{name.upper()}": text}).value, name) == value, (name, text)
    for name, text in (("open", "1"), ("open", "yes"), ("numbers", "1,x"), ("numbers", "[1")):
        assert not desk.examine(environ={f"D_{name.upper()}": text})


def test_every_template_of_split_lists_loads(tmp_path: Path) -> None:
    @dataclass
    class Desk:
        numbers: Annotated[list[int], split_on(",")]
        words: Annotated[list[str], split_on(";"), it.length >= 1] = field(default_factory=lambda: ["x"])
        days: Annotated[list[date], split_on(",")] = field(default_factory=list)
        pair: Annotated[tuple[int, str], split_on(":")] = (1, "a")
        some: Annotated[set[int], split_on(",")] = field(default_factory=set)
        none: Annotated[list[int] | None, split_on(",")] = None

    value = Desk([1, 2], ["a", "b"], [date(2026, 5, 4)], (2, "z"), {5}, [1])
    for form, layer in (
        ("toml", File("d.toml")), ("yaml", File("d.yaml")), ("json", File("d.json")), ("env", EnvFile("d.env")),
    ):  # fmt: skip
        desk = Settings(Desk, layer)
        template = desk.template(form)  # type: ignore[arg-type]
        written(tmp_path, {f"d.{form}": re.sub(r"(?m)^#(?!#)", "", template) if form != "json" else template})
        assert desk.examine(folder=tmp_path).faults == (), template
        written(tmp_path, {f"d.{form}": desk.written(value, form)})  # type: ignore[arg-type]
        assert desk.load(folder=tmp_path).value == value


def test_a_profile_is_of_some_file() -> None:
    with pytest.raises(DeclarationError, match="no layer has one"):
        Settings(Berths, File("a.toml"), profile_from="PROFILE")
    told = Settings(Berths, Environment("D_")).examine(environ={"D_LIMIT": "3"}, profile="x").lines()
    assert told == ["profile needs a layer that has files by profile; got none"]


def test_a_setting_is_named_once_in_a_layer() -> None:
    assert lines_of(Values({"limit": 3, "every": "PT1M"})) == []
    assert lines_of(Values({"berths.limit": 3, "berths": {"limit": 4}}), Harbour)[0].startswith("values berths ")
    assert lines_of(Values({"berths": {"every": "PT1M"}, "berths.limit": 3}), Harbour)[1:] == []


def lines_of(layer: Any, declared: Any = Berths) -> list[str]:
    return [line for line in Settings(declared, layer).examine(environ={}).lines() if "needs a value" not in line]


def test_what_otherwise_hid_is_told_and_an_absent_secret_is_not_sealed() -> None:
    @dataclass
    class Desk:
        limit: Annotated[int, otherwise(9)] = 1
        pin: Annotated[int, secret, otherwise(9)] = field(default=1, repr=False)
        token: Sealed[str] | None = None

    loaded = Settings(Desk, Environment("D_")).examine(environ={"D_LIMIT": "many", "D_PIN": SECRET})
    assert loaded.value == Desk(9, 9)
    told = [str(advice) for advice in loaded.advice]
    assert ["'many'" in told[0], "otherwise" in told[0], len(told), SECRET in str(told)] == [True, True, 2, False]
    assert {each.name: each.shown for each in loaded.settings()}["token"] in ("null", None)
    assert {each.name: each.shown for each in loaded.settings()}["pin"] == "(sealed)"


# The command


@pytest.fixture
def desk(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    put_into(tmp_path)
    monkeypatch.chdir(tmp_path)
    for name in [name for name in os.environ if name.startswith("TERN_")]:
        monkeypatch.delenv(name)
    return tmp_path


def config(*words: str) -> tuple[int, str]:
    result = CliRunner().invoke(dutiful, ["config", *words])
    return result.exit_code, result.output


def test_the_settings_of_the_demo_are_sound_and_the_docs_show_them(desk: Path) -> None:
    assert config("check", TARGET) == (0, "14 settings from .env, default, secrets and terminal.toml: sound\n")
    code, told = config("show", TARGET, "--profile", "staging")
    assert code == 0
    page = (ROOT / "docs" / "settings.md").read_text()
    assert told in page, "what the docs show is what the command prints"
    assert [each["name"] for each in json.loads(config("show", TARGET, "--format", "json")[1])][:2] == [
        "port",
        "berths.limit",
    ]
    assert "\n# TERN_DESK__PASSWORD (sealed)\n" in config("show", TARGET, "--format", "env")[1]


def test_the_command_tells_faults_differences_templates_and_documents(
    desk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    written(desk, {"terminal.toml": (desk / "terminal.toml").read_text().replace("limit = 12", "limit = 400")})
    code, told = config("check", TARGET)
    assert (code, told.splitlines()[0]) == (
        1,
        "terminal.toml:6:9  berths.limit  needs a whole number from 1 to 40; got 400",
    )
    assert config("check", TARGET, "--set", "berths.limit=3")[0] == 0
    code, told = config("compare", TARGET, "base", "staging", "--set", "berths.limit=3")
    names = [line.split()[0] for line in told.splitlines()[1::2]]
    assert (code, names) == (1, ["desk.storage", "sailings.closed_on", "log"])
    assert config("compare", TARGET, "staging", "staging") == (0, "staging and staging: the same settings in force\n")
    written(desk, {"other.toml": (desk / "terminal.toml").read_text().replace("400", "7").replace("QLP", "OST")})
    monkeypatch.setenv("TERN_PROFILE", "staging")  # which says nothing where files are compared
    code, told = config("compare", TARGET, "terminal.toml", "other.toml", "--set", "berths.limit=3")
    monkeypatch.delenv("TERN_PROFILE")
    assert (code, [line.split() for line in told.splitlines()[1:]]) == (
        1, [["port", "terminal.toml", "'QLP'", "terminal.toml:3:8"], ["other.toml", "'OST'", "other.toml:3:8"]],
    )  # fmt: skip
    for form in ("toml", "yaml", "json", "env", "markdown"):
        assert config("template", TARGET, "--format", form, "--document", "./terminal.schema.json")[0] == 0
    document = json.loads(config("document", TARGET)[1].partition("\nleft unstated")[0])
    assert document["properties"]["berths"] == {"$ref": "#/$defs/Berths"}
    for words, said in (
        (("check", "dutiful_gate.demo.terminal:Terminal"), "is no Settings"),
        (("check", "dutiful_gate.demo.nowhere:settings"), "there is no module"),
    ):
        code, told = config(*words)
        assert (code, said in told) == (2, True)
    for verb in ("check", "show", "template", "document", "compare"):
        assert f"dutiful config {verb} " in config(verb, "--help")[1]


def test_options_of_a_command_are_made_of_the_fields(tmp_path: Path) -> None:
    @click.command()
    @click.option("--loud", is_flag=True)
    @settings_options(harbour)
    def serve(loud: bool, arguments: list[str]) -> None:
        loaded = harbour.load_or_exit(folder=tmp_path, environ={}, arguments=arguments)
        click.echo(f"{loud} {loaded.value.berths.limit} {loaded.value.port} {loaded.value.limits}")

    written(tmp_path, {"a.toml": BASE})
    ran = CliRunner().invoke(serve, ["--berths-limit", "7", "--loud", "--set", "limits.a=1", "--port", "OST"])
    assert ran.output == "True 7 OST {'a': 1}\n"
    told = CliRunner().invoke(serve, ["--help"]).output
    assert "--berths-every" in told
    assert "password" not in told
    assert CliRunner().invoke(serve, ["--berths-limit", "x"]).exit_code == 78


def test_settings_follow_their_files_whole(tmp_path: Path) -> None:
    written(tmp_path, {"a.toml": BASE})
    told: list[Any] = []
    with harbour.watch(
        folder=tmp_path,
        environ={},
        changed=lambda each: told.append(each.value.berths.limit),
        refused=lambda each: told.append(each.lines()),
    ) as watched:
        assert watched.value.berths.limit == 12
        written(tmp_path, {"a.toml": BASE.replace("12", "13")})
        _until(lambda: watched.value.berths.limit == 13)
        written(tmp_path, {"a.toml": BASE.replace("12", "400")})
        _until(lambda: watched.refused is not None)
        assert watched.value.berths.limit == 13
        written(tmp_path, {"a.toml": BASE.replace("12", "14")})
        _until(lambda: watched.value.berths.limit == 14 and watched.refused is None)
    assert told == [13, ["a.toml:2:9 berths.limit needs a whole number from 1 to 40; got 400"], 14]
    with pytest.raises(RefusedSettings):
        harbour.watch(folder=tmp_path / "nowhere", environ={})


def _swapped(link: Path, to: str) -> None:
    """A link that leads elsewhere from one moment to the next, as container platforms do it."""
    link.with_name("..new").symlink_to(to)
    link.with_name("..new").replace(link)


def _by_container(folder: Path) -> Iterator[Any]:
    for version, limit in (("..v1", "12"), ("..v2", "13")):
        (folder / version).mkdir()
        written(folder / version, {"a.toml": BASE.replace("12", limit)})
    (folder / "..data").symlink_to("..v1")
    (folder / "a.toml").symlink_to("..data/a.toml")
    yield "a.toml"
    _swapped(folder / "..data", "..v2")


def _by_link(folder: Path) -> Iterator[Any]:
    for version, limit in (("v1", "12"), ("v2", "13")):
        (folder / version).mkdir()
        written(folder / version, {"a.toml": BASE.replace("12", limit)})
    (folder / "now").symlink_to("v1")
    yield "now/a.toml"
    _swapped(folder / "now", "v2")


def _made_again(folder: Path) -> Iterator[Any]:
    (folder / "in").mkdir()
    written(folder / "in", {"a.toml": BASE})
    yield "in/a.toml"
    shutil.rmtree(folder / "in")
    yield None
    (folder / "in").mkdir()
    written(folder / "in", {"a.toml": BASE.replace("12", "13")})


def _renamed(folder: Path) -> Iterator[Any]:
    for name, limit in (("in", "12"), ("other", "13")):
        (folder / name).mkdir()
        written(folder / name, {"a.toml": BASE.replace("12", limit)})
    yield "in/a.toml"
    (folder / "in").rename(folder / "gone")
    yield None
    (folder / "other").rename(folder / "in")


def _same_size_and_time(folder: Path) -> Iterator[Any]:
    written(folder, {"a.toml": BASE})
    yield "a.toml"
    told = (folder / "a.toml").stat()
    written(folder, {"a.toml": BASE.replace("12", "13")})
    os.utime(folder / "a.toml", ns=(told.st_atime_ns, told.st_mtime_ns))


def _in_a_folder(name: str) -> Callable[[Path], Iterator[Any]]:
    def changing(folder: Path) -> Iterator[Any]:
        (folder / name).mkdir(parents=True)
        written(folder / name, {"a.toml": BASE})
        yield f"{name}/a.toml"
        written(folder / name, {"a.toml": BASE.replace("12", "13")})

    return changing


@pytest.mark.parametrize(
    "changing",
    [_by_container, _by_link, _made_again, _renamed, _same_size_and_time,
     *map(_in_a_folder, (".venv/etc", "node_modules", ".git", "deep/er/still"))],
)  # fmt: skip
def test_settings_are_followed_whatever_becomes_of_their_folder(
    tmp_path: Path, changing: Callable[[Path], Iterator[Any]]
) -> None:
    steps = changing(tmp_path)
    settings = Settings(Harbour, File(next(steps)), EnvFile(".env"), SecretsFolder("run/secrets", optional=True))
    with settings.watch(folder=tmp_path, environ={}, every=0.02, refused=lambda _: None) as watched:
        assert watched.value.berths.limit == 12
        for _ in steps:
            _until(lambda: watched.refused is not None)
            assert watched.value.berths.limit == 12
        _until(lambda: watched.value.berths.limit == 13 and watched.refused is None)
        (tmp_path / "run/secrets").mkdir(parents=True)  # the folder of an optional layer, which appears later
        (tmp_path / "run/secrets/berths__limit").write_text("14")
        _until(lambda: watched.value.berths.limit == 14)
        (tmp_path / "run/secrets/berths__limit").write_text("15")
        _until(lambda: watched.value.berths.limit == 15)


def test_included_files_are_followed_and_what_is_not_is_told(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    held = 'more = ["b.toml"]\n' + BASE.replace("limit = 12", "")
    written(tmp_path, {"a.toml": held, "b.toml": "[berths]\nlimit = 5\n"})

    class Asked:
        def label(self) -> str:
            return "the service of settings"

        def read(self, asked: Any) -> list[Any]:
            return []

    settings = Settings(Harbour, File("a.toml", includes="more"), Asked())
    with settings.watch(folder=tmp_path, environ={}, every=0.02) as watched:
        assert watched.value.berths.limit == 5
        written(tmp_path, {"b.toml": "[berths]\nlimit = 6\n"})
        _until(lambda: watched.value.berths.limit == 6)
    assert "the service of settings has no path, and is not watched" in caplog.text
    with Settings(Berths, Values({"limit": 3})).watch(environ={}) as still:
        assert still.unwatched == ("no layer has a file, so there is nothing to watch: the settings stay as they are",)
    with pytest.raises(ValueError, match="every=0 is no time"):
        settings.watch(folder=tmp_path, environ={}, every=0)


def _until(holds: Callable[[], bool]) -> None:
    import time

    for _ in range(600):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("it never came")


@dataclass
@obeys(this.last > this.first, exactly_one("a", "b"))
class Ruled:
    first: int
    last: int
    a: int | None = None
    b: int | None = None


def test_rules_between_settings_of_several_layers_are_told_at_the_setting(tmp_path: Path) -> None:
    settings = Settings(Ruled, File("a.toml"), Environment("T_"))
    written(tmp_path, {"a.toml": "first = 3\nlast = 9\na = 1"})
    assert lines(tmp_path, settings, environ={"T_LAST": "2", "T_B": "1"}) == [
        "T_LAST last needs a value above first; got '2'; it would have replaced 9 from a.toml:2:8",
        "a.toml:3:5 a needs exactly one of a, b; got another number",
    ]


@pytest.mark.parametrize(
    ("declared", "said", "value"),
    [
        (Annotated[int, byte_size], "10MiB", 10 * 2**20),
        (Annotated[int, byte_size], "1.5KiB", 1536),
        (Annotated[int, byte_size], "512kB", 512_000),
        (Annotated[int, byte_size], "1 GB", 10**9),
        (Annotated[int, byte_size], "4096", 4096),
        (Annotated[int, byte_size], "1.5B", None),
        (Annotated[int, byte_size], "10mib", None),
        (Annotated[int, byte_size], "-1kB", None),
        (Annotated[int | None, byte_size, it <= 1024], "2KiB", None),
        (Annotated[timedelta, time_span], "90s", timedelta(seconds=90)),
        (Annotated[timedelta, time_span], "1h30m", timedelta(hours=1.5)),
        (Annotated[timedelta, time_span], "2d", timedelta(days=2)),
        (Annotated[timedelta, time_span], "PT1H", timedelta(hours=1)),
        (Annotated[timedelta, time_span], "30m1h", None),
        (Annotated[timedelta, time_span], "90", None),
        (Annotated[timedelta, time_span], "9" * 18 + "w", None),
        (int, "10MiB", None),
        (timedelta, "90s", None),
    ],
)
def test_sizes_and_spans_as_operators_write_them(declared: Any, said: str, value: Any) -> None:
    record = make_dataclass("Service", [("limit", declared)])
    loaded = Settings(record, Environment("TERN_")).examine(environ={"TERN_LIMIT": said})
    assert (loaded.value.limit if loaded.verdict else None) == value
    if value is not None:
        assert Gate(declared, Source.NATIVE).admit(value) == value
        assert Gate(declared).admit(Gate(declared).release(value)) == value


@pytest.mark.parametrize(
    ("mark", "declared"), [(byte_size, str), (byte_size, float), (time_span, int), (time_span, str)]
)
def test_units_stand_beside_their_types_alone(mark: Any, declared: Any) -> None:
    with pytest.raises(DeclarationError, match="is for"):
        Gate(Annotated[declared, mark])


def test_a_settings_object_is_lenient_as_a_whole_and_knows_its_profiles(tmp_path: Path) -> None:
    record = make_dataclass("Service", [("berths", int), ("open", bool)])
    (tmp_path / "a.staging.toml").write_text('berths = "4"\nopen = "yes"\n')
    file = File("a.{profile}.toml")
    loaded = Settings(record, file, lenient=True, profiles=["staging", "live"]).examine(
        folder=tmp_path, profile="staging"
    )
    assert loaded.value == record(4, True)
    assert not Settings(record, file).examine(folder=tmp_path, profile="staging").verdict
    unknown = Settings(record, file, profiles=("staging", "live"), profile_from="TERN_PROFILE")
    told = unknown.examine(folder=tmp_path, environ={"TERN_PROFILE": "stagign"}).verdict.faults
    assert [fault.message for fault in told] == ["needs one of the profiles staging, live; got stagign"]
    wrong: list[Any] = ["staging", [], ["a/b"], [3]]
    for profiles in wrong:
        with pytest.raises(DeclarationError, match="profiles"):
            Settings(record, file, profiles=profiles)
    with pytest.raises(DeclarationError, match="no layer has one"):
        Settings(record, File("a.toml"), profiles=["staging"])
