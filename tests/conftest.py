"""What all tests share: the folder of golden cases, and the throw-away PostgreSQL."""

from pathlib import Path

import pytest

GOLDEN = Path(__file__).parent / "golden" / "cases"


def pytest_addoption(parser):
    parser.addoption("--golden", default=str(GOLDEN), help="folder of golden cases")


def pytest_generate_tests(metafunc):
    if "golden_file" in metafunc.fixturenames:
        folder = Path(metafunc.config.getoption("--golden"))
        found = sorted(folder.glob("*.csv"))
        if not found:
            raise pytest.UsageError(f"no golden cases in {folder}")
        metafunc.parametrize("golden_file", found, ids=[each.stem for each in found])
