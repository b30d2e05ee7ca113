"""What a type checker sees of settings: the record, without a cast."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, assert_type

from dutiful_gate import Sealed, it
from dutiful_gate.config import EnvFile, Environment, File, Loaded, Origin, SecretsFolder, Setting, Settings, Values
from dutiful_gate.config.click_options import settings_options


@dataclass
class Terminal:
    berths: Annotated[int, it > 0]
    token: Sealed[str]
    key: Sealed[bytes] | None = None


SETTINGS = Settings(
    Terminal,
    File("terminal.toml", optional=True),
    EnvFile(".env", "TERN_"),
    Environment("TERN_", ignore=["TERN_SERVICE_*"]),
    SecretsFolder("secrets"),
    Values({"berths": 3}),
    profile_from="TERN_PROFILE",
)
assert_type(SETTINGS, Settings[Terminal])


def loads() -> None:
    loaded = SETTINGS.load(environ={}, overrides={"berths": 4}, arguments=["berths=5"])
    assert_type(loaded, Loaded[Terminal])
    assert_type(loaded.value, Terminal)
    assert_type(loaded.value.token.opened(), str)
    assert_type(SETTINGS.load_or_exit().value.berths, int)
    assert_type(loaded.origin("berths"), Origin)
    for each in loaded.settings():
        assert_type(each, Setting)
    with SETTINGS.watch() as watched:
        assert_type(watched.value, Terminal)
    text: str = SETTINGS.written(loaded.value, "toml")
    print(text)


@settings_options(SETTINGS)
def serve(arguments: Sequence[str]) -> None:
    print(SETTINGS.load(arguments=arguments).value.berths)
