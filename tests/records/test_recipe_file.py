"""The open recipe format."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.errors import CraftError, NotPossible, Unknown
from openpail.formats import recipe_file
from tests.support import RECIPES


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_a_recipe_reads_back_the_same(key):
    document = recipe_file.write(RECIPES[key])
    recipe, kept = recipe_file.read_text(json.dumps(document))
    assert recipe == RECIPES[key]
    assert recipe_file.checksum(kept) == recipe_file.checksum(document)


def test_what_is_not_understood_is_named_part_by_part():
    document = recipe_file.write(RECIPES["bench-curd"])
    document["recipe"]["steps"][2]["minutes"] = "a while"
    document["recipe"]["family"] = "bicycle"
    with pytest.raises(NotPossible) as refused:
        recipe_file.read(document)
    assert "steps.2.minutes" in refused.value.words
    assert "family" in refused.value.words
    with pytest.raises(Unknown, match="version 9"):
        recipe_file.read({**document, "version": 9})
    document = recipe_file.write(RECIPES["bench-curd"])
    document["recipe"]["steps"][0]["adds"] = ["moonlight"]
    with pytest.raises(NotPossible, match="moonlight"):
        recipe_file.read(document)


anything = st.recursive(
    st.none() | st.integers() | st.text(),
    lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner),
    max_leaves=8,
)


@given(anything)
def test_no_file_breaks_the_reader(value):
    with pytest.raises(CraftError):
        recipe_file.read_text(
            json.dumps({"format": recipe_file.FORMAT, "version": 1, "recipe": value})
        )
