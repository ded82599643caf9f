"""What cannot be, in words a maker can act on: one root, for the craft, the records and the wires.

PailError             anything below; never raised itself
├─ CraftError         what the rules of the craft say against it
│  ├─ OutOfRange         a figure outside what the rule is known for (a milk at 70 °C)
│  │  └─ WantsWord           what may be so, and is kept with a word
│  ├─ Unknown            a word, unit or key that is not known
│  ├─ Ambiguous          one text with two readings a thousandfold apart
│  │  └─ WhoseUnit       a pint of which nobody said whose it is
│  ├─ Contradictory      figures of one slip that cannot all be right
│  └─ NotPossible        figures that are fine alone and cannot go together
└─ RecordError        what the records do not do

NotHere               nothing of that id in this dairy: a page that is not there
"""


class PailError(ValueError):
    """Root of the family. `words` is shown to the maker as it stands.

    `about` names the input that the words speak of ("fat_pct", "celsius"), "" for none.
    """

    def __init__(self, words: str, about: str = "") -> None:
        super().__init__(words)
        self.words = words
        self.about = about


class CraftError(PailError):
    """What the rules of the craft say against it."""


class RecordError(PailError):
    """Something the records do not do."""


class NotHere(LookupError):
    """No such row in this dairy."""


class OutOfRange(CraftError):
    """A figure outside the range in which the rule holds."""


class WantsWord(OutOfRange):
    """What is far from what was expected, and may be so: `asked` is what is asked of it."""

    def __init__(self, asked: str, about: str = "word") -> None:
        super().__init__(f"{asked} If it is so, write why in a few words; it is kept.", about)
        self.asked = asked


class OddEnd(OutOfRange):
    """A step whose end is asked about: `ways` are the answers that a hand has ready."""

    def __init__(self, asked: str, ways: tuple[str, ...]) -> None:
        super().__init__(asked, "word")
        self.ways = ways


class Unknown(CraftError):
    """A unit, species, family or house value that nobody has told us of."""


class Ambiguous(CraftError):
    """A text that can be read in two ways; both are in `readings`."""

    def __init__(self, words: str, readings: tuple[str, ...]) -> None:
        super().__init__(words)
        self.readings = readings


class WhoseUnit(Ambiguous):
    """A gallon, quart or pint of which nobody said whose it is."""


class Contradictory(CraftError):
    """Figures of one slip that cannot all be right: casein over protein."""


class NotPossible(CraftError):
    """Things that cannot go together: ultra-heated milk and rennet, 40 L in a 36 L kettle."""
