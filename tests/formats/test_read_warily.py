"""What may hurt somebody is said of a text before anybody makes it."""

import pytest

from openpail.craft.recipe.second_reader import remarks
from openpail.formats.written.make import understand
from tests.support import HOUSE

STOOD = "20 litres raw goat milk\nLeave the milk in a warm place, 25 °C, for {hours} hours.\n"
CULTURE = "1 packet mild culture\nWarm to 25 °C and add the culture.\n"
HUNG = "Ladle into cloth and hang for 12 hours at 18 °C.\nSalt 2 %.\n"
OIL = "Roll into balls, cover with olive oil with garlic and keep at room temperature."
STANDS, IN_OIL = "nothing chosen sours it", "never at room temperature"


@pytest.mark.parametrize(
    ("text", "said", "not_said"),
    [
        (STOOD.format(hours=36) + HUNG + OIL, (STANDS, IN_OIL), ()),
        (STOOD.format(hours=3) + CULTURE + HUNG, (), (STANDS, IN_OIL)),
        (CULTURE + STOOD.format(hours=20) + HUNG, (), (STANDS,)),
        (
            "20 litres raw goat milk\nKeep it in the cellar at 12 °C for 20 hours.\n" + CULTURE,
            ("before a culture: too long",),
            (),
        ),
        (CULTURE + HUNG + "Rub the rind with olive oil.", (), (IN_OIL,)),
    ],
)
def test_warm_milk_without_a_culture_and_cheese_in_oil_are_grave(text, said, not_said):
    recipe = understand(f"Shepherd's jar\n\n{text}", HOUSE, "metric").recipe
    grave = " ".join(each.words for each in remarks(recipe, HOUSE) if each.grave)
    assert all(words in grave for words in said)
    assert not [words for words in not_said if words in grave]
