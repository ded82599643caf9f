"""The words that a plainly written recipe is made of, the same for reading and for printing."""

from __future__ import annotations

import hashlib
import re
import unicodedata
from collections.abc import Mapping

from openpail.craft.milk.kinds import Breed, Treatment
from openpail.craft.recipe.recipe import Family, StepKind
from openpail.craft.stock.products import Kind

# What each family is called on paper.
FAMILIES: Mapping[Family, str] = {
    "acid_heat_soft": "acid and heat, soft",
    "acid_heat_pressed": "acid and heat, pressed",
    "whey": "whey cheese",
    "lactic": "lactic, bag-drained",
    "stretched_quick": "stretched, quick",
    "stretched": "stretched, cultured",
    "grilling": "grilling",
    "white_brined": "white, brined",
    "bloomy": "bloomy rind",
    "blue": "blue",
    "washed_curd": "washed curd",
    "small_eyed": "small-eyed",
    "stirred_curd": "stirred curd",
    "cheddared": "cheddared",
    "alpine": "alpine",
    "hard_grating": "hard grating",
    "tomme": "natural-rind tomme",
    "washed_rind": "washed rind",
}

# What each family is, for whoever does not know its name.
PLAIN: Mapping[Family, str] = {
    "acid_heat_soft": "soft, set by acid and heat",
    "acid_heat_pressed": "firm, set by acid and heat",
    "whey": "soft, of whey",
    "lactic": "soft and tangy, drained in a cloth",
    "stretched_quick": "pulled like dough, the same day",
    "stretched": "pulled like dough",
    "grilling": "firm, for the pan",
    "white_brined": "white, kept in brine",
    "bloomy": "soft, under a white rind",
    "blue": "veined with blue",
    "washed_curd": "mild and supple, pressed",
    "small_eyed": "pressed, with small eyes",
    "stirred_curd": "pressed, simple",
    "cheddared": "firm, of stacked and milled curd",
    "alpine": "large and firm, cooked curd",
    "hard_grating": "hard, to grate",
    "tomme": "pressed, with a natural rind",
    "washed_rind": "soft and strong, washed with brine",
}

# The verb a line begins with, and the kind of step that it is; the first that fits speaks.
VERBS: tuple[tuple[str, StepKind], ...] = (
    (r"take (?:the )?whey off|take off|draw off|remove", "take whey off"),
    (r"add (?:the )?(?:hot |warm |cold |boiled )*water|wash", "add water"),
    (r"add(?: water)? \d[\d.,/ ]*\w+ (?:of )?(?:hot |warm |cold )*water", "add water"),
    (r"cook in whey|boil in whey|cook .* in (?:its own |the )?whey", "cook in whey"),
    (r"add|sprinkle|stir in|mix in|pour in", "add"),
    (r"test|watch|wait for (?:the )?(?:first )?flocks?", "test"),
    (
        r"wait|leave|rest(?! the curd)|ripen|set(?! aside)|stand"
        r"|let (?:it |the milk )?(?:set|rest|stand|ripen)",
        "wait",
    ),
    (r"heal|rest the curd|let the curd (?:heal|rest)", "heal"),
    (r"warm", "warm"),
    (r"heat|cook|scald", "heat"),
    (r"hold|keep", "hold"),
    (r"stir", "stir"),
    (r"cut(?! slabs)", "cut"),
    (r"settle|pitch", "settle"),
    (r"cheddar|stack|cut slabs", "cheddar"),
    (r"drain|ladle", "drain"),
    (r"hang", "hang"),
    (r"mill|break", "mill"),
    (r"salt", "salt"),
    (
        r"put .*\b(?:in|into) (?:the |its |their )?(?:moulds?|forms?|hoops?)|mould|fill|form|pack",
        "mould",
    ),
    (r"press", "press"),
    (r"turn|flip", "turn"),
    (r"stretch|knead|pull", "stretch"),
    (r"cool|chill", "cool"),
    (r"brine|into the brine|float", "brine"),
    (r"dry|weigh|air", "dry"),
)

