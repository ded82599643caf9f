"""What this machine keeps of Open Pail, in one folder: the cluster, the secret, the papers."""

from __future__ import annotations

import fcntl
import os
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from openpail.cli.cluster import Cluster, private

_PATIENCE_S = 600
_SECRET_BYTES = 48


def folder() -> Path:
    """The folder of all that is kept. Raises: click.ClickException, where nobody says which."""
    named = os.environ.get("OPENPAIL_STATE")
    if not named:
        raise click.ClickException("OPENPAIL_STATE is not set; use ./pail.")
    return Path(named)


@contextmanager
def alone() -> Iterator[None]:
    """One set-up at a time: the others wait for it."""
    folder().mkdir(parents=True, exist_ok=True)
    with (folder() / "lock").open("w") as held:
        until = time.monotonic() + _PATIENCE_S
        while True:
            try:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError as taken:
                if time.monotonic() > until:
                    words = "Another ./pail is setting up; try again when it is done."
                    raise click.ClickException(words) from taken
                time.sleep(0.2)
        yield


def cluster() -> Cluster:
    """Our own PostgreSQL, as it is: running or not."""
    return Cluster(folder())


def running() -> Cluster:
    """Our own PostgreSQL, started where it did not run."""
    with alone():
        cluster().start()
    return cluster()


def secret() -> str:
    """What cookies are signed with: this machine's own, made once, unless the environment says."""
    told = os.environ.get("OPENPAIL_SECRET")
    if told:
        return told
    file = folder() / "secret"
    with alone():
        if not file.exists():
            private(file, secrets.token_urlsafe(_SECRET_BYTES))
    return file.read_text()
