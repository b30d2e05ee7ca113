"""A table that comes every night, in pandas: what is sound goes on in its declared types, the rest is told and drawn.

Run it: `python examples/nightly_table.py [FOLDER]`; it needs the extra `tables`. The plot goes into the folder.
"""

from __future__ import annotations

import sys
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory

import pandas as pd
from matplotlib.figure import Figure

from dutiful_gate import Gate
from dutiful_gate.demo.make import manifest
from dutiful_gate.demo.manifest import Line
from dutiful_gate.tables import examine_table, pandas_dtypes, plot_shares, plot_values

lines = Gate(Line)


def main(folder: Path) -> None:
    """Examine the night's manifest, keep what is sound, and tell the office about the rest."""
    frame = pd.read_csv(StringIO(manifest()))
    verdict = examine_table(lines, frame)
    print(verdict)
    print(verdict.faults.groupby(["column", "code"]).size().to_string())
    print(verdict.faults.iloc[0][["row", "column", "message"]].to_dict())
    sound = verdict.admitted
    assert dict(sound.dtypes) == pandas_dtypes(lines)
    print("kilograms by deck:", sound.groupby("deck")["weight_kg"].sum().round().astype(int).to_dict())
    figure = Figure(figsize=(12.8, 8), layout="constrained")
    above, below = figure.subplots(2, 1)
    plot_shares(verdict, above)
    plot_values(lines, frame, "weight_kg", below)
    figure.savefig(folder / "faults.png")
    print("drawn:", (folder / "faults.png").name)


if __name__ == "__main__":
    if len(sys.argv) > 1:
        main(Path(sys.argv[1]))
    else:
        with TemporaryDirectory() as made:
            main(Path(made))