# Minutes, and minutes of them for the hands, that stand when a line says none.
USUAL_MINUTES: Mapping[StepKind, tuple[float, float]] = {
    "warm": (35, 10),
    "add": (5, 5),
    "wait": (30, 2),
    "stir": (20, 20),
    "test": (12, 3),
    "cut": (8, 8),
    "heal": (5, 0),
    "heat": (40, 40),
    "hold": (10, 2),
    "take whey off": (8, 8),
    "add water": (10, 10),
    "settle": (10, 0),
    "drain": (15, 10),
    "cheddar": (90, 30),
    "hang": (720, 5),
    "mill": (10, 10),
    "salt": (15, 15),
    "mould": (10, 10),
    "press": (60, 5),
    "turn": (10, 10),
    "cook in whey": (40, 20),
    "stretch": (20, 20),
    "cool": (20, 5),
    "brine": (480, 5),
    "dry": (15, 10),
}

STEP_WORDS: Mapping[StepKind, str] = {
    "warm": "Warm the milk",
    "add": "Stir it in",
    "wait": "Leave it, lid on",
    "stir": "Stir",
    "test": "Wait for the first flocks",
    "cut": "Cut",
    "heal": "Let the curd heal",
    "heat": "Warm the curd, stirring",
    "hold": "Hold it",
    "take whey off": "Take whey off",
    "add water": "Add water",
    "settle": "Let it settle",
    "drain": "Run the whey off",
    "cheddar": "Turn and stack the slabs",
    "hang": "Hang it to drain",
    "mill": "Mill it",
    "salt": "Salt it",
    "mould": "Fill the mould",
    "press": "Press",
    "turn": "Turn and redress",
    "cook in whey": "Cook it in its whey",
    "stretch": "Stretch it",
    "cool": "Cool it",
    "brine": "Into the brine",
    "dry": "Out of the mould: weigh it",
}

SPIRITS = r"spirits?|whisk(?:e)?y|brandy|ale|cider|wine"

# A word of an ingredient's line, what kind of thing it is, and its sort when the word says it.
THINGS: tuple[tuple[str, Kind, str], ...] = (
    (r"propionic|eye-?mak(?:ing|er)", "propionic", ""),
    (r"protective", "protective", ""),
    (r"white mould|bloom(?:y)? mould", "mould", "white"),
    (r"blue mould", "mould", "blue"),
    (r"yeast|geo(?:trichum)?", "mould", "yeast"),
    (r"candidum", "mould", "white"),
    (r"roqueforti", "mould", "blue"),
    (r"linens", "mould", "smear"),
    (r"smear", "mould", "smear"),
    (r"mou?lds?", "mould", ""),
    (r"(?:citric acid|citric).*monohydrate", "acid", "citric_monohydrate"),
    (r"citric", "acid", "citric_anhydrous"),
    (r"vinegar", "acid", "acetic"),
    (r"bottled lemon", "acid", "lemon_bottled"),
    (r"lemons?|limes?", "acid", "lemon_fresh"),
    (r"lactic acid", "acid", "lactic"),
    (r"acid(?:ic)? (?:water|solution|mix\w*)|dissolved acid", "acid", ""),
    (r"calcium|cacl2?|ca cl", "calcium", ""),
    (r"lipase", "lipase", ""),
    (r"(?:kid|lamb|animal)\b.*rennet", "rennet", "animal"),
    (r"calf.*rennet", "rennet", "calf"),
    (r"microbial.*rennet", "rennet", "microbial"),
    (r"ferment\w*.*rennet", "rennet", "fermented"),
    (r"(?:plant|vegetable|thistle)\b.*rennet", "rennet", "plant"),
    (r"rennet|ren", "rennet", ""),
    (r"(?:mixed|both|mild and).*cultures?", "culture", "both"),
    (r"(?:heat-?loving|hot|thermophil\w*).*cultures?", "culture", "hot"),
    (r"(?:mild|warm|mesophil\w*).*cultures?", "culture", "mild"),
    (r"cultures?|starter|buttermilk|yoghurt|yogurt", "culture", ""),
    (r"thermo\w*", "culture", "hot"),
    (r"meso\w*", "culture", "mild"),
    (r"annatto|colou?r(?:ing)?|saffron", "colour", ""),
    (r"coarse.*salt", "salt", "coarse"),
    (r"flak\w+.*salt", "salt", "flaked"),
    (r"pickling salt", "salt", "pickling"),
    (r"fine.*salt|table salt", "salt", "fine"),
    (r"salt", "salt", ""),
    (r"cloth|cotton|muslin|bandage|wax|foil|bag", "ware", ""),
    (r"lard|fat|butter|oil", "other", ""),
    (
        r"herbs?|chives?|pepper(?:corns?)?|caraway|cumin|fenugreek|nettles?|garlic|thyme|sage|dill|"
        rf"rosemary|ash|paprika|seeds?|mint|{SPIRITS}",
        "herb",
        "",
    ),
)

