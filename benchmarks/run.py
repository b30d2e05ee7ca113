"""`make bench`: the gate beside the same job written by hand, and what importing it costs. Figures are ratios.

Exit status 1 when a bound is broken.
"""

from __future__ import annotations

import compileall
import subprocess
import sys
from pathlib import Path
from statistics import median
from time import perf_counter

from by_hand import check_booking
from harness import Ratio, compared
from payloads import BOOKING, REFUSED

import dutiful_gate
from dutiful_gate.demo.ferries import bookings

IMPORT_BOUND_MS = 40.0
_SOURCE = Path(dutiful_gate.__file__).parent.parent


def ratios() -> list[Ratio]:
    """Every comparison of this suite."""

    def told_by_gate() -> object:
        return [(fault.path, fault.code, fault.message) for fault in bookings.examine(REFUSED).faults]

    def told_by_hand() -> object:
        return [(fault.path, fault.code, fault.message) for fault in check_booking(REFUSED)[1]]

    found = {(fault.path, fault.code) for fault in bookings.examine(REFUSED).faults}
    assert len(found) == 5, "five faults are asked for"
    assert found == {(fault.path, fault.code) for fault in check_booking(REFUSED)[1]}, "both must find the same faults"
    assert bookings.admit(BOOKING) == check_booking(BOOKING)[0], "both must build the same booking"
    return [
        compared("sound booking, admit", lambda: bookings.admit(BOOKING), lambda: check_booking(BOOKING), 1.0),
        compared("sound booking, examine", lambda: bookings.examine(BOOKING), lambda: check_booking(BOOKING), 1.0),
        compared("five faults, examine", lambda: bookings.examine(REFUSED), lambda: check_booking(REFUSED), 2.0),
        compared("five faults, every message read", told_by_gate, told_by_hand, 2.0),
    ]


def import_cost_ms(turns: int = 25) -> float:
    """What `import dutiful_gate` adds to a bare interpreter, in milliseconds: medians of runs in turn."""
    compileall.compile_dir(str(Path(dutiful_gate.__file__).parent), quiet=2)  # as an installed package is
    turn = [(_started("import dutiful_gate"), _started("pass")) for _ in range(turns)]
    return 1000 * (median(loaded for loaded, _ in turn) - median(bare for _, bare in turn))


def _started(code: str) -> float:
    start = perf_counter()
    # -S: without the site packages of whoever runs this, so that only the package's own cost is seen.
    subprocess.run([sys.executable, "-S", "-c", f"import sys; sys.path.append({str(_SOURCE)!r}); {code}"], check=True)
    return perf_counter() - start


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    print(f"Python {sys.version.split()[0]}: gate / by hand, median of turns (middle half), bound")
    broken = False
    for ratio in ratios():
        broken |= not ratio.holds
        mark = "holds" if ratio.holds else "BROKEN"
        print(f"  {ratio.name:36} {ratio.median:5.2f}  ({ratio.low:.2f} to {ratio.high:.2f})  <= {ratio.bound}  {mark}")
    cost = import_cost_ms()
    broken |= cost > IMPORT_BOUND_MS
    mark = "holds" if cost <= IMPORT_BOUND_MS else "BROKEN"
    print(f"  {'import dutiful_gate, added ms':36} {cost:5.1f}  <= {IMPORT_BOUND_MS}  {mark}")
    return int(broken)


if __name__ == "__main__":
    raise SystemExit(main())
