"""For who works on Open Pail: the tests, the bench and the pictures, each with what it needs."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

import click

from openpail.cli import state
from openpail.cli.cluster import ROOT, Cluster
from openpail.demo.load import OF_PICTURES
from openpail.demo.shots import take

_AS_GIVEN = {
    "ignore_unknown_options": True,
    "allow_interspersed_args": False,
    "help_option_names": [],
}
_PLENTY_BYTES = 1_000_000_000
# What a crash would lose is lost with the cluster anyway.
_CARELESS = "-c fsync=off -c synchronous_commit=off -c full_page_writes=off"
_MADE_ANEW = "-c max_wal_size=128MB -c autovacuum=off"
_BENCHES = {
    "five-years": ("bench.five_years",),
    "results": ("bench.results",),
    "fuzz": ("bench.fuzz",),
    "mutants": ("bench.mutants",),
    "clients": ("bench.served", "clients"),
    "kill": ("bench.served", "kill"),
}


_as_given = click.argument("words", nargs=-1, type=click.UNPROCESSED)


@click.command(context_settings=_AS_GIVEN)
@_as_given
def test(words: Sequence[str]) -> None:
    """Run the tests, on a PostgreSQL that is thrown away."""
    folder = _in_memory()
    # two processes, a file whole in one of them: a machine of two cores is the least we know
    pytest = ["pytest", "-p", "no:cacheprovider", "-n", "2", "--dist", "loadfile"]
    named = [str(Path(word).resolve()) if Path(word).exists() else word for word in words]
    with _scratch(folder, f"{_CARELESS} {_MADE_ANEW}") as env:
        more = {**env, "OPENPAIL_TEST_FOLDER": str(folder)}
        _run([*pytest, "--no-loadscope-reorder", *named], more)


@click.command(context_settings=_AS_GIVEN)
@_as_given
def bench(words: Sequence[str]) -> None:
    """Measure, on a PostgreSQL that is thrown away."""
    plain = ["pytest", "-p", "no:cacheprovider", "-c", "bench/pytest.ini", f"--rootdir={ROOT}"]
    named = _BENCHES.get(words[0]) if words else None
    asked = [*named, *words[1:]] if named else [*plain, "bench", *words]
    with _scratch(Path(tempfile.gettempdir()), _CARELESS) as env:
        _run(asked, env)


@click.command()
@click.argument("names", nargs=-1)
def shots(names: Sequence[str]) -> None:
    """Make the pictures in docs/screenshots again, from the demo."""
    take(state.running().url(OF_PICTURES), names)


def _in_memory() -> Path:
    """Where a copy of a database takes no time, if there is plenty of it."""
    memory = Path("/dev/shm")
    is_plenty = os.access(memory, os.W_OK) and shutil.disk_usage(memory).free > _PLENTY_BYTES
    return memory if is_plenty else Path(tempfile.gettempdir())


@contextmanager
def _scratch(folder: Path, options: str) -> Iterator[Mapping[str, str]]:
    """The environment with a PostgreSQL of its own, which is gone afterwards, come what may."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    home = Path(tempfile.mkdtemp(prefix="openpail-test.", dir=folder))
    own = Cluster(home)
    try:
        own.start(options)
        yield {**os.environ, "OPENPAIL_TEST_DATABASE_URL": own.url("postgres")}
    finally:
        own.stop()
        shutil.rmtree(home)


def _run(module_and_words: Sequence[str], env: Mapping[str, str]) -> None:
    """Run a module of Python in the project's folder, and end as it ends."""
    words = [sys.executable, "-m", *module_and_words]
    done = subprocess.run(words, cwd=ROOT, env=env, check=False)
    if done.returncode:
        sys.exit(done.returncode)
