"""What a running Open Pail is told: by the environment, checked before anything starts."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

Mode = Literal["serve", "demo", "test"]
_KNOWN_SECRETS = {"changeme", "change-me", "secret", "default", "openpail", "dev"}
_SHORTEST_SECRET = 32


class BadConfig(SystemExit):
    """Something in the environment keeps Open Pail from starting."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Config:
    """The settings of one process.

    `frozen_now` stops the clock, for pictures and tests; `address` is how phones reach it, "" when
    nobody has said; `authority`, the file of the dairy's own certificate, "" without https of ours.
    """

    database_url: str
    secret: str
    mode: Mode
    frozen_now: datetime | None = None
    secure_cookies: bool = False
    address: str = ""
    authority: str = ""


def from_environment(env: Mapping[str, str] = os.environ) -> Config:
    """Read the settings. Raises BadConfig with what to mend."""
    url = env.get("OPENPAIL_DATABASE_URL")
    if not url:
        raise BadConfig("OPENPAIL_DATABASE_URL is not set. Start with ./pail demo or ./pail serve.")
    mode = env.get("OPENPAIL_MODE", "serve")
    if mode not in ("serve", "demo", "test"):
        raise BadConfig(f"OPENPAIL_MODE is serve, demo or test, not {mode}.")
    secret = env.get("OPENPAIL_SECRET", "")
    if secret.lower() in _KNOWN_SECRETS or len(secret) < _SHORTEST_SECRET:
        raise BadConfig(
            f"OPENPAIL_SECRET must be your own, {_SHORTEST_SECRET} characters or more; "
            "./pail serve makes one by itself when none is set."
        )
    now = env.get("OPENPAIL_NOW")
    return Config(
        database_url=url,
        secret=secret,
        mode=mode,  # type: ignore[arg-type]
        frozen_now=datetime.fromisoformat(now) if now else None,
        secure_cookies=env.get("OPENPAIL_SECURE_COOKIES") == "1",
        address=_address(env.get("OPENPAIL_ADDRESS", "")),
        authority=env.get("OPENPAIL_AUTHORITY", ""),
    )


def _address(text: str) -> str:
    if text and not re.fullmatch(r"https?://[A-Za-z0-9.-]+(:\d{1,5})?/?", text):
        raise BadConfig(f"OPENPAIL_ADDRESS is like https://dairy.example, not {text}.")
    return text.rstrip("/")
