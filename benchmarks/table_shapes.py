"""The line of a manifest that tables of the benchmarks hold; workers of a cluster import it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal

from dutiful_gate import it, obeys, this


@dataclass(slots=True)
@obeys(this.arrives > this.departs)
class Line:
    """A line of the manifest: numbers, dates and short texts."""

    booking: Annotated[str, it.length.between(4, 12)]
    origin: Annotated[str, it.matches("[A-Z]{3}")]
    destination: Annotated[str, it.matches("[A-Z]{3}")]
    departs: datetime
    arrives: datetime
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    pieces: Annotated[int, it.between(1, 50)]
    priority: Literal["standard", "urgent"] = "standard"


def frame_of(rows: int, seed: int = 1) -> Any:
    """A DataFrame of so many lines, one in a thousand of them with a fault."""
    import numpy as np
    import pandas as pd

    random = np.random.default_rng(seed)
    ports = np.array(["QLP", "MRW", "OST", "FNK"])
    departs = pd.Timestamp("2026-05-04", tz="UTC") + pd.to_timedelta(random.integers(0, 90 * 86400, rows), unit="s")
    numbers = pd.Series(random.integers(0, 10**6, rows)).astype(str).str.zfill(6)
    frame = pd.DataFrame(
        {
            "booking": "B" + numbers,
            "origin": ports[random.integers(0, 4, rows)],
            "destination": ports[random.integers(0, 4, rows)],
            "departs": departs,
            "arrives": departs + pd.to_timedelta(random.integers(3600, 9 * 3600, rows), unit="s"),
            "weight_kg": random.uniform(1, 20_000, rows).round(1),
            "pieces": random.integers(1, 40, rows),
            "priority": np.where(random.random(rows) < 0.1, "urgent", "standard"),
        }
    )
    frame.loc[random.random(rows) < 0.001, "weight_kg"] = -1.0
    return frame
