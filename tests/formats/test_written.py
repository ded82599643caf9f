"""Recipes as people write them: every fact of thirty hands is read, and no number in silence."""

import re

import pytest

from openpail.formats.written.make import understand
from tests.support import HOUSE

SAME = {"ml": ("litres", 1e-3), "g": ("kg", 1e-3), "days": ("minutes", 1440)}
NUMBER = re.compile(r"\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?")

# name: the system of its writer, the text, and what stands in it: line, what, value
TEXTS = {
    "family card": (
        "us",
        """Gran's farm cheese
2 gal milk (goat, raw)
1/2 cup buttermilk
1/2 rennet tablet 1:10000 in 1/4 c. cool water
Warm milk to 88 degrees F. Stir in buttermilk, let sit 1 hour.
Add rennet mixture, stir a minute. Leave 45 minutes until it breaks clean.
Cut in 3/4 inch cubes. Rest 10 min.
Heat slowly to 100 F (30-40 min). Hold 20.
Drain, mix in 2 Tbsp salt, hang overnight.
Keeps 2 weeks in icebox.""",
        [
            (2, "litres", 7.57),
            (3, "ml", 118.3),
            (4, "count", 0.5),
            (4, "one_to", 10000),
            (5, "celsius", 31.1),
            (5, "minutes", 60),
            (6, "minutes", 1),
            (6, "minutes", 45),
            (7, "mm", 19.05),
            (7, "minutes", 10),
            (8, "celsius", 37.8),
            (8, "minutes", 30),
            (8, "minutes", 40),
            (8, "minutes", 20),
            (9, "ml", 29.6),
            (9, "minutes", 720),
            (10, "days", 14),
        ],
    ),
    "notebook shorthand": (
        "metric",
        """goat tomme, notes
30 L G, raw, pH 6.62
meso 1.2 g @ 31° / 50'
CaCl 6 ml
ren 9 ml 190 IMCU, flocs 13', x 3
cut 1 cm, 5' rest
stir 20', up to 37° in 30', stir 15'
mould, press 4 kg 30', 8 kg 1h, 16 kg 8h
brine 18% 12h
12° 85% 2-3 mo, turn 2x/wk""",
        [
            (2, "litres", 30),
            (2, "ph", 6.62),
            (3, "g", 1.2),
            (3, "celsius", 31),
            (3, "minutes", 50),
            (4, "ml", 6),
            (5, "ml", 9),
            (5, "imcu", 190),
            (5, "minutes", 13),
            (6, "mm", 10),
            (6, "minutes", 5),
            (7, "minutes", 20),
            (7, "celsius", 37),
            (7, "minutes", 30),
            (7, "minutes", 15),
            (8, "kg", 4),
            (8, "minutes", 30),
            (8, "kg", 16),
            (8, "minutes", 480),
            (9, "percent", 18),
            (9, "minutes", 720),
            (10, "celsius", 12),
            (10, "percent", 85),
            (10, "days", 60),
            (10, "days", 90),
            (10, "days", 3.5),
        ],
    ),
    "leaflet of prose": (
        "metric",
        """A soft cheese from twelve litres
Warm twelve litres of fresh goat milk to 22 °C and stir in half a gram of
mesophilic culture together with ten drops of liquid rennet (200 IMCU).
Cover and leave at room temperature for eighteen to twenty hours, until a finger
of whey stands on the curd and the pH is about 4,6.
Ladle into cloths and let it drain for a day, turning twice. Salt with 1.5 % of its weight.
It keeps for a week in the fridge at 4 °C.""",
        [
            (2, "litres", 12),
            (2, "celsius", 22),
            (2, "g", 0.5),
            (3, "ml", 0.5),
            (3, "imcu", 200),
            (4, "minutes", 1080),
            (4, "minutes", 1200),
            (5, "ph", 4.6),
            (6, "days", 1),
            (6, "percent", 1.5),
            (7, "days", 7),
            (7, "celsius", 4),
        ],
    ),
    "table with bars": (
        "metric",
        """Cow wheel, 40 litres
| step | temp | time | note |
| milk | | | 40 L cow, flash pasteurised |
| culture | 31 C | 45 min | 2 g mild |
| rennet | 31 C | 35 min | 12 mL 200 IMCU |
| cut | | 10 min | 8 mm |
| heat | 38 C | 40 min | |
| press | | 12 h | 25 kg |
| brine | 13 C | 24 h | 19 % |
| ripen | 12 C | 8 weeks | 85 % |""",
        [
            (3, "litres", 40),
            (4, "celsius", 31),
            (4, "minutes", 45),
            (4, "g", 2),
            (5, "ml", 12),
            (5, "imcu", 200),
            (6, "mm", 8),
            (7, "celsius", 38),
            (7, "minutes", 40),
            (8, "minutes", 720),
            (8, "kg", 25),
            (9, "celsius", 13),
            (9, "minutes", 1440),
            (9, "percent", 19),
            (10, "celsius", 12),
            (10, "days", 56),
            (10, "percent", 85),
        ],
    ),
    "ounces and quarts": (
        "us",
        """Pressed supper cheese
6 qts whole milk, store bought
4 oz buttermilk
1 tsp liquid calf rennet
2 oz coarse salt
Heat to 90º. Add buttermilk; wait 40 mins.
Rennet in, stir 30 seconds, let set 50 mins.
Cut to 3/8". Raise 1 degree every 2 minutes until 100F.
Press at 15 lbs for an hour, then 30 lbs overnight.""",
        [
            (2, "litres", 5.68),
            (3, "g", 113.4),
            (4, "ml", 4.93),
            (5, "g", 56.7),
            (6, "celsius", 32.2),
            (6, "minutes", 40),
            (7, "minutes", 0.5),
            (7, "minutes", 50),
            (8, "mm", 9.53),
            (8, "celsius", 37.8),
            (9, "kg", 6.8),
            (9, "minutes", 60),
            (9, "kg", 13.6),
            (9, "minutes", 720),
        ],
    ),
    "imperial farmhouse": (
        "imperial",
        """Dales style, Mother's book
4 gallons of evening and morning milk
1/2 pint starter
2 drachms rennet
Heat to 84 degrees, add starter, ripen 3/4 hour.
Rennet at 86 degrees; cover for an hour.
Cut as fine as wheat. Scald to 96 over 45 minutes.
Pitch half an hour; draw the whey.
Salt 1 oz to 3 lb of curd.
Press 56 lb for 24 hours, turn, 1 cwt two days.
On the shelf 6 to 8 weeks at 55 to 58F.""",
        [
            (2, "litres", 18.18),
            (3, "ml", 284),
            (5, "minutes", 45),
            (6, "minutes", 60),
            (7, "mm", 5),
            (7, "minutes", 45),
            (8, "minutes", 30),
            (9, "g", 28.3),
            (10, "kg", 25.4),
            (10, "minutes", 1440),
            (11, "days", 42),
            (11, "days", 56),
            (11, "celsius", 12.8),
            (11, "celsius", 14.4),
        ],
    ),
    "blue, bulleted": (
        "metric",
        """Little blue
Ingredients:
- 20 L cow's milk (batch pasteurised)
- 0.4 g mild culture + a pinch of blue mould
- 5 ml rennet, 200 IMCU/ml
- 120 g salt
Method:
- warm to 30°C, sprinkle in culture and mould, 1 hr
- rennet, 60-75 min to firm curd
- cut 2.5cm, rest 15', stir every 10 min for 1 1/2 h
- ladle into 4 hoops; turn at 15 min, 1 h, 4 h, then at bedtime
- rub with salt on day 2 and day 3
- pierce on day 7, 25 holes a side
- cave 10 C 95%, 8-10 wks; foil at week 10""",
        [
            (3, "litres", 20),
            (4, "g", 0.4),
            (5, "ml", 5),
            (5, "imcu", 200),
            (6, "g", 120),
            (8, "celsius", 30),
            (8, "minutes", 60),
            (9, "minutes", 60),
            (9, "minutes", 75),
            (10, "mm", 25),
            (10, "minutes", 15),
            (10, "minutes", 90),
            (11, "minutes", 15),
            (11, "minutes", 240),
            (12, "days", 2),
            (12, "days", 3),
            (13, "days", 7),
            (14, "celsius", 10),
            (14, "percent", 95),
            (14, "days", 56),
            (14, "days", 70),
        ],
    ),
    "colons": (
        "metric",
        """Hard mountain wheel
Milk: 60 L cow, raw
Starter: thermophilic 0.8 g
Rennet: 14 ml of 180 IMCU
Temp: 32
Ripening: 30 min
Coagulation: 30 min, cut to rice
Cooking: 32 to 52 in 45 min
Stirring out: 20 min
Pressing: 20 kg 30 min, 40 kg 2 h, 60 kg overnight
Brining: 24 h, 22 %, 12 degrees
Ageing: 6 months, 12 degrees, 88 %; wash twice a week the first month""",
        [
            (2, "litres", 60),
            (3, "g", 0.8),
            (4, "ml", 14),
            (4, "imcu", 180),
            (5, "celsius", 32),
            (6, "minutes", 30),
            (7, "minutes", 30),
            (7, "mm", 5),
            (8, "celsius", 52),
            (8, "minutes", 45),
            (9, "minutes", 20),
            (10, "kg", 20),
            (10, "minutes", 120),
            (10, "kg", 60),
            (10, "minutes", 720),
            (11, "minutes", 1440),
            (11, "percent", 22),
            (11, "celsius", 12),
            (12, "days", 180),
            (12, "celsius", 12),
            (12, "percent", 88),
            (12, "days", 3.5),
        ],
    ),
    "decimal commas": (
        "metric",
        """Schafkäse halbfest
25,5 L sheep milk, thermised
1,5 g mesophilic culture
7,5 ml calf rennet 1:18 000
heat to 31,5 °C, 45 min ripening
set 35-40 min; cut 1,5 cm
wash: take off 8 L whey, add 6 L water of 45 °C to 36,5 °C
stir 25 min, fill 3 moulds
press 1 h with 3 kg each, 4 h with 6 kg
brine 18 °Bé 8 h""",
        [
            (2, "litres", 25.5),
            (3, "g", 1.5),
            (4, "ml", 7.5),
            (4, "one_to", 18000),
            (5, "celsius", 31.5),
            (5, "minutes", 45),
            (6, "minutes", 35),
            (6, "minutes", 40),
            (6, "mm", 15),
            (7, "litres", 8),
            (7, "litres", 6),
            (7, "celsius", 45),
            (7, "celsius", 36.5),
            (8, "minutes", 25),
            (9, "kg", 3),
            (9, "minutes", 60),
            (9, "kg", 6),
            (9, "minutes", 240),
            (10, "minutes", 480),
        ],
    ),
    "ratios by the litre": (
        "metric",
        """Cultured curd
50 litres cow milk
2 g culture per 100 L
rennet 25 ml per 100 litres (200 IMCU)
calcium chloride 20 ml/100 L
Warm to 28 C. Add culture and calcium, 90 min.
Add rennet. 3 h.
Salt 2% of curd.""",
        [
            (2, "litres", 50),
            (3, "g", 1.0),
            (4, "ml", 12.5),
            (4, "imcu", 200),
            (5, "ml", 10),
            (6, "celsius", 28),
            (6, "minutes", 90),
            (7, "minutes", 180),
            (8, "percent", 2),
        ],
    ),
}


