"""Shared by the tests: the charter's declaration, and a payload it admits."""

from __future__ import annotations

import os
import re
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

from dutiful_gate.engine import own_functions

# A slow machine is no fault of the code; and what runs unattended runs the same each time.
settings.register_profile(
    "steady",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    derandomize=not os.environ.get("FRESH"),
)
# `make test PART=engine`: a few examples of each property, and a few rows of each table.
PART = os.environ.get("PART", "")
_ROWS = 4
settings.register_profile("part", settings.get_profile("steady"), max_examples=3)
settings.load_profile("part" if PART else "steady")

# A quick function that raises at each call would be found by nobody: the telling one has the last word.
own_functions.LOUD = True


@pytest.fixture
def sound() -> dict[str, Any]:
    return {
        "origin": "QLP",
        "destination": "MRW",
        "departs": "2026-05-04T09:30:00Z",
        "arrives": "2026-05-04T11:45:00Z",
        "contact": "desk@quillport.example",
        "crates": [{"contents": "coiled rope", "weight_kg": 120}, {"contents": "paint", "weight_kg": 48.5}],
    }


def rooms_of(file: Path) -> list[str]:
    """The rooms that a test file is for, the chief one first."""
    said = re.search(r"(?m)^# Rooms: (.+)$", file.read_text())
    return [room.strip().partition("/")[0] for room in said[1].split(",")] if said else []


@cache
def files_of_part(folder: Path) -> frozenset[Path]:
    """The test files that are chiefly for the part; where none is, those that are for it among others."""
    files = {file: rooms_of(file) for file in folder.glob("test_*.py")}
    chiefly = frozenset(file for file, rooms in files.items() if rooms[:1] == [PART])
    return chiefly or frozenset(file for file, rooms in files.items() if PART in rooms)


def pytest_ignore_collect(collection_path: Path) -> bool | None:
    """Of one part, only the test files that are for it."""
    if PART and collection_path.name.startswith("test_"):
        return collection_path not in files_of_part(collection_path.parent)
    return None


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Of one part, a few rows of each test that has many."""
    if not PART:
        return
    if not items:
        raise pytest.UsageError(f"no test file is for the part {PART!r}: see the lines '# Rooms:' in tests/")
    of_test: dict[str, list[pytest.Item]] = {}
    for item in items:
        of_test.setdefault(item.nodeid.partition("[")[0], []).append(item)
    kept = [item for every in of_test.values() for item in every[:: -(-len(every) // _ROWS)]]
    left_out = [item for item in items if item not in kept]
    config.hook.pytest_deselected(items=left_out)
    items[:] = kept
