"""All tables in one import, and the migrations that make them."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import MetaData, create_engine, make_url, text

from openpail.records.answered import models as _answered  # noqa: F401
from openpail.records.base import Base
from openpail.records.bench import models as _bench  # noqa: F401
from openpail.records.brine import models as _brine  # noqa: F401
from openpail.records.climate import models as _climate  # noqa: F401
from openpail.records.dairy import models as _dairy  # noqa: F401
from openpail.records.drills import models as _drills  # noqa: F401
from openpail.records.log import models as _log  # noqa: F401
from openpail.records.makes import models as _makes  # noqa: F401
from openpail.records.milk import models as _milk  # noqa: F401
from openpail.records.people import models as _people  # noqa: F401
from openpail.records.pieces import models as _pieces  # noqa: F401
from openpail.records.plans import models as _plans  # noqa: F401
from openpail.records.practice import models as _practice  # noqa: F401
from openpail.records.recipes import models as _recipes  # noqa: F401
from openpail.records.safe import models as _safe  # noqa: F401
from openpail.records.stock import models as _stock  # noqa: F401
from openpail.records.trials import models as _trials  # noqa: F401

METADATA: MetaData = Base.metadata
_MIGRATES = 731_094_213  # of pg_advisory_lock: any number that nothing else uses


def create_database(url: str) -> bool:
    """Create the database of an address when it is not there yet; whether it was made."""
    target = make_url(url)
    engine = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        named = {"name": target.database}
        there = connection.scalar(text("select 1 from pg_database where datname = :name"), named)
        if not there:
            connection.execute(text(f'create database "{target.database}"'))
    engine.dispose()
    return not there


def alembic_config(url: str) -> Config:
    """Alembic's settings for a database."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("path_separator", "os")
    config.attributes["url"] = url
    return config


def migrate(url: str, revision: str = "head") -> None:
    """Bring a database up to a revision; of several who begin at once, one does it."""
    engine = create_engine(url, isolation_level="AUTOCOMMIT")
    try:
        with engine.connect() as connection:
            connection.execute(text(f"select pg_advisory_lock({_MIGRATES})"))
            command.upgrade(alembic_config(url), revision)
    finally:
        engine.dispose()
