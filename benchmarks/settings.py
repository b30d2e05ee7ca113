"""`make bench-settings`: 200 settings from five layers, beside reading the same files and variables without checks.

Exit status 1 when the bound is broken.
"""

from __future__ import annotations

import io
import json
import os
import sys
import tomllib
from dataclasses import field, make_dataclass
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated, Any

import yaml
from dotenv import dotenv_values
from harness import compared

from dutiful_gate import Sealed, it
from dutiful_gate.config import EnvFile, Environment, File, SecretsFolder, Settings

BOUND = 1.3
PREFIX = "TERN_"
PER_GROUP = 20


def declared() -> Any:
    """Ten records of twenty settings: numbers, texts, durations, truths and secrets."""
    kinds: list[Any] = [
        Annotated[int, it.between(0, 10_000)], Annotated[str, it.length <= 80], float, bool, timedelta,
    ]  # fmt: skip
    groups: list[Any] = []
    for group in range(10):
        fields: list[Any] = [(f"setting_{number}", kinds[number % 5]) for number in range(PER_GROUP - 1)]
        made = make_dataclass(f"Group{group}", [*fields, ("secret_one", Sealed[str], field(default=Sealed("none")))])
        groups.append((f"group_{group}", made))
    return make_dataclass("Whole", groups)


LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
"""The faster of its own loaders, where it is there."""
VALUES: list[Any] = [12, "a text of some length", 2.5, True, "PT5M"]


def put(folder: Path) -> dict[str, str]:
    """The files of all layers; gives back the variables."""
    base = {
        f"group_{group}": {f"setting_{number}": VALUES[number % 5] for number in range(PER_GROUP - 1)}
        for group in range(10)
    }
    lines = []
    for name, held in base.items():
        lines += [f"[{name}]", *(f"{key} = {json.dumps(value)}" for key, value in held.items()), ""]
    (folder / "base.toml").write_text("\n".join(lines))
    more = {name: dict(list(held.items())[:4]) for name, held in base.items()}
    (folder / "more.yaml").write_text(yaml.safe_dump(more))
    (folder / ".env").write_text("".join(f"{PREFIX}GROUP_{group}__SETTING_0={group}\n" for group in range(10)))
    (folder / "secrets").mkdir()
    for group in range(10):
        (folder / "secrets" / f"group_{group}__secret_one").write_text("oystercatcher\n")
    noise = {f"OTHER_{number}": "x" for number in range(40)}
    return noise | {f"{PREFIX}GROUP_{group}__SETTING_1": "text" for group in range(10)}


def by_hand(folder: Path, environ: dict[str, str]) -> list[Any]:
    """The same files and variables, read and not looked at."""
    read: list[Any] = [
        tomllib.loads((folder / "base.toml").read_text()),
        yaml.load((folder / "more.yaml").read_text(), LOADER),
    ]
    read.append(dotenv_values(stream=io.StringIO((folder / ".env").read_text()), interpolate=False))
    read.append({name: text for name, text in environ.items() if name.startswith(PREFIX)})
    read.append({name: (folder / "secrets" / name).read_text() for name in os.listdir(folder / "secrets")})
    return read


def main() -> int:
    """Print the figure; 1 when it is over its bound."""
    with TemporaryDirectory() as name:
        folder = Path(name)
        environ = put(folder)
        settings = Settings(
            declared(), File("base.toml"), File("more.yaml"), EnvFile(".env", PREFIX), Environment(PREFIX), SecretsFolder("secrets"),
        )  # fmt: skip

        def ours() -> Any:
            return settings.load(folder=folder, environ=environ).value

        assert ours().group_3.setting_0 == 3
        assert ours().group_3.secret_one == "oystercatcher"
        ratio = compared(
            "200 settings, five layers", ours, lambda: by_hand(folder, environ), BOUND, turns=31, seconds=0.1
        )
    print(f"Python {sys.version.split()[0]}: ours / reading alone, median of turns (middle half), bound")
    mark = "holds" if ratio.holds else "BROKEN"
    print(f"  {ratio.name:36} {ratio.median:6.2f}  ({ratio.low:.2f} to {ratio.high:.2f})  <= {ratio.bound}  {mark}")
    return int(not ratio.holds)


if __name__ == "__main__":
    raise SystemExit(main())
