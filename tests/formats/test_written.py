"""Recipes as people write them: every fact of many hands is read, and no number in silence."""

import re
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

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
    "numbered leaflet": (
        "us",
        """SOFT GOAT LOGS
1) 1 gallon goats milk, pasteurized
2) 1/8 tsp mesophilic starter, 1 drop of rennet in 1/4 cup of water
3) Bring the milk up to 72 degrees, sprinkle the starter on top and wait 2 minutes.
4) Stir, add 1 Tbsp of the diluted rennet.
5) Cover, let stand 12 to 18 hrs at 72F.
6) Hang in a cloth 6-8 hours.
7) Mix in 1 tsp of salt, shape into 3 logs. Eat within 10 days.""",
        [
            (2, "litres", 3.785),
            (3, "ml", 0.616),
            (3, "ml", 0.05),
            (3, "ml", 59.1),
            (4, "celsius", 22.2),
            (4, "minutes", 2),
            (5, "ml", 14.8),
            (6, "minutes", 720),
            (6, "minutes", 1080),
            (6, "celsius", 22.2),
            (7, "minutes", 360),
            (7, "minutes", 480),
            (8, "ml", 4.93),
            (8, "days", 10),
        ],
    ),
    "arrows": (
        "metric",
        """Washed rind square
40 L cow -> 32°C -> 0.6 g meso + 0.1 g smear -> 30 min
CaCl2 8 mL -> rennet 10 mL (200 IMCU) -> 45 min
cut 2 cm -> 10 min -> stir 20 min -> whey off 1/3
mould -> turn 30 min, 2 h, 5 h
pH 5.2 -> brine 18 % 6 h 14°C
cave 13°C 95 %: wash with 3 % brine every 2 days, 5 weeks""",
        [
            (2, "litres", 40),
            (2, "celsius", 32),
            (2, "g", 0.6),
            (2, "g", 0.1),
            (2, "minutes", 30),
            (3, "ml", 8),
            (3, "ml", 10),
            (3, "imcu", 200),
            (3, "minutes", 45),
            (4, "mm", 20),
            (4, "minutes", 10),
            (4, "minutes", 20),
            (5, "minutes", 120),
            (5, "minutes", 300),
            (6, "ph", 5.2),
            (6, "percent", 18),
            (6, "minutes", 360),
            (6, "celsius", 14),
            (7, "celsius", 13),
            (7, "percent", 95),
            (7, "percent", 3),
            (7, "days", 2),
            (7, "days", 35),
        ],
    ),
    "letter to a friend": (
        "metric",
        """Dear both, here is how I make the little cheese
You want ten litres of ewes' milk, as fresh as you can get.
Bring it up to thirty-two degrees, and add a good pinch of culture. Go away for three quarters of
an hour. Then two ml of rennet (mine is 1:15000), in half a cup of cold water.
After forty minutes it should break clean. Cut it hazelnut size, wait five minutes, then stir for
a quarter of an hour.
Fill the moulds. Turn them after half an hour, and again after two hours. Next morning rub them
with a spoon of salt each, about 12 g. They want three weeks in the cellar at 12 to 14 degrees.""",
        [
            (2, "litres", 10),
            (3, "celsius", 32),
            (4, "ml", 2),
            (4, "one_to", 15000),
            (5, "minutes", 40),
            (5, "mm", 12),
            (5, "minutes", 5),
            (6, "minutes", 15),
            (7, "minutes", 30),
            (7, "minutes", 120),
            (8, "g", 12),
            (8, "days", 21),
            (8, "celsius", 12),
            (8, "celsius", 14),
        ],
    ),
    "whey cheese card": (
        "us",
        """Whey cheese
2 1/2 gal sweet whey, fresh
1 qt whole milk
1/4 c cider vinegar
Heat whey to 170F. Add milk. Heat to 192F.
Stir in vinegar slow. Stop stirring. Let stand 10-15 min.
Ladle in basket, drain 1 hr. 1/2 tsp salt. Fridge, 4 days.""",
        [
            (2, "litres", 9.46),
            (3, "litres", 0.946),
            (4, "ml", 59.1),
            (5, "celsius", 76.7),
            (5, "celsius", 88.9),
            (6, "minutes", 10),
            (6, "minutes", 15),
            (7, "minutes", 60),
            (7, "ml", 2.46),
            (7, "days", 4),
        ],
    ),
    "stretched": (
        "us",
        """Stretchy cheese, quick
1 gal whole milk
1 1/2 tsp citric acid in 1 c. cool water
1/4 tsp liquid rennet in 1/4 cup water
Pour acid in while stirring. Heat to 90 F.
Take off heat, rennet in, 30 seconds. Lid, 5 min.
Cut in 1" checkerboard. Back on heat to 105 F, stir slow 3 min.
Ladle out, microwave 1 min, fold, 30 sec more till 135 F. Salt 1 tsp. Stretch.""",
        [
            (2, "litres", 3.785),
            (3, "ml", 7.39),
            (3, "ml", 236.6),
            (4, "ml", 1.23),
            (4, "ml", 59.1),
            (5, "celsius", 32.2),
            (6, "minutes", 0.5),
            (6, "minutes", 5),
            (7, "mm", 25.4),
            (7, "celsius", 40.6),
            (7, "minutes", 3),
            (8, "minutes", 1),
            (8, "minutes", 0.5),
            (8, "celsius", 57.2),
            (8, "ml", 4.93),
        ],
    ),
    "buffalo, ramps": (
        "metric",
        """Buffalo hard, 100 l
milk 100 l buffalo, std to 4.5 % fat
culture 1.5 DCU/100 l
calcium 12 g/100 l
rennet 18 ml, 280 IMCU
34 C, pH 6.50 then rennet
first heating from 34 to 40 over 30 min, hold 10 min
second heating from 40 to 48 in 25', until pH 6.30
press 2 bar? 4x weight 12 h
salt 3.2 % dry, over 4 days
12 C, 82-86 % r.h., 9-12 months""",
        [
            (2, "litres", 100),
            (2, "percent", 4.5),
            (4, "g", 12),
            (5, "ml", 18),
            (5, "imcu", 280),
            (6, "celsius", 34),
            (6, "ph", 6.5),
            (7, "celsius", 40),
            (7, "minutes", 30),
            (7, "minutes", 10),
            (8, "celsius", 48),
            (8, "minutes", 25),
            (8, "ph", 6.3),
            (9, "minutes", 720),
            (10, "percent", 3.2),
            (10, "days", 4),
            (11, "celsius", 12),
            (11, "percent", 82),
            (11, "percent", 86),
            (11, "days", 270),
            (11, "days", 360),
        ],
    ),
    "capitals and no stops": (
        "us",
        """FARMERS CHEESE
3 QTS MILK 1 PT BUTTERMILK
LET STAND OVERNIGHT IN WARM KITCHEN TILL CLABBERED
CUT IN CUBES 1 INCH HEAT TO 115F ABOUT 45 MIN
DRAIN 4 HRS ADD 1 1/4 TSP SALT
KEEPS A WEEK""",
        [
            (2, "litres", 2.84),
            (2, "ml", 473),
            (3, "minutes", 720),
            (4, "mm", 25.4),
            (4, "celsius", 46.1),
            (4, "minutes", 45),
            (5, "minutes", 240),
            (5, "ml", 6.16),
            (6, "days", 7),
        ],
    ),
    "schedule by the clock": (
        "metric",
        """Tomme, Tuesday
7:30 30 L cow raw in the vat, 33 C
7:45 culture 0.9 g, 45 min
8:30 rennet 8 ml (200)
9:10 cut 8 mm
9:30 heat 38 C in 30 min
10:15 press 5 kg, 10:45 10 kg, 12:00 15 kg until evening
brine 10 h at 14 C""",
        [
            (2, "litres", 30),
            (2, "celsius", 33),
            (3, "g", 0.9),
            (3, "minutes", 45),
            (4, "ml", 8),
            (5, "mm", 8),
            (6, "celsius", 38),
            (6, "minutes", 30),
            (7, "kg", 5),
            (7, "kg", 10),
            (7, "kg", 15),
            (8, "minutes", 600),
            (8, "celsius", 14),
        ],
    ),
    "bloomy with cares": (
        "metric",
        """Bloomy rounds
12 L goat milk (pasteurised) at 30C
culture 0.3 g, white mould 0.05 g
calcium chloride 1.2 mL 33 %
rennet 3 mL at 200 IMCU after 1 h 30
90 minutes to a clean break, cut 2.5 cm, rest 10 min
ladle in 10 hoops; turn at 1 h, 3 h, 8 h
dry salt 1.5 %, 24 h at 18 C
dry room 14 C 2 d, then cave 11 C, 92 %, turn daily 10 d
wrap, fridge 4 C 3 weeks""",
        [
            (2, "litres", 12),
            (2, "celsius", 30),
            (3, "g", 0.3),
            (3, "g", 0.05),
            (4, "ml", 1.2),
            (4, "percent", 33),
            (5, "ml", 3),
            (5, "imcu", 200),
            (5, "minutes", 90),
            (6, "minutes", 90),
            (6, "mm", 25),
            (6, "minutes", 10),
            (7, "minutes", 60),
            (7, "minutes", 480),
            (8, "percent", 1.5),
            (8, "minutes", 1440),
            (8, "celsius", 18),
            (9, "celsius", 14),
            (9, "days", 2),
            (9, "celsius", 11),
            (9, "percent", 92),
            (9, "days", 10),
            (10, "celsius", 4),
            (10, "days", 21),
        ],
    ),
    "both systems side by side": (
        "us",
        """Hillside wheel
2 gallons (7.5 L) cow's milk
1/4 tsp (1.2 ml) culture
3/4 tsp (3.7 ml) rennet
Warm to 86 F (30 C) over 20 minutes, rest 45 min
Set 45 min; cut 1/2 inch (13 mm)
Stir, heating to 100 F (38 C) over 30 min
Press 20 lb (9 kg) 12 hr
Age at 52-56 F (11-13 C), 80-85% humidity, 60+ days""",
        [
            (2, "litres", 7.57),
            (3, "ml", 1.23),
            (4, "ml", 3.7),
            (5, "celsius", 30),
            (5, "minutes", 20),
            (5, "minutes", 45),
            (6, "minutes", 45),
            (6, "mm", 12.7),
            (7, "celsius", 37.8),
            (7, "minutes", 30),
            (8, "kg", 9.07),
            (8, "minutes", 720),
            (9, "celsius", 11.1),
            (9, "celsius", 13.3),
            (9, "percent", 80),
            (9, "percent", 85),
            (9, "days", 60),
        ],
    ),
    "columns of a spreadsheet": (
        "metric",
        """Make sheet, tomme 60 L
Milk;60 L;cow raw;4.1 % fat
Culture;1.5 g;mesophilic;
Rennet;14 mL;200 IMCU;
Step;Minutes;Temp
Warm;25;32 C
Ripen;45;32 C
Set;35;32 C
Cut;10;8 mm
Scald;35;38 C
Press;60;10 kg
Press;600;25 kg""",
        [
            (2, "litres", 60),
            (2, "percent", 4.1),
            (3, "g", 1.5),
            (4, "ml", 14),
            (4, "imcu", 200),
            (6, "celsius", 32),
            (9, "mm", 8),
            (10, "celsius", 38),
            (11, "kg", 10),
            (12, "kg", 25),
        ],
    ),
    "questions to herself": (
        "us",
        """Goat brick??
1 1/2 gal goat, unpasteurized
scant 1/8 tsp meso, 1/16 tsp smear mold
1/2 tsp rennet (double strength? no single)
87F culture, 1 hr - maybe less in summer
set 40 min, knife test
cut 3/4", stir 25 min at 92F
whey off half, 1 qt 95F water in, stir 10
brick molds, flip 10 min, 30 min, 1 hr, 3 hr
brine 20% 6 hrs per lb
60F 90% 2 wks, rub w/ 5% brine every other day
then 50F 6-8 wks""",
        [
            (2, "litres", 5.68),
            (3, "ml", 0.62),
            (3, "ml", 0.31),
            (4, "ml", 2.46),
            (5, "celsius", 30.6),
            (5, "minutes", 60),
            (6, "minutes", 40),
            (7, "mm", 19.05),
            (7, "minutes", 25),
            (7, "celsius", 33.3),
            (8, "litres", 0.946),
            (8, "celsius", 35),
            (9, "minutes", 10),
            (9, "minutes", 180),
            (10, "percent", 20),
            (10, "minutes", 360),
            (11, "celsius", 15.6),
            (11, "percent", 90),
            (11, "days", 14),
            (11, "percent", 5),
            (12, "celsius", 10),
            (12, "days", 42),
            (12, "days", 56),
        ],
    ),
    "grilling slab": (
        "metric",
        """Slab for the pan
Take 15 litres of milk, two thirds goat and one third sheep.
Warm to 34 °C. Rennet 4 ml. Wait 35 to 40 minutes.
Cut into 1 cm cubes, rest 5 min., stir 15 min. raising to 40 °C.
Press lightly for an hour with 6 kg.
Cook in the whey at 90-95 °C until it floats, 45 min.
Fold with mint; brine of 10 %, 3 days.""",
        [
            (2, "litres", 15),
            (3, "celsius", 34),
            (3, "ml", 4),
            (3, "minutes", 35),
            (3, "minutes", 40),
            (4, "mm", 10),
            (4, "minutes", 5),
            (4, "minutes", 15),
            (4, "celsius", 40),
            (5, "minutes", 60),
            (5, "kg", 6),
            (6, "celsius", 90),
            (6, "celsius", 95),
            (6, "minutes", 45),
            (7, "percent", 10),
            (7, "days", 3),
        ],
    ),
    "yoghurt cheese on a jar": (
        "imperial",
        """Bag cheese
4 pints whole milk
3 tablespoons live yoghurt
Heat to 180F, cool to 110F. Whisk in yoghurt.
Wrap, leave 8 hours. Hang in muslin 24 hours in fridge.
1 tsp salt. Eat within a week.""",
        [
            (2, "litres", 2.27),
            (3, "ml", 45),
            (4, "celsius", 82.2),
            (4, "celsius", 43.3),
            (5, "minutes", 480),
            (5, "days", 1),
            (6, "ml", 5),
            (6, "days", 7),
        ],
    ),
    "alpine, two columns of time": (
        "metric",
        """Mountain wheel 100 L
0:00 100 L raw cow's milk 32 C, culture 1 g thermo + 10 g/100 L whey starter
0:30 rennet 22 ml 1:10.000
1:05 cut to wheat, 15 min
1:20 heat 32 -> 52 C in 40 min
2:00 stir out 30 min at 52 C
2:30 mould, press 20 kg 20 min, 40 kg 1 h, 60 kg 18 h
brine 24 h per 5 kg wheel at 12 C, 20 %
cave 12-13 C, 92-95 %, smear every second day 3 months""",
        [
            (2, "litres", 100),
            (2, "celsius", 32),
            (2, "g", 1),
            (2, "g", 10),
            (3, "ml", 22),
            (3, "one_to", 10000),
            (4, "mm", 5),
            (4, "minutes", 15),
            (5, "celsius", 52),
            (5, "minutes", 40),
            (6, "minutes", 30),
            (7, "kg", 20),
            (7, "minutes", 60),
            (7, "kg", 60),
            (7, "minutes", 1080),
            (8, "celsius", 12),
            (8, "percent", 20),
            (9, "celsius", 12),
            (9, "celsius", 13),
            (9, "percent", 92),
            (9, "days", 90),
        ],
    ),
    "text message": (
        "metric",
        """brined white quick
10L ewe past. 33C, 0.3g meso 30min
4ml rennet 50min
cut 2cm 15min, ladle, drain 6h turn twice
salt 2.5% 1 day, brine 8% 4wk 8C""",
        [
            (2, "litres", 10),
            (2, "celsius", 33),
            (2, "g", 0.3),
            (2, "minutes", 30),
            (3, "ml", 4),
            (3, "minutes", 50),
            (4, "mm", 20),
            (4, "minutes", 15),
            (4, "minutes", 360),
            (5, "percent", 2.5),
            (5, "days", 1),
            (5, "percent", 8),
            (5, "days", 28),
            (5, "celsius", 8),
        ],
    ),
    "old household book": (
        "imperial",
        """To make a cream cheese
Take 2 quarts of new milk and 1/2 pint of cream.
Warm it to 75 degrees, add 3 tablespoons of buttermilk and stand it 24 hours in a warm room.
Hang in a cloth for 12 hours, changing the cloth once.
Work in 1/2 oz of salt to the pound. It keeps 4 days in a cool larder.""",
        [
            (2, "litres", 2.27),
            (2, "ml", 284),
            (3, "celsius", 23.9),
            (3, "ml", 45),
            (3, "days", 1),
            (4, "minutes", 720),
            (5, "g", 14.2),
            (5, "days", 4),
        ],
    ),
    "course handout": (
        "metric",
        """Semi-hard, 10 L vat
1. Pasteurise 10 L cow milk (63 °C, 30 min), cool to 31 °C.
2. Add 0.15 g culture and 1 mL CaCl2 (33 %); pre-ripen 45 min, target pH 6.50.
3. Rennet: 2 mL (200 IMCU/mL) in 20 mL water; flocculation ~12 min, multiplier 3x floc.
4. Cut to 8-10 mm over 5 min, stand 5 min.
5. Remove 3 L whey, add 2.5 L water at 50 °C within 10 min: 36 °C.
6. Stir 30 min. Drain under own weight, pre-press 20 min with 2 kg.
7. Press 1 h at 5 kg, then 3 h at 10 kg; target pH 5.40.
8. Brine 20 %, 12 °C: 4 h per 0.5 kg.
9. Ripen 13 °C / 85 % RH for 6-8 weeks; turn daily for 2 weeks.""",
        [
            (2, "litres", 10),
            (2, "celsius", 63),
            (2, "minutes", 30),
            (2, "celsius", 31),
            (3, "g", 0.15),
            (3, "ml", 1),
            (3, "percent", 33),
            (3, "minutes", 45),
            (3, "ph", 6.5),
            (4, "ml", 2),
            (4, "imcu", 200),
            (4, "ml", 20),
            (4, "minutes", 12),
            (5, "mm", 8),
            (5, "mm", 10),
            (5, "minutes", 5),
            (6, "litres", 3),
            (6, "litres", 2.5),
            (6, "celsius", 50),
            (6, "minutes", 10),
            (6, "celsius", 36),
            (7, "minutes", 30),
            (7, "minutes", 20),
            (7, "kg", 2),
            (8, "minutes", 60),
            (8, "kg", 5),
            (8, "minutes", 180),
            (8, "kg", 10),
            (8, "ph", 5.4),
            (9, "percent", 20),
            (9, "celsius", 12),
            (10, "celsius", 13),
            (10, "percent", 85),
            (10, "days", 42),
            (10, "days", 56),
        ],
    ),
    "shop window ticket": (
        "us",
        """ASHED GOAT PYRAMIDS
5 gal goat past
1/4 tsp meso + 1/16 tsp white mold
5 drops rennet/gal
72F 18 hr pH 4.6
pyramids, flip 6 hr, drain 36 hr @ 70F
2% salt, ash
50F 90% 12 d, wrap, 38F to 6 wk""",
        [
            (2, "litres", 18.93),
            (3, "ml", 1.23),
            (3, "ml", 0.31),
            (4, "ml", 1.25),
            (5, "celsius", 22.2),
            (5, "minutes", 1080),
            (5, "ph", 4.6),
            (6, "minutes", 360),
            (6, "days", 1.5),
            (6, "celsius", 21.1),
            (7, "percent", 2),
            (8, "celsius", 10),
            (8, "percent", 90),
            (8, "days", 12),
            (8, "celsius", 3.33),
            (8, "days", 42),
        ],
    ),
    "two goes of heat": (
        "metric",
        """Hard ewe, shepherd's way
Forty litres of ewes' milk, evening and morning.
Paste of lamb rennet, 1:12 000, 12 g in a cup of lukewarm whey, at thirty-five degrees.
It is firm in half an hour. Break it to lentils.
Slowly to forty-two, a quarter of an hour, then to forty-five and rest ten minutes.
Press with the hands, two forms of five kilos; under 10 kg for two hours, under 20 kg overnight.
Salt 24 hours a kilo in brine of 22 %.
A year in the cave at 14°, oiled after 3 months.""",
        [
            (2, "litres", 40),
            (3, "one_to", 12000),
            (3, "g", 12),
            (3, "celsius", 35),
            (4, "minutes", 30),
            (4, "mm", 4),
            (5, "minutes", 15),
            (5, "minutes", 10),
            (6, "kg", 10),
            (6, "minutes", 120),
            (6, "kg", 20),
            (6, "minutes", 720),
            (7, "minutes", 1440),
            (7, "percent", 22),
            (8, "days", 365),
            (8, "celsius", 14),
            (8, "days", 90),
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


def values(line):
    """All that was read of a line, and what was not used of it."""
    marks = [(mark.sort, *mark.values) for mark in line.marks]
    return marks, [line.text[begins:ends] for begins, ends in line.unused]


@pytest.mark.parametrize("name", TEXTS)
def test_another_number_is_another_reading_or_is_said_not_to_be_used(name):
    system, text, _ = TEXTS[name]
    chance, lines = Random(name), text.splitlines()
    for number, line in enumerate(lines[1:], 2):
        tokens = [*re.finditer(r"(?<![\d.,:/-])\d{2,3}(?![\d.,:/]|\s\d{3})", line)]
        if not tokens:
            continue
        token = chance.choice(tokens)
        other = str(int(token[0]) + chance.choice([1, 2, 3]))
        changed = line[: token.start()] + other + line[token.end() :]
        texts = [text, "\n".join([*lines[: number - 1], changed, *lines[number:]])]
        before, after = (
            next(at for at in understand(each, HOUSE, system).lines if at.number == number)
            for each in texts
        )
        assert values(before) != values(after), changed
        assert list(silent(texts[1], understand(texts[1], HOUSE, system).lines)) == []


UNITS = {"C": "celsius", "F": "celsius", "min": "minutes", "h": "minutes", "mL": "ml", "kg": "kg"}


@given(st.integers(1, 99), st.sampled_from(sorted(UNITS)), st.sampled_from([" ", "", "  "]))
def test_a_quantity_is_read_in_its_unit_however_it_is_spaced(value, unit, space):
    (line,) = understand(f"Hill\nstir at {value}{space}{unit}", HOUSE, "metric").lines[-1:]
    (mark,) = line.marks
    wanted = {"F": (value - 32) * 5 / 9, "h": 60 * value, "mL": value}.get(unit, value)
    if unit == "h" and value >= 24:
        wanted, found = value / 24, "days"
    else:
        found = UNITS[unit]
    assert (mark.sort, mark.values[0]) == (found, pytest.approx(wanted))


@pytest.mark.parametrize(
    ("line", "kind", "minutes", "celsius"),
    [
        ("Take it off the heat", "hold", 10, None),
        ("32 °C, add starter", "add", 5, None),
        ("stir 15'", "stir", 15, None),
        ("Raise from 31 to 38 over 40 min", "heat", 40, 38),
        ("set an hour and a half", "wait", 90, None),
        ("Let the curd rest for a quarter of an hour", "wait", 15, None),
        ("Pour off the whey to the level of the curd", "take whey off", 8, None),
        ("Wash with 3 L water at 35 C, 10 min", "add water", 10, 35),
        ("Lid on, leave overnight", "wait", 720, None),
    ],
)
def test_what_is_done_is_told_by_its_verb_and_never_by_its_neighbour(line, kind, minutes, celsius):
    recipe = understand(f"Hill\n10 L milk\n1 g culture\n{line}", HOUSE, "metric").recipe
    step = recipe.steps[-1]
    assert (step.kind, step.minutes) == (kind, minutes)
    assert (step.celsius and step.celsius.target) == celsius


def test_a_whole_make_of_a_card_has_its_steps_loads_cares_and_places_in_order():
    written = understand(TEXTS["notebook shorthand"][1], HOUSE, "metric")
    recipe = written.recipe
    kinds = " ".join(step.kind for step in recipe.steps)
    assert kinds == ("warm add wait add add test cut stir heat stir mould press press press brine")
    assert [step.load_kg for step in recipe.steps if step.kind == "press"] == [4, 8, 16]
    assert recipe.reference[0].breed == "goat" and recipe.reference[0].volume_l == 30
    (stage,) = recipe.stages
    assert (stage.celsius.target, stage.humidity_pct.target, stage.days) == (12, 85, 90)
    assert (stage.cares[0].kind, stage.cares[0].every_days) == ("turn", 4)
    assert recipe.cut_multiplier == 3


def test_a_usual_value_never_stands_where_a_number_was_written():
    bare = understand("Hill\n10 L milk\n5 mL rennet\ncut", HOUSE, "metric")
    told = understand("Hill\n10 L milk\n5 mL rennet 280 IMCU\ncut 12 min", HOUSE, "metric")
    assert any("200 IMCU" in each for each in bare.granted)
    assert "as nothing else is said" in bare.lines[-1].understood
    assert not any("200 IMCU" in each for each in told.granted)
    assert told.recipe.ingredients[0].product.strength == 280
    assert told.recipe.steps[-1].minutes == 12
