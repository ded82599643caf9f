"""`./pail bench mutants [COUNT] [SEED]`: one figure of the craft is changed at a time, and the
tests of the craft are asked whether they notice. What lives is a figure that nothing holds.

Figures are the constants and comparisons of make, cave, table and salt, and the house values that
these read. A known library was weighed: it mutates every operator of a tree, runs the whole suite
for each, and knows nothing of a TOML file.
"""

from __future__ import annotations

import ast
import random
import re
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ROOMS = ("make", "cave", "table", "salt")
TESTS = ["tests/craft", "tests/golden"]
LONGEST_S = 300
BY = (0.5, 1.5, 2.0)


@dataclass(frozen=True)
class Mutant:
    """A figure in a file, by its place, and what it becomes."""

    path: str
    line: int
    begins: int
    ends: int
    was: str
    now: str

    def __str__(self) -> str:
        return f"{self.path}:{self.line}: {self.was} → {self.now}"


def _other(figure: float, by: float) -> str:
    """Another figure of the same sort: a count stays whole, and nothing stays nothing."""
    if isinstance(figure, int):
        return str(figure + 1 if by > 1 else max(0, figure - 1) if figure > 1 else figure + 2)
    return repr(round(figure * by, 6) if figure else 0.5)


def _places(path: Path) -> list[ast.Constant]:
    """The figures of a module that decide something: named constants, sides of comparisons."""
    found: list[ast.Constant] = []
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        named = isinstance(node, ast.Assign | ast.AnnAssign) and any(
            isinstance(each, ast.Name) and each.id.isupper()
            for target in (node.targets if isinstance(node, ast.Assign) else [node.target])
            for each in ast.walk(target)
        )
        if not named and not isinstance(node, ast.Compare):
            continue
        found += [
            each
            for each in ast.walk(node)
            if isinstance(each, ast.Constant) and type(each.value) in (int, float)
        ]
    return list({(each.lineno, each.col_offset): each for each in found}.values())


def mutants(chance: random.Random) -> list[Mutant]:
    """Every figure once, each with one of the changes."""
    found = []
    read: set[str] = set()
    for room in ROOMS:
        for path in sorted((ROOT / "openpail/craft" / room).glob("*.py")):
            name = str(path.relative_to(ROOT))
            text = path.read_text("utf-8")
            read |= set(re.findall(r'(?:number|curve)\(\s*"([\w.]+)"', text))
            for each in _places(path):
                was = ast.get_source_segment(text, each) or ""
                now = _other(each.value, chance.choice(BY))
                ends = each.end_col_offset or each.col_offset
                found.append(Mutant(name, each.lineno, each.col_offset, ends, was, now))
    toml = ROOT / "openpail/craft/house.toml"
    for number, line in enumerate(toml.read_text("utf-8").splitlines(), 1):
        match = re.match(r'"([\w.]+)" = \{ value = ([\d.]+)', line)
        if match and match[1] in read:
            low, high = map(float, re.findall(r"range = \[([-\d.]+), ([-\d.]+)\]", line)[0])
            value = float(match[2])
            far = high if high - value > value - low else low
            now = f"{(value + far) / 2:g}"
            name = str(toml.relative_to(ROOT))
            found.append(Mutant(name, number, match.start(2), match.end(2), match[2], now))
    return found


def lives(tree: Path, each: Mutant) -> bool:
    """Whether the tests of the craft pass with one figure changed."""
    path = tree / each.path
    whole = path.read_text("utf-8")
    lines = whole.splitlines(keepends=True)
    line = lines[each.line - 1].encode()
    lines[each.line - 1] = (line[: each.begins] + each.now.encode() + line[each.ends :]).decode()
    path.write_text("".join(lines), "utf-8")
    try:
        return all(_pass(tree, tests) for tests in (_nearest(tree, each), TESTS) if tests)
    finally:
        path.write_text(whole, "utf-8")


def _nearest(tree: Path, each: Mutant) -> list[str]:
    """The tests that name the module of a figure: asked first, they mostly notice."""
    module = each.path.removesuffix(".py").replace("/", ".").rpartition(".")
    said = re.compile(rf"{re.escape(module[0])}(\.{module[2]}\b| import .*\b{module[2]}\b)")
    files = sorted((tree / TESTS[0]).glob("test_*.py"))
    return [str(f.relative_to(tree)) for f in files if said.search(f.read_text("utf-8"))]


def _pass(tree: Path, tests: list[str]) -> bool:
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "2", "-p", "no:cacheprovider"]
    try:
        done = subprocess.run(
            [*command, *tests], cwd=tree, capture_output=True, timeout=LONGEST_S, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


def main(count: int = 40, seed: int = 1) -> None:
    """Try so many, and say what lives."""
    chance = random.Random(seed)
    every = mutants(chance)
    tried = chance.sample(every, min(count, len(every)))
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "tree"
        kept = shutil.ignore_patterns(".git", ".venv", "__pycache__")
        shutil.copytree(ROOT, tree, ignore=kept)
        alive = []
        for number, each in enumerate(tried, 1):
            is_alive = lives(tree, each)
            alive += [each] if is_alive else []
            print(f"{number}/{len(tried)} {'LIVES' if is_alive else 'noticed'}  {each}", flush=True)
    share = len(alive) / max(1, len(tried))
    print(f"{len(every)} figures, {len(tried)} changed, {len(alive)} live: {share:.0%}")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:3]))