def silent(text, lines):
    """The numbers of a text that are neither in a part of their line nor among the unused."""
    told = {line.number: line for line in lines}
    for number, line in enumerate(text.splitlines(), 1):
        at = told.get(number)
        shown = (
            ""
            if at is None
            else " ".join(
                [at.text[mark.begins : mark.ends] for mark in at.marks]
                + [at.text[begins:ends] for begins, ends in at.unused]
                + ([at.text] if at.understood in ("its name", "a heading") else [])
            )
        )
        for token in NUMBER.findall(re.sub(r"^\s*\d+[.)]\s+", "", line)):
            if token not in shown:
                yield number, token


def norm(sort, value):
    unit, times = SAME.get(sort, (sort, 1.0))
    return unit, value * times


def missing(facts, lines):
    """The facts that no mark of their line says."""
    there = {line.number: [norm(m.sort, v) for m in line.marks for v in m.values] for line in lines}
    for number, sort, value in facts:
        unit, wanted = norm(sort, value)
        if not any(
            u == unit and v == pytest.approx(wanted, rel=0.02) for u, v in there.get(number, [])
        ):
            yield number, sort, value


@pytest.mark.parametrize("name", TEXTS)
def test_a_recipe_of_another_hand_is_read_to_the_last_fact(name):
    system, text, facts = TEXTS[name]
    written = understand(text, HOUSE, system)
    assert list(missing(facts, written.lines)) == []
    assert list(silent(text, written.lines)) == []
