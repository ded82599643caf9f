"""The words that people write recipes with: units, numbers, sizes, signs, things without substance.

Each pattern is matched without regard to case. A new habit of writing is a new row here.
"""

from __future__ import annotations

from collections.abc import Mapping

from openpail.craft.recipe.recipe import CareKind, StepKind

# A number that is written as a word.
NUMBER_WORDS: Mapping[str, float] = {
    "a half": 0.5,
    "half a": 0.5,
    "half an": 0.5,
    "half": 0.5,
    "a quarter of an": 0.25,
    "a quarter of a": 0.25,
    "quarter of a": 0.25,
    "a quarter": 0.25,
    "three quarters of an": 0.75,
    "three quarters of a": 0.75,
    "three quarters": 0.75,
    "a couple of": 2,
    "a couple": 2,
    "a pair of": 2,
    "a dozen": 12,
    "another": 1,
    "an": 1,
    "a": 1,
    "one and a half": 1.5,
    "two and a half": 2.5,
    "one": 1,
    "two": 2,
    "three": 3,
    "four": 4,
    "five": 5,
    "six": 6,
    "seven": 7,
    "eight": 8,
    "nine": 9,
    "ten": 10,
    "eleven": 11,
    "twelve": 12,
    "fifteen": 15,
    "eighteen": 18,
    "twenty": 20,
    "twenty-five": 25,
    "thirty": 30,
    "thirty-five": 35,
    "forty": 40,
    "forty-five": 45,
    "fifty": 50,
    "sixty": 60,
    "seventy": 70,
    "eighty": 80,
    "ninety": 90,
}
# Times: minutes of one.
TIMES: tuple[tuple[str, float], ...] = (
    (r"seconds?(?! (?:day|time|morning|week|half|batch))|secs?|s", 1 / 60),
    (r"minutes?|mins?|min\.|m|['′’]", 1),
    (r"hours?|hrs?|h|hr\.", 60),
    (r"days?|d|nights?", 1440),
    (r"weeks?|wks?|w", 10_080),
    (r"months?|mos?|mths?", 43_200),
    (r"years?|yrs?", 525_600),
)
# Volumes: the word that `units` knows them by.
VOLUMES: tuple[tuple[str, str], ...] = (
    (r"millilit(?:re|er)s?|mls?|cc", "mL"),
    (r"centilit(?:re|er)s?|cls?", "cL"),
    (r"decilit(?:re|er)s?|dls?", "dL"),
    (r"(?:us|u\.s\.) gal(?:lon)?s?", "us gal"),
    (r"(?:imp|imperial|uk) gal(?:lon)?s?", "imp gal"),
    (r"gal(?:lon)?s?(?: (?:us|u\.s\.))", "us gal"),
    (r"gal(?:lon)?s?(?: (?:imp|imperial|uk))", "imp gal"),
    (r"gal(?:lon)?s?", "gal"),
    (r"(?:us|u\.s\.) (?:qts?|quarts?)", "us qt"),
    (r"qts?|quarts?", "qt"),
    (r"(?:us|u\.s\.) (?:pts?|pints?)", "us pt"),
    (r"imperial pints?", "imp pt"),
    (r"pts?|pints?", "pt"),
    (r"fl\.? ?oz|fluid ounces?", "fl oz"),
    (r"cups?|c\.(?=\s)|c(?=\s+(?:of|cool|cold|warm|water|milk|cream|salt)\b)", "cup"),
    (
        r"(?:soup ?)?spoon(?:ful)?s?(?! of (?:boiled|cool|cold|water))|tablespoon(?:ful)?s?|"
        r"tbsps?|tbs|tbl|Tbsps?|T(?![a-z])",
        "tbsp",
    ),
    (r"teaspoon(?:ful)?s?|tsps?|t(?![a-z])", "tsp"),
    (r"lit(?:re|er)s?|ltrs?|l", "L"),
    (r"drops?", "drop"),
)
MASSES: tuple[tuple[str, str], ...] = (
    (r"kilogram(?:me)?s?|kilos?|kgs?", "kg"),
    (r"milligrams?|mg", "mg"),
    (r"gram(?:me)?s?|gr|gms?|g", "g"),
    (r"pounds?|lbs?|#", "lb"),
    (r"cwt|hundredweight", "cwt"),
    (r"ounces?|oz", "oz"),
)
LENGTHS: tuple[tuple[str, float], ...] = (
    (r"millimet(?:re|er)s?|mm", 1.0),
    (r"centimet(?:re|er)s?|cm", 10.0),
    (
        r"inch(?:es)?|[\"″”]|in(?![a-z])(?=\.?\s*(?:$|[,;)]|cubes?|squares?|dice|pieces|thick|"
        r"wide|slabs?|curds?))",
        25.4,
    ),
)
COUNTS = (
    r"packets?|packs?|sachets?|tablets?|tabs?|pinch(?:es)?|dash(?:es)?|lemons?|limes?|cubes?|"
    r"moulds?|molds?|forms?|hoops?|pieces?|wheels?|blocks?|goes|times|x|layers?|bags?|stirs?|"
    r"baskets?|tubs?|sticks?|slabs?|stacks?|parts?|capsules?|DCUs?|units?|handfuls?|sprigs?|"
    r"leaves|cloves?"
)
# What a pinch is in mL: what fingers hold.
SMALL_ML: Mapping[str, float] = {"pinch": 0.31, "dash": 0.62, "smidgen": 0.15}

