"""`./pail bench mutants [COUNT] [SEED]`: one figure of the craft is changed at a time, and the
tests of the craft that come by it are asked whether they notice. What lives is a figure that
nothing holds.

Figures are the constants and comparisons of make, cave, table and salt, and the house values that
these read. A known library was weighed: it mutates every operator of a tree, runs the whole suite
for each, and knows nothing of a TOML file.
"""

from __future__ import annotations

import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parent.parent
ROOMS = ("make", "cave", "table", "salt")
TESTS = ["tests/craft", "tests/golden"]
LONGEST_S = 300
BY = (0.5, 1.5, 2.0)
PYTEST = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", "-p", "no:xdist"]


@dataclass(frozen=True)
class Mutant:
    """A figure in a file, by its place, and what it becomes; the name it goes by, "" for one that
    stands in a comparison; a house value by its key."""

    path: str
    line: int
    begins: int
    ends: int
    was: str
    now: str
    name: str = ""

    def __str__(self) -> str:
        return f"{self.path}:{self.line}: {self.was} → {self.now}"


def _other(figure: float, by: float) -> str:
    """Another figure of the same sort: a count stays whole, and nothing stays nothing."""
    if isinstance(figure, int):
        return str(figure + 1 if by > 1 else max(0, figure - 1) if figure > 1 else figure + 2)
    return repr(round(figure * by, 6) if figure else 0.5)


def _places(tree: ast.Module) -> Iterator[tuple[ast.Constant, str]]:
    """The figures of a module that decide something: named constants, sides of comparisons."""
    seen = set()
    for node in ast.walk(tree):
        name = ""
        if isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            names = [each.id for t in targets for each in ast.walk(t) if isinstance(each, ast.Name)]
            name = next((each for each in names if each.isupper()), "")
        if not name and not isinstance(node, ast.Compare):
            continue
        for each in ast.walk(node):
            place = (getattr(each, "lineno", 0), getattr(each, "col_offset", 0))
            is_figure = isinstance(each, ast.Constant) and type(each.value) in (int, float)
            if is_figure and place not in seen:
                seen.add(place)
                yield each, name


def mutants(chance: random.Random) -> list[Mutant]:
    """Every figure once, each with one of the changes."""
    found = []
    read: set[str] = set()
    for room in ROOMS:
        for path in sorted((ROOT / "openpail/craft" / room).glob("*.py")):
            file, text = str(path.relative_to(ROOT)), path.read_text("utf-8")
            read |= set(re.findall(r'(?:number|curve)\(\s*"([\w.]+)"', text))
            for each, name in _places(ast.parse(text)):
                was = ast.get_source_segment(text, each) or ""
                now = _other(each.value, chance.choice(BY))
                ends = each.end_col_offset or each.col_offset
                found.append(Mutant(file, each.lineno, each.col_offset, ends, was, now, name))
    toml = ROOT / "openpail/craft/house.toml"
    for number, line in enumerate(toml.read_text("utf-8").splitlines(), 1):
        match = re.match(r'"([\w.]+)" = \{ value = ([\d.]+)', line)
        if match and match[1] in read:
            low, high = map(float, re.findall(r"range = \[([-\d.]+), ([-\d.]+)\]", line)[0])
            value = float(match[2])
            far = high if high - value > value - low else low
            now = f"{(value + far) / 2:g}"
            place = (str(toml.relative_to(ROOT)), number, match.start(2), match.end(2))
            found.append(Mutant(*place, match[2], now, match[1]))
    return found


# ── which tests come by a figure ──


def _first_line(node: ast.FunctionDef) -> int:
    return min([node.lineno, *(each.lineno for each in node.decorator_list)])


@cache
def _functions() -> list[tuple[str, ast.FunctionDef, frozenset[str]]]:
    """Every function of the craft: its file, itself, the names and the words that stand in it."""
    found = []
    for path in sorted((ROOT / "openpail/craft").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.FunctionDef):
                told = {e.id for e in ast.walk(node) if isinstance(e, ast.Name)}
                told |= {e.attr for e in ast.walk(node) if isinstance(e, ast.Attribute)}
                told |= {str(e.value) for e in ast.walk(node) if isinstance(e, ast.Constant)}
                found.append((str(path.relative_to(ROOT)), node, frozenset(told)))
    return found


def _come_by(each: Mutant) -> set[str]:
    """The functions that a figure is used in; all of its module, where none is found."""
    if each.name:
        found = {
            f"{file}:{_first_line(node)}"
            for file, node, told in _functions()
            if each.name in told and (file == each.path or not each.name.startswith("_"))
        }
    else:
        found = {
            f"{file}:{_first_line(node)}"
            for file, node, _ in _functions()
            if file == each.path and node.lineno <= each.line <= (node.end_lineno or 0)
        }
    whole = {f"{file}:{_first_line(node)}" for file, node, _ in _functions() if file == each.path}
    return found or whole


def seen() -> dict[str, set[str]]:
    """The functions that each test runs, of one run of them all."""
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "seen.json"
        command = [*PYTEST, "-p", "bench.seen", *TESTS]
        environment = {**os.environ, "OPENPAIL_SEEN": str(told)}
        subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, check=True)
        return {test: set(runs) for test, runs in json.loads(told.read_text("utf-8")).items()}


def _asked(each: Mutant, runs: dict[str, set[str]]) -> list[str]:
    """The tests that come by a figure, those that run the least first."""
    functions = _come_by(each)
    return sorted((t for t in runs if runs[t] & functions), key=lambda test: len(runs[test]))


def lives(tree: Path, each: Mutant, tests: list[str]) -> bool:
    """Whether these tests pass with one figure changed."""
    if not tests:
        return True
    path = tree / each.path
    whole = path.read_text("utf-8")
    lines = whole.splitlines(keepends=True)
    line = lines[each.line - 1].encode()
    lines[each.line - 1] = (line[: each.begins] + each.now.encode() + line[each.ends :]).decode()
    path.write_text("".join(lines), "utf-8")
    (tree / "asked").write_text("\n".join(tests), "utf-8")
    try:
        command = [*PYTEST, "-p", "no:randomly", "@asked"]
        done = subprocess.run(
            command, cwd=tree, capture_output=True, timeout=LONGEST_S, check=False
        )
        return done.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        path.write_text(whole, "utf-8")


def main(count: int = 40, seed: int = 1) -> None:
    """Try so many, two at a time, and say what lives."""
    chance = random.Random(seed)
    every = mutants(chance)
    tried = chance.sample(every, min(count, len(every)))
    runs = seen()
    print(f"{len(runs)} tests, {len(every)} figures", flush=True)
    trees: Queue[Path] = Queue()
    alive = []

    def one(each: Mutant) -> tuple[Mutant, bool]:
        tree = trees.get()
        try:
            return each, lives(tree, each, _asked(each, runs))
        finally:
            trees.put(tree)

    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        for number in range(2):
            tree = Path(folder) / str(number)
            kept = shutil.ignore_patterns(".git", ".venv", "__pycache__")
            shutil.copytree(ROOT, tree, ignore=kept)
            trees.put(tree)
        for number, (each, is_alive) in enumerate(pool.map(one, tried), 1):
            alive += [each] if is_alive else []
            print(f"{number}/{len(tried)} {'LIVES' if is_alive else 'noticed'}  {each}", flush=True)
    share = len(alive) / max(1, len(tried))
    print(f"{len(every)} figures, {len(tried)} changed, {len(alive)} live: {share:.0%}")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:3]))
