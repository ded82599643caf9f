"""What the records do with a session, asked for with `here`: of this dairy and no other."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec, TypeVar

from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy
from openpail.work.here import Here

P = ParamSpec("P")
R = TypeVar("R")


def of_dairy(
    act: Callable[Concatenate[Session, Dairy, P], R],
) -> Callable[Concatenate[Here, P], R]:
    """What asks for a session and a dairy, with those of `here`."""

    @wraps(act)
    def asked(here: Here, /, *args: P.args, **kwargs: P.kwargs) -> R:
        return act(here.session, here.dairy, *args, **kwargs)

    return asked


def of_row(
    act: Callable[Concatenate[Session, P], R],
) -> Callable[Concatenate[Here, P], R]:
    """What asks for a session and a row, which was found by way of `here`."""

    @wraps(act)
    def asked(here: Here, /, *args: P.args, **kwargs: P.kwargs) -> R:
        return act(here.session, *args, **kwargs)

    return asked