# Cut sizes by their name, mm across.
SIZES: tuple[tuple[str, float], ...] = (
    (r"walnuts?", 25.0),
    (r"hazelnuts?|hazel", 12.0),
    (r"chick ?peas?", 9.0),
    (r"pea[- ]?siz\w*|peas?", 7.0),
    (r"beans?", 12.0),
    (r"corn|maize|sweetcorn", 7.0),
    (r"lentils?", 4.0),
    (r"rice|wheat|barley|grains?", 5.0),
    (r"sugar cubes?|dice", 15.0),
)
# What is done: the verb of a clause, and the kind of step that it is. The first that stands in a
# clause speaks; of two that begin at the same place, the upper one.
VERBS: tuple[tuple[str, StepKind], ...] = (
    (
        r"(?:take|remove|lift|pull)\w* (?:it |them |the pot |the pan )?(?:off|"
        r"from) (?:the )?(?:heat|fire|stove|flame)",
        "hold",
    ),
    (r"off (?:the )?heat", "hold"),
    (
        r"\d+(?:[.,]\d+)? ?(?:l|lit\w+|gal\w*|qts?) (?:(?:of )?(?:the )?whey )?off\b|"
        r"(?:take|draw|pour|ladle|bail|dip|scoop|run|let|siphon|syphon|remove|drain)\w* (?:off "
        r")?(?:(?:out|"
        r"off) )?(?:(?:\d+[.,]\d+|[\w.%½⅓⅔¼¾/]+) ){0,8}?whey(?: (?:off|out))?|"
        r"(?:the )?rest of (?:the )?whey off|"
        r"whey off|remove (?:\w+ ){0,4}whey",
        "take whey off",
    ),
    (
        r"(?:add|pour|replace|top up|wash|give|put|return|cover)\w* (?:(?!acid|through|thru|"
        r"into)(?:\d+[.,]\d+|[\w./½¼¾]+) ){0,8}?(?:(?:hot|warm|cold|cool|"
        r"boiled|wash) ?)?water",
        "add water",
    ),
    (
        r"water,? (?:of |at )?(?=\d)|(?:hot|warm|wash) water|wash(?:es|ed)? (?:the )?curds?|"
        r"washing",
        "add water",
    ),
    (
        r"wash(?! (?:brine|rind|day|up|the (?:rind|cloth|cheese)|(?:it |them )?with (?:\S+ "
        r"){0,4}brine))",
        "add water",
    ),
    (
        r"into (?:the )?(?:hot|boiling|simmering) whey|"
        r"(?:cook|boil|simmer|poach)\w* (?:[\w']+ ){0,4}?in (?:it\b|(?:its |the |their "
        r")?(?:own |hot )*whey)",
        "cook in whey",
    ),
    (
        r"add(?:s|ed|ing)?|dos(?:e|es|ing)|sprinkl\w+|stir\w* in|mix\w* in|pour\w* in|whisk\w* "
        r"in|inoculat\w+|"
        r"put in(?! (?:the )?(?:mou?lds?|forms?|hoops?))|"
        r"(?:cultures?|starter|rennet|lemon|vinegar|acid|calcium|cacl2?|salt|thermo|meso|"
        r"geo|moulds?(?= in\W*(?:$|[,.;]))) in\b(?! (?:the )?(?:brine|mou?ld|form|fridge|cool|"
        r"cellar))|blend in|drop in|dissolve",
        "add",
    ),
    (
        r"(?:wait|watch|test|look) for (?:the )?(?:first )?floc\w*|spin test|floc\w* test|floc\w*",
        "test",
    ),
    (r"clean break|set(?:s|ting)?\b(?! aside)|coagulat\w+|gel\w*", "wait"),
    (
        r"waits?|leaves?|lets? (?:it |them )?act|(?<!the )(?<!other )rest(?:ing)?(?! of)|"
        r"ripen(?:ing)?|stand|let (?:it |them |the \w+ )?(?:set|rest|"
        r"stand|ripen|sit|be)|lid on|cover",
        "wait",
    ),
    (r"heal|rest (?:the )?curds?", "heal"),
    (r"temp(?:erature)?\b(?! is)", "warm"),
    (r"(?:bring (?:\w+ ){0,3}?to (?:a |the )?)?(?:boil|simmer)(?!ed|ing water)(?:s|ing)?", "warm"),
    (
        r"warm(?:s|ed|ing)?(?! (?:pot|room|place|cupboard|from the|from a|water))|bring (?:\w+ "
        r"){0,3}?(?:to|up)",
        "warm",
    ),
    (
        r"heat(?:s|ed|ing)?|cook(?:ing)?|scald(?:ing)?|rais(?:e|ing)|"
        r"take (?:\w+ ){0,3}?to get to|get to|go up to",
        "heat",
    ),
    (r"stew(?:s|ing)?", "hold"),
    (r"hold(?:ing)?|keep (?:it |them )?(?:at|there|warm|stirring)", "hold"),
    (r"stir(?:s|red|ring)?|agitat(?!or)\w+", "stir"),
    (r"cut(?:s|ting)?(?! into blocks)|chop|slice the curd", "cut"),
    (r"settle|pitch(?:ing)?|sink|allow (?:\w+ )?to settle|under whey", "settle"),
    (r"cheddar(?:ing)?|stack(?:ing)?|slabs?", "cheddar"),
    (
        r"(?:put|fill|scoop|pack|spoon|ladle|lift|tip|transfer|load|move|dip|turn|pour|heap|"
        r"pile|skim)\w* "
        r"(?:[\w'’]+ ){0,8}?(?:moulds?|molds?|forms?|hoops?|baskets?)\b|into (?:the |a |its |"
        r"their |\w+ )?"
        r"(?:moulds?|molds?|forms?|hoops?|baskets?)\b",
        "mould",
    ),
    (
        r"(?:pour|tip|strain|put)\w* (?:[\w']+ ){0,5}?(?:through|thru|into) (?:[\w']+ "
        r"){0,3}?(?:cloth|colander|sieve|"
        r"strainer|muslin)|strain(?:s|ed|ing)?",
        "drain",
    ),
    (r"drain(?:s|ing)?|ladle", "drain"),
    (r"hang(?:ing)?", "hang"),
    (r"breaks? (?:it |them |the curds? |again |down |up )*(?:to|into)", "cut"),
    (r"mill(?:ing)?|break (?:up )?(?:the )?curds?|dice|crumble", "mill"),
    (r"salt[- ]bath", "brine"),
    (r"rub\w* (?:\w+ ){0,3}?(?:with|in) (?:[\w.,½¼¾/]+ ){0,4}?salt|salt(?:s|ed|ing)?", "salt"),
    (
        r"(?<!blue )(?<!white )(?<!and )mou?ld(?:s|ing|ed)?|fills?|form|hoop",
        "mould",
    ),
    (r"weigh(?:ed|t)? (?:it |them )?down|weights? on", "press"),
    (r"(?:pre-?)?press(?:es|ed|ing)?", "press"),
    (r"turn(?:s|ed|ing)?|flip|redress", "turn"),
    (r"stretch(?:ing)?|knead|pull", "stretch"),
    (r"into (?:ice|iced|cold|cool)[- ](?:cold )?water", "cool"),
    (r"into the (?:cold|fridge|refrigerator|icebox|cool)(?! (?:brine|water))", "cool"),
    (r"cool(?! (?:clean |boiled |well )*water)|chill|refrigerate", "cool"),
    (r"brin(?:e|ing)|float (?:it|them|the)", "brine"),
    (r"(?:air[- ])?dry(?:ing)?(?! (?:salt|room))|weigh", "dry"),
)

