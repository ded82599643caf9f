"""The long run of the fuzz: requests with one thing wrong, until so many were sent.

./pail bench fuzz [REQUESTS] [SEED]
"""

from __future__ import annotations

import logging
import sys
import uuid
from os import environ
from traceback import format_exc

from sqlalchemy import create_engine, make_url, text

from openpail.demo.load import load
from openpail.records.schema import create_database, migrate
from openpail.records.session import engine_for, sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from tests.conftest import NOW, SECRET, token_in
from tests.support.fuzz import Broken, Fuzz


def main(wanted: int, seed: int) -> int:
    """Fuzz fresh demo dairies until enough was sent; how often something broke."""
    sent = broken = 0
    while sent < wanted:
        fuzz, url = _begun(seed)
        try:
            make = fuzz.client.get("/vat").headers["Location"].rsplit("/", 1)[-1]
            fuzz.deeds(make, 200)
            fuzz.run(rounds=3, each=8, between=6)
        except Broken as error:
            broken += 1
            print(f"seed {seed}: {error}", flush=True)
        except Exception:  # what the crawl itself stumbles over is told, and counted
            broken += 1
            print(f"seed {seed}: {format_exc()}", flush=True)
        sent, seed = sent + fuzz.requests, seed + 1
        print(f"{sent} requests, {broken} broken", flush=True)
        _ended(url)
    return broken


def _begun(seed: int) -> tuple[Fuzz, str]:
    server = make_url(environ["OPENPAIL_TEST_DATABASE_URL"])
    url = server.set(database=f"fuzz_{uuid.uuid4().hex}").render_as_string(hide_password=False)
    create_database(url)
    migrate(url)
    with sessions(url).begin() as session:
        load(session, NOW)
    app = create_app(Config(database_url=url, secret=SECRET, mode="demo", frozen_now=NOW))
    client = app.test_client()
    client.post("/demo", data={"csrf_token": token_in(client.get("/sign-in").text)})
    app.config["WTF_CSRF_ENABLED"] = False
    return Fuzz(app, client, seed), url


def _ended(url: str) -> None:
    engine_for(url).dispose()
    engine = create_engine(make_url(url).set(database="postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text(f'drop database "{make_url(url).database}" with (force)'))
    engine.dispose()


if __name__ == "__main__":
    logging.getLogger("openpail").addHandler(logging.StreamHandler(sys.stdout))
    requests, seed = (*sys.argv[1:], *("50000", "1")[len(sys.argv) - 1 :])
    sys.exit(min(1, main(int(requests), int(seed))))
