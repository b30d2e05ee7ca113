"""The settings of a terminal of Tern Sound Ferries: `dutiful demo --into .` puts their files into a folder."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, time, timedelta
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Final, Literal

from dutiful_gate import Email, Sealed, WebUrl, about, appended, it, named, obeys, this
from dutiful_gate.config import EnvFile, Environment, File, SecretsFolder, Settings

from .ferries import PortCode


@dataclass(frozen=True)
class Berths:
    """The berths of the terminal."""

    limit: Annotated[int, it.between(1, 40), about(text="How many ships may lie here at once.", examples=[12])]
    longest_m: Annotated[float, it > 0, it <= 240, about(text="The longest ship, in metres.", examples=[118.5])]
    open_air: Annotated[bool, about(text="Whether freight may wait outside.")] = True


@dataclass(frozen=True)
@obeys(this.last > this.first)
class Sailings:
    """When ships leave."""

    first: Annotated[time, about(text="The first departure of a day.")] = time(6, 0)
    last: Annotated[time, about(text="The last one.")] = time(22, 30)
    closed_on: Annotated[list[date], appended, about(text="Days without sailings.")] = field(default_factory=list)


@dataclass(frozen=True)
class Desk:
    """The booking desk, and the storage behind it."""

    mail: Annotated[Email, about(text="Where questions go.", examples=["desk@quillport.example"])]
    storage: Annotated[WebUrl, about(text="Where bookings are kept.", examples=["https://storage.ternsound.example/"])]
    user: Annotated[str, it.length.between(2, 40), about(text="Who opens the storage.", examples=["terminal"])]
    password: Annotated[Sealed[str], it.length >= 12, about(text="What opens the storage.")]


@dataclass(frozen=True)
class Sensors:
    """The sensors at the berths."""

    every: Annotated[
        timedelta,
        it >= timedelta(seconds=10),
        about(text="How often they are read."),
        named("every", formerly="interval"),
    ] = timedelta(minutes=5)
    token: Annotated[Sealed[str] | None, about(text="What the sensors ask for.")] = None


@dataclass(frozen=True)
class Terminal:
    """Settings of a terminal of Tern Sound Ferries."""

    port: Annotated[PortCode, about(text="The port it stands in.", examples=["QLP"])]
    berths: Berths
    desk: Desk
    sailings: Sailings = field(default_factory=Sailings)
    sensors: Sensors = field(default_factory=Sensors)
    log: Annotated[Literal["debug", "info", "warning"], about(text="How much is written to the log.")] = "info"


settings = Settings(
    Terminal,
    File("terminal.toml"),
    File("terminal.{profile}.toml"),
    EnvFile(".env", "TERN_"),
    Environment("TERN_", ignore=["TERN_SERVICE_*"]),
    SecretsFolder("secrets", optional=True),
    profile_from="TERN_PROFILE",
)

FILES: Final = {
    "terminal.toml": "terminal.toml",
    "terminal.staging.toml": "terminal.staging.toml",
    "env": ".env",
    "environment.sh": "environment.sh",
    "desk__password": "secrets/desk__password",
    "sensors__token": "secrets/sensors__token",
}
"""The files of the example, by their names in this package, with their places in the folder they are put into."""


def put_into(folder: Path) -> list[tuple[str, bool]]:
    """Put the example's files into a folder: each with whether it was written; one that is there is left alone."""
    told = []
    for name, place in FILES.items():
        path = folder / place
        there = path.exists()
        if not there:
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(files("dutiful_gate.demo").joinpath("terminal_files", name).read_bytes())
        told.append((place, not there))
    return told
