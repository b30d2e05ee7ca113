"""Shared by the tests: the charter's declaration, and a payload it admits."""

from __future__ import annotations

from typing import Any

import pytest


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