# Headings, and what stands under them: what goes in, the make, how it ripens, nothing of these.
SECTIONS: tuple[tuple[str, str], ...] = (
    (r"ingredients?|(?:what )?(?:you(?:'ll| will)? )?need|what goes in|goes in|things", "in"),
    (
        r"method|directions?|instructions?|procedure|the make|make|making|steps?|how to make it|"
        r"how",
        "make",
    ),
    (r"ripening|age?ing|affinage|maturing|storage|storing|keeping|the cave|cave", "ripen"),
    (r"notes?|equipment|kit|tools", ""),
)
# Places where cheese ripens, and how warm they are where nothing is said, °C.
PLACES: tuple[tuple[str, float], ...] = (
    (r"fridge|refrigerator|ice ?box|icebox", 4.0),
    (r"caves?|cellar|cheese room|shelf|shelves|boards?", 12.0),
    (r"cool room|larder|pantry|cool place", 15.0),
    (r"warm (?:room|cupboard|place)", 20.0),
    (r"dry(?:ing)? room", 14.0),
    (r"in (?:its |the |weak |light )*brine|percent brine|% brine", 6.0),
)
# What hands do to a cheese that ripens.
CARES: tuple[tuple[str, CareKind], ...] = (
    (r"pierc\w+|needle|spike", "pierce"),
    (r"wash\w*|rub\w* (?:with|w/) (?:[\w.,%/]+ )*brine|smear", "wash"),
    (r"brush\w*", "brush"),
    (r"wip(?:e|ed|ing)", "wipe"),
    (r"wax(?:ed|ing)?", "wax"),
    (r"wrap\w*", "wrap"),
    (r"foil", "foil"),
    (r"bag(?:ged|ging)?|vacuum\w*", "bag"),
    (r"cloth|bandag\w+|lard\w*", "cloth"),
    (r"oil(?:ed|ing)?", "oil"),
    (r"turn(?:s|ed|ing)?|flip\w*", "turn"),
    (r"weigh\w*", "weigh"),
    (r"taste\w*", "taste"),
)
# A share of something, as a word or a fraction.
SHARES: Mapping[str, float] = {
    "1/3": 1 / 3,
    "2/3": 2 / 3,
    "1/2": 0.5,
    "1/4": 0.25,
    "3/4": 0.75,
    "half": 0.5,
    "a good third": 1 / 3,
    "a full third": 1 / 3,
    "a good half": 0.5,
    "a third": 1 / 3,
    "one third": 1 / 3,
    "two thirds": 2 / 3,
    "a quarter": 0.25,
    "one quarter": 0.25,
    "three quarters": 0.75,
}
# Words that no line ends with, or begins with, where a sentence was only wrapped.
GOES_ON_AFTER = r"a|an|the|of|and|or|to|at|in|on|with|for|until|till|from|over|about|than|by"
GOES_ON_WITH = r"of|and|or|to|at|in|on|with|for|until|till|from|over|that|which|is|are|than|by"
