"""What a label must name beside milk, found in the names of what was given: a list of words."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

_NONE = "none"
_LEAST_LETTERS = 3
_WORD = re.compile(r"[^\W_]+(?:[’'-][^\W_]+)*")


@dataclass(frozen=True, slots=True)
class AllergensFound:
    """What a name speaks of: keys of `SAYS`, and the words of it that stand on no list."""

    keys: tuple[str, ...]
    unknown: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class _Lists:
    says: Mapping[str, str]
    words: Mapping[tuple[str, ...], str]
    stems: tuple[tuple[str, str], ...]
    longest: int


@cache
def _lists() -> _Lists:
    data = tomllib.loads(files("openpail.craft.cave").joinpath("allergens.toml").read_text("utf-8"))
    words = {tuple(_split(word)): key for key, each in data.items() for word in each["words"]}
    stems = [(stem, key) for key, each in data.items() for stem in each["stems"]]
    return _Lists(
        {key: each["says"] for key, each in data.items() if key != _NONE},
        words,
        tuple(sorted(stems, key=lambda pair: -len(pair[0]))),
        max(len(each) for each in words),
    )


def says() -> Mapping[str, str]:
    """What a label says of each allergen beside milk, by its key. Source: the list of words."""
    return _lists().says


def _split(text: str) -> list[str]:
    return _WORD.findall(text.casefold().replace("'", "’"))


def found_in(text: str) -> AllergensFound:
    """What a name speaks of: each of its words, the longest that belong together first.

    Parameters: text, a name, or what a hand was told to do. Source: Regulation (EU) 1169/2011;
    FDA, major food allergens; the words are our own judgement.
    """
    lists, left = _lists(), _split(text.replace("-", " "))
    keys: list[str] = []
    unknown: list[str] = []
    while left:
        key, taken = _first(left, lists)
        if key is None and len(left[0]) >= _LEAST_LETTERS and not left[0].isdecimal():
            unknown.append(left[0])
        elif key not in (None, _NONE):
            keys.append(str(key))
        left = left[taken:]
    return AllergensFound(tuple(dict.fromkeys(keys)), tuple(dict.fromkeys(unknown)))


def _first(words: list[str], lists: _Lists) -> tuple[str | None, int]:
    for count in range(min(lists.longest, len(words)), 0, -1):
        part = words[:count]
        for last in (part[-1], *_singular(part[-1])):
            key = lists.words.get((*part[:-1], last))
            if key:
                return key, count
    stem = next((key for stem, key in lists.stems if words[0].startswith(stem)), None)
    return stem, 1


def _singular(word: str) -> Iterable[str]:
    if word.endswith("ies"):
        yield word[:-3] + "y"
    if word.endswith("es"):
        yield word[:-2]
    if word.endswith("s"):
        yield word[:-1]
