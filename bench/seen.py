"""A pytest plugin for `./pail bench mutants`: which functions of the craft each test runs.

OPENPAIL_SEEN names the file that it is written to: for each test, "path:line" of every function.
"""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

import pytest

CRAFT = str(Path("openpail", "craft"))
_by_test: dict[str, list[str]] = {}


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_call(item):
    """Note each function of the craft that is called while a test runs."""
    called = set()

    def note(frame, event, _):
        if event == "call":
            called.add(frame.f_code)

    sys.setprofile(note)
    yield
    sys.setprofile(None)
    _by_test[item.nodeid] = sorted(
        f"{CRAFT}{each.co_filename.partition(CRAFT)[2]}:{each.co_firstlineno}"
        for each in called
        if CRAFT in each.co_filename
    )


def pytest_sessionfinish():
    """Write down what was noted."""
    Path(os.environ["OPENPAIL_SEEN"]).write_text(json.dumps(_by_test), "utf-8")
