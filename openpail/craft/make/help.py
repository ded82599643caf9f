"""Help at the vat: a short tree for each sign, its causes in the order that the record supports."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from typing import Any

from openpail.craft.errors import Unknown
from openpail.craft.recipe.recipe import StepKind


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """What may be behind a sign: in words, one thing to do now, one for next time; the facts of a
    record that speak for it; raw, what to do now where the milk is raw, "" for the same."""

    key: str
    words: str
    now: str
    next: str
    facts: tuple[str, ...]
    raw: str = ""


@dataclass(frozen=True, slots=True)
class Branch:
    """An answer to a sign's question, and the causes that it leaves."""

    words: str
    ends: tuple[Cause, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Sign:
    """Something that looks wrong: its name, at which kinds of steps, what to ask, the answers."""

    key: str
    title: str
    at: tuple[StepKind, ...]
    ask: str
    answers: tuple[Branch, ...]


@cache
def signs() -> Mapping[str, Sign]:
    """All that may look wrong, by key. Raises KeyError when an entry lacks a part."""
    data = tomllib.loads(files("openpail.craft.make").joinpath("help.toml").read_text("utf-8"))
    return {key: _sign(key, part) for key, part in data.items()}


def _sign(key: str, part: Mapping[str, Any]) -> Sign:
    answers = tuple(
        Branch(
            each["words"],
            tuple(
                Cause(
                    key=end["key"],
                    words=end["words"],
                    now=end["now"],
                    next=end["next"],
                    facts=tuple(end["facts"]),
                    raw=end.get("raw", ""),
                )
                for end in each["ends"]
            ),
        )
        for each in part["answer"]
    )
    return Sign(
        key=key, title=part["title"], at=tuple(part["at"]), ask=part["ask"], answers=answers
    )


def check_help(sign: str, cause: str) -> None:
    """Refuse a cause that no tree has.

    Parameters: sign, a key of `signs`; cause, one of its ends. Raises: Unknown.
    """
    if sign not in signs():
        raise Unknown(f"“{sign}” is no sign that help is known for.", "sign")
    if cause not in {end.key for answer in signs()[sign].answers for end in answer.ends}:
        raise Unknown(f"“{cause}” is no cause of this.", "cause")


def offered(kind: StepKind | None) -> tuple[Sign, ...]:
    """All signs, the ones that belong to a kind of step first.

    Parameters: kind, of the step of now; None at the end. Source: derivation.
    """
    every = tuple(signs().values())
    return tuple(sorted(every, key=lambda each: kind not in each.at))


@dataclass(frozen=True, slots=True)
class Likely:
    """A cause with what the record says for it, the strongest first."""

    cause: Cause
    because: tuple[str, ...]


def likely(causes: Sequence[Cause], facts: Mapping[str, str]) -> tuple[Likely, ...]:
    """Causes in the order that a batch's own record supports; else as they are told.

    Parameters: causes, of one answer; facts, from `facts_of`. Source: derivation.
    """
    found = []
    for each in causes:
        of_raw = replace(each, now=each.raw) if each.raw and "raw" in facts else each
        found.append(Likely(of_raw, tuple(facts[fact] for fact in each.facts if fact in facts)))
    return tuple(sorted(found, key=lambda each: -len(each.because)))
