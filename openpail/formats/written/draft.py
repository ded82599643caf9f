"""What was read so far of a text as people write it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from openpail.craft.stock.products import Kind
from openpail.formats.recipe_draft import Draft
from openpail.formats.written.asked import MakersWord, OpenQuestion
from openpail.formats.written.clauses import Clause
from openpail.formats.written.quantities import Quantity


@dataclass(kw_only=True)
class WrittenDraft(Draft):
    """A recipe so far, with what its readers tell each other.

    number of the line that is read; named, how much of it its name is; milk_l that it is for;
    section that was headed last; added_on, the line of each kind that was added; unweighed,
    kinds that were named without their amount, and their line; struck, lines of which a number
    was not used; said, what its maker said besides; open, what is asked, by its key; granted,
    what was filled in with what is usual; taken, keys of steps whose minutes are usual ones;
    clock, the last time of day, and how many steps stood before it; pending, cares that were
    told before any place, with the number of their line; for_next, quantities that its maker
    says are of the step that comes; echoed, what each clause of the last line became, and where
    it begins; is_raw, whether the milk is told to be, None where nothing says; piece_kg, how
    heavy one of its cheeses is told to be; brine_pct, how strong its brine is, told before
    there is curd; parted, kinds of things that two steps give, and the share of the first;
    in_parts, those that one step gives in two parts; shares, which part of a thing a step was
    told to give; in_goes, into how many parts those are told, and whether a day apart;
    stepped_on, the line of the last step; milked_on, that of its milk; listing, whether the
    line is one of a list of what goes in that has no heading; care_ends, the day on which the
    last care that was told stops being done so; bans, what the text says is not done.
    """

    number: int = 0
    named: int = 0
    milk_l: float = 0.0
    section: str = ""
    added_on: dict[Kind, int] = field(default_factory=dict)
    unweighed: dict[Kind, int] = field(default_factory=dict)
    struck: set[int] = field(default_factory=set)
    said: MakersWord = field(default_factory=MakersWord)
    open: dict[str, OpenQuestion] = field(default_factory=dict)
    granted: list[str] = field(default_factory=list)
    taken: set[str] = field(default_factory=set)
    clock: tuple[float, int] | None = None
    pending: list[tuple[int, Clause]] = field(default_factory=list)
    for_next: list[Quantity] = field(default_factory=list)
    echoed: list[tuple[int, str]] = field(default_factory=list)
    is_raw: bool | None = None
    piece_kg: float | None = None
    parted: dict[str, float] = field(default_factory=dict)
    in_parts: set[str] = field(default_factory=set)
    shares: dict[str, float] = field(default_factory=dict)
    in_goes: dict[str, tuple[int, bool]] = field(default_factory=dict)
    stepped_on: int = 0
    milked_on: int = 0
    brine_pct: float | None = None
    listing: bool = False
    care_ends: int = 0
    bans: list[str] = field(default_factory=list)

    def ask(self, question: OpenQuestion) -> str:
        """Put a question, with the answer that it has got; returns that answer, "" for none."""
        given = self.said.answers.get(question.key, "").strip()
        wrong = ""
        if given and question.choices and given not in dict(question.choices):
            wrong, given = "This is none of the answers.", ""
        self.open[question.key] = replace(question, answer=given, wrong=wrong)
        return given

    def refuse(self, key: str, wrong: str) -> None:
        """Say by a question why its answer will not do."""
        self.open[key] = replace(self.open[key], wrong=wrong)
