"""Shared by the tests: the charter's declaration, and a payload it admits."""

from __future__ import annotations

import os
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
settings.load_profile("steady")

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
