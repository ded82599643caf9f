"""Every budget that was set, as it is measured on this machine now: written to bench/results.md.

./pail bench results
"""

from __future__ import annotations

import os
import platform
import subprocess
from pathlib import Path

from bench.five_years import measured
from bench.served import clients

ROOT = Path(__file__).parents[1]
# What each may take in the dairy of five years, ms; what is not named has none of its own.
BUDGETS = {
    "today": 80,
    "cave": 100,
    "24 labels": 1500,
    "logbook": 60,
    "find a word": 60,
    "find a cheese": 60,
    "a make": 60,
    "compare four": 80,
    "trace a make": 150,
    "trace a bottle": 150,
    "trace a tub": 150,
    "a reading told, 95th percentile": 50,
    "a tap told, 95th percentile": 50,
    "nothing new, 95th percentile": 15,
    "everything out, zip": 60_000,
}
_HELPERS, _SECONDS, _THINKS_S = 20, 60, 5.0
_P95_MS, _WORKER_MB = 150, 200
_BARE = "dairy"  # a page that asks for nothing but its shell


def main() -> None:
    """Measure, and write the table."""
    told = measured()
    median, p95, largest = clients(_HELPERS, _SECONDS, _THINKS_S)
    bare = told[_BARE][0]
    commit = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    lines = [
        "# Measured",
        "",
        f"`./pail bench results` at {commit}, {os.cpu_count()} cores, Python "
        f"{platform.python_version()}: medians in a dairy of five years (1 421 makes, 560 000",
        "samples, 6 536 pieces), ms. Bare: against the page that asks for nothing but its shell.",
        "Young: against the same page of a dairy of four months with as many cheeses at rest.",
        "",
        "| what | budget | measured | | bare | young |",
        "|---|---:|---:|---|---:|---:|",
    ]
    for name, (ms, ratio) in told.items():
        lines.append(_line(name, BUDGETS.get(name), ms, f"{ms / bare:.1f}", ratio))
    helpers = f"{_HELPERS} helpers at once, {_THINKS_S:.0f} s at a page"
    lines += [
        _line(f"{helpers}: median", None, median, "", None),
        _line(f"{helpers}: 95th percentile", _P95_MS, p95, "", None),
        _line("the largest worker, MB", _WORKER_MB, largest[0], "", None),
        _line("its own share of them, MB", None, largest[1], "", None),
        "",
    ]
    (ROOT / "bench" / "results.md").write_text("\n".join(lines), "utf-8")


def _line(name: str, budget: float | None, ms: float, bare: str, ratio: float | None) -> str:
    kept = "" if budget is None else "kept" if ms <= budget else "**over**"
    most = "" if budget is None else f"{budget:.0f}"
    young = "" if ratio is None else f"{ratio:.2f}"
    return f"| {name} | {most} | {ms:.0f} | {kept} | {bare} | {young} |"


if __name__ == "__main__":
    main()