BREED_WORDS: tuple[tuple[str, Breed], ...] = (
    (r"dwarf goats?", "goat_dwarf"),
    (r"goats?", "goat"),
    (r"sheep|ewes?", "sheep"),
    (r"buffalo(?:es)?", "buffalo"),
    (r"(?:high[- ]solids|rich) cows?", "cow_high_solids"),
    (r"cows?|whole|shop|milk|whey", "cow_lowland"),
)
TREATMENT_WORDS: tuple[tuple[str, Treatment], ...] = (
    (r"thermised|thermized", "thermised"),
    (r"batch", "batch"),
    (r"flash|shop|store[- ]bought|supermarket|pasteuri[sz]ed?|past", "flash"),
    (r"high[- ]heat", "high_heat"),
    (r"ultra[- ]heated|long[- ]life|uht", "ultra_heated"),
    (r"high[- ]pressure", "high_pressure"),
    (r"raw", "raw"),
)


def kind_of_thing(words: str) -> tuple[Kind, str] | None:
    """What a line of words names: its kind and sort, None when no word is known."""
    plain = words.lower()
    for pattern, kind, sort in THINGS:
        if re.search(rf"\b(?:{pattern})\b", plain):
            return kind, sort
    return None


def kind_of_step(words: str) -> StepKind | None:
    """The kind of step that a line begins with, None when its verb is not known."""
    plain = words.lower().strip()
    for pattern, kind in VERBS:
        if re.match(rf"(?:{pattern})\b", plain):
            return kind
    return None


_LONGEST_KEY = 60
_SAFE_KEY = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]*")
# Words that stand where a recipe's key does in the addresses of our own pages.
_TAKEN = frozenset({"all", "bring", "draft", "kept", "new", "starters"})


def safe_key(key: str) -> str:
    """The key as it is where an address can hold it, else one made of it."""
    fine = _SAFE_KEY.fullmatch(key) and len(key) <= _LONGEST_KEY and key not in _TAKEN
    return key if fine else slug(key)


def slug(name: str) -> str:
    """A key made of a name: small letters, digits and hyphens.

    What of a name the Latin letters cannot say goes into six signs at its end, so that two names in
    Greek are two keys.
    """
    bare = "".join(
        sign for sign in unicodedata.normalize("NFKD", name) if not unicodedata.combining(sign)
    ).lower()
    key = re.sub(r"[^a-z0-9]+", "-", bare).strip("-")
    if key in _TAKEN:
        return f"{key}-cheese"
    if len(key) <= _LONGEST_KEY and not re.search(r"[^\W\d_a-z]", bare):
        return key or "recipe"
    told = hashlib.sha256(name.encode("utf-8", "replace")).hexdigest()[:6]
    return f"{key[: _LONGEST_KEY - 7].strip('-') or 'recipe'}-{told}"


def free_key(wish: str, taken: set[str]) -> str:
    """The key wished for, or with the next free number behind it."""
    key, number = slug(wish), 1
    while key in taken:
        number += 1
        key = f"{slug(wish)}-{number}"
    return key
