"""The engine and the session factory. Nothing else opens a connection."""

from __future__ import annotations

from functools import cache

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker


@cache
def engine_for(url: str) -> Engine:
    """The engine of a database, once per process.

    A page asks small questions: compiling one (`jit`) takes a hundred times as long as its answer.
    """
    return create_engine(
        url,
        pool_pre_ping=True,
        pool_size=5,
        max_overflow=5,
        connect_args={"options": "-c jit=off"},
    )


def sessions(url: str) -> sessionmaker[Session]:
    """Sessions on a database; objects stay readable after a commit."""
    return sessionmaker(engine_for(url), expire_on_commit=False)
