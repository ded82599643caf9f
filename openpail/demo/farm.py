"""What happened at Wrenfold Steading in the last weeks, told in days before now."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.cave.rooms import Room
from openpail.craft.clock.gear import Gear
from openpail.craft.milk.fitness import Holding
from openpail.craft.milk.kinds import Breed, MilkKind, Treatment
from openpail.craft.press.moulds import Mould
from openpail.craft.press.presses import Lever, Press
from openpail.craft.press.weights import Thing
from openpail.craft.salt.cover import TubSize
from openpail.craft.stock.jar import Smell
from openpail.craft.stock.products import Form, Product

NAME = "Wrenfold Steading"
ZONE = "Europe/Dublin"
VATS = (("stove pot", 14.0, 26.0), ("water-bath kettle", 36.0, 36.0), ("jacketed vat", 110.0, 56.0))


HEATERS = {"stove pot": ("gas", 3.5), "jacketed vat": ("immersed", 9.0)}
# Light ash levers: the upper one carries the weight, its end pulls the lower one down.
_TWO_LEVERS = Press("lever", (Lever(48.0, 12.0, 0.25), Lever(60.0, 15.0, 0.5)), 1.2)
GEAR = (
    Gear("press", "two-lever press", press=_TWO_LEVERS),
    Gear("press", "screw press", press=Press("screw")),
    Gear("press", "brick-and-jug press", press=Press("stack", (), 0.8)),
    Gear("mould", "small mould", 4, 0.6, mould=Mould("pressing", 11.0, 8.0)),
    Gear("mould", "tall mould", 2, 1.9, mould=Mould("pressing", 16.0, 11.0)),
    Gear("mould", "wide mould", 2, 4.5, mould=Mould("pressing", 22.0, 13.0, follower_cm=21.0)),
    Gear("mould", "open hoop", 8, 0.3, follower=False, mould=Mould("hoop", 8.0, 11.0)),
    Gear("mould", "draining basket", 2, 2.2, follower=False, mould=Mould("basket", 18.0, 12.0)),
)
WEIGHTS = (
    Thing("brick", 2.6, 6, height_cm=6.5),
    Thing("river stone", 1.1, 2, height_cm=8.0),
    Thing("big jug", 0.25, 2, 5.0, 30.0),
    Thing("small jug", 0.12, 1, 2.0, 22.0),
)
# name, inside, the strength it is kept at, °C where it stands, whether for white cheese
TUBS = (
    ("grey tub", TubSize(56.0, 28.0, 38.0), 18.0, 12.0, False),
    ("white tub", TubSize(34.0, 24.0), 9.0, 6.0, True),
)
# a place with its channel on the logger, and how warm and damp it mostly is
ROOMS = (
    (Room("cave", 24, "cave", 4, 130.0, 34.0), "cave", 12.0, 86.0),
    (Room("cool room", 8, "cool", 1, 110.0, 32.0), "cool", 13.5, 78.0),
    (Room("fridge", 24, "fridge", 2, 55.0, 40.0), "fridge", 4.2, None),
    (Room("warm cupboard", 3, "warm", 2, 50.0, 40.0), "warm", 20.0, 78.0),
    (Room("freezer", 10, "freezer", 1, 50.0, 50.0), "", -19.0, None),
    (Room("shelf by the door", 6, "counter", 1, 70.0, 25.0), "", None, None),
)


@dataclass(frozen=True, slots=True)
class PastMake:
    """A finished make: days ago, recipe, milk and its slip, how the yield went (a share)."""

    days_ago: int
    recipe: str
    breed: Breed
    litres: float
    fat: float | None
    protein: float | None
    ph: float | None
    vat: str
    yielded: float
    flocks_share: float | None = 1.0  # None: nobody saw them
    treatment: Treatment = "raw"
    pieces: int = 1


PAST = (
    PastMake(58, "larder-block", "cow_lowland", 24.0, 4.0, 3.25, 6.66, "water-bath kettle", 0.98),
    PastMake(55, "thatch", "goat", 24.0, 3.8, 3.2, 6.62, "water-bath kettle", 0.98, None),
    PastMake(51, "larder-block", "goat", 18.5, 3.7, 3.1, 6.60, "water-bath kettle", 0.95, 1.1),
    PastMake(
        48, "threshing-cheddar", "cow_lowland", 30.0, 4.0, 3.3, 6.66, "water-bath kettle", 1.0, None
    ),
    PastMake(47, "bench-curd", "goat", 6.0, 3.7, 3.1, 6.58, "stove pot", 0.93),
    PastMake(
        44, "larder-block", "cow_high_solids", 30.0, 4.9, 3.7, 6.64, "water-bath kettle", 1.03
    ),
    PastMake(
        40, "tarrow-blue", "sheep", 26.0, 6.9, 5.4, 6.6, "water-bath kettle", 0.99, None, "batch", 2
    ),
    PastMake(
        37, "larder-block", "sheep", 40.0, 6.8, 5.4, 6.58, "jacketed vat", 1.01, 0.95, "raw", 2
    ),
    PastMake(
        33, "hatch", "cow_lowland", 30.0, 3.9, 3.3, 6.65, "water-bath kettle", 1.0, None, "batch"
    ),
    PastMake(30, "larder-block", "goat", 22.0, 3.9, 3.2, 6.57, "water-bath kettle", 0.97, 1.08),
    PastMake(
        27,
        "gatepost",
        "cow_lowland",
        20.0,
        4.0,
        3.3,
        6.65,
        "water-bath kettle",
        1.0,
        None,
        "batch",
        4,
    ),
    PastMake(
        23,
        "larder-block",
        "cow_lowland",
        28.0,
        4.1,
        3.3,
        6.67,
        "water-bath kettle",
        0.84,
        1.3,
        "batch",
    ),
    PastMake(
        16, "larder-block", "sheep", 44.0, 7.0, 5.5, 6.59, "jacketed vat", 1.02, 1.0, "raw", 2
    ),
    PastMake(
        11, "dapple", "cow_high_solids", 11.0, 5.0, 3.8, 6.65, "stove pot", 1.0, None, "batch", 8
    ),
    PastMake(9, "larder-block", "goat", 24.0, 4.0, 3.25, 6.59, "water-bath kettle", 0.99, 1.05),
    PastMake(3, "wrenfold-log", "goat", 8.0, 3.8, 3.2, 6.62, "stove pot", 1.0, None, "batch", 6),
    PastMake(2, "bench-curd", "cow_lowland", 8.0, None, None, None, "stove pot", 0.96),
    PastMake(2, "larder-block", "cow_high_solids", 30.0, 5.1, 3.8, 6.65, "water-bath kettle", 1.0),
)


# name, breed, head, months of the year in milk, fat and protein over the year, swing of each
HERDS = (
    ("House cows", "cow_lowland", 2, range(1, 13), 4.05, 3.35, 0.25),
    ("Cream cows", "cow_high_solids", 2, range(1, 13), 5.0, 3.8, 0.30),
    ("Goats", "goat", 16, range(1, 13), 3.85, 3.2, 0.35),
    ("Ewes", "sheep", 42, range(4, 10), 6.9, 5.45, 0.50),
    ("Buffalo", "buffalo", 5, range(1, 13), 7.6, 4.4, 0.40),
)
MONTHS = 14
JARS = (("big jar", 4.0), ("steel can", 10.0))
FILLS = ((5.0, 4.6), (15.0, 14.6), (30.0, 30.2), (34.5, 34.8))  # of the kettle, its floor is round


@dataclass(frozen=True, slots=True)
class Waiting:
    """Milk on the shelf now: hours old, litres, and what its slip says."""

    name: str
    breed: Breed
    litres: float
    celsius: float
    hours_old: float
    fat: float | None = None
    protein: float | None = None
    ph: float | None = None
    holding: Holding = "cold"
    kind: MilkKind = "milk"
    treatment: Treatment = "raw"
    price: str = ""


WAITING = (
    Waiting("Goats, older", "goat", 4.2, 5.0, 53.0),
    Waiting(
        "Shop cream",
        "cow_lowland",
        1.0,
        18.0,
        20.0,
        36.0,
        None,
        None,
        "cold",
        "cream",
        "flash",
        "4.80",
    ),
    Waiting("House cows, this morning", "cow_lowland", 19.0, 6.0, 3.2, 4.15, 3.35, 6.66),
    Waiting("Ewes, this morning", "sheep", 18.0, 6.0, 3.0, 6.8, 5.4),
    Waiting("Goats, this morning", "goat", 9.5, 7.0, 2.5, 3.9, 3.2, 6.6),
)
FROZEN = Waiting("Ewes, last summer", "sheep", 12.0, 8.0, 24.0 * 240)
PLANNED = ("tarrow-blue", "water-bath kettle", ("draining basket 1",), 2, 8.5)  # days on, hour
POURED = (("House cows, this morning", 17.6), ("Goats, this morning", 9.5))
AT_PRESS = (  # recipe, its milk, vat, the press it is given, hours ago
    (
        "threshing-cheddar",
        Waiting("Cows, yesterday", "cow_lowland", 34.0, 6.0, 10.0, 4.05, 3.35, 6.66),
        "jacketed vat",
        "two-lever press",
        13.0,
    ),
    (
        "hatch",
        Waiting("Cows, the day before", "cow_lowland", 33.0, 6.0, 9.0, 3.95, 3.3, 6.66),
        "jacketed vat",
        "screw press",
        20.5,
    ),
)
# By day, and while nobody is up: what is made, its milk and its vat, how its milk stands by now.
UNDER_WAY = (
    "larder-block",
    Waiting("Cows, last night", "cow_high_solids", 26.0, 6.0, 11.0, 4.9, 3.7, 6.64),
    "water-bath kettle",
    "--celsius 31 --ph 6.46 --target 31 --culture",
)
AT_NIGHT = (
    "wrenfold-log",
    Waiting("Goats, warmed", "goat", 8.0, 6.0, 14.0, 3.9, 3.2, 6.62, treatment="batch"),
    "stove pot",
    "--celsius 21.5 --ph 5.6 --target 21 --culture",
)


@dataclass(frozen=True, slots=True)
class OnTheShelf:
    """A lot of the stock: its label, amount and price as bought, where, and its dates as days
    before and after the farm's beginning here.
    """

    product: Product
    amount: float
    price: str
    place: str
    open_days: int | None
    best_days: int


_DRY: Form = "freeze-dried"
STOCK = (
    OnTheShelf(
        Product("rennet", "calf rennet, last year’s", 200, sort="calf", form="liquid"),
        250,
        "18.00",
        "fridge door",
        700,
        -120,
    ),
    OnTheShelf(
        Product("rennet", "set tablets, plant", 1400, sort="plant", form="tablet", kept="room"),
        20,
        "9.50",
        "tea tin",
        20,
        500,
    ),
    OnTheShelf(
        Product("rennet", "calf rennet, the brown bottle", 200, sort="calf", form="liquid"),
        250,
        "18.00",
        "fridge door",
        70,
        300,
    ),
    OnTheShelf(
        Product("acid", "lemon juice, bottled", None, sort="lemon_bottled", form="liquid"),
        500,
        "2.10",
        "fridge door",
        12,
        200,
    ),
    OnTheShelf(
        Product(
            "acid",
            "citric acid crystals",
            None,
            per="dry",
            sort="citric_anhydrous",
            form="powder",
            kept="room",
        ),
        400,
        "4.40",
        "tea tin",
        40,
        700,
    ),
    OnTheShelf(
        Product("acid", "white vinegar, 5 %", 5, sort="acetic", form="liquid", kept="room"),
        2000,
        "3.20",
        "cupboard",
        70,
        300,
    ),
    OnTheShelf(
        Product(
            "calcium",
            "calcium chloride flakes, 78 %",
            78,
            "dihydrate",
            "dry",
            form="powder",
            kept="room",
        ),
        500,
        "6.00",
        "cupboard, tight tin",
        200,
        900,
    ),
    OnTheShelf(
        Product("calcium", "calcium chloride solution, 33 %", 33, "anhydrous", form="liquid"),
        100,
        "5.20",
        "fridge door",
        70,
        300,
    ),
    OnTheShelf(
        Product("culture", "counter jar", sort="mild", form="jar", kept="fridge"),
        400,
        "0.00",
        "fridge, top shelf",
        70,
        900,
    ),
    OnTheShelf(
        Product(
            "culture", "mother cubes, mild", sort="mild", form="cubes", size_ml=30, kept="freezer"
        ),
        24,
        "0.00",
        "freezer, blue box",
        None,
        120,
    ),
    OnTheShelf(
        Product("culture", "heat-loving culture", sort="hot", form=_DRY, kept="freezer"),
        10,
        "14.00",
        "freezer, blue box",
        30,
        320,
    ),
    OnTheShelf(
        Product(
            "culture",
            "salt-bearing mild culture, freeze-dried",
            sort="mild",
            form=_DRY,
            kept="freezer",
            stands_salt=True,
        ),
        4,
        "15.00",
        "freezer, blue box",
        None,
        280,
    ),
    OnTheShelf(
        Product(
            "culture",
            "mild warm-loving culture, freeze-dried",
            sort="mild",
            form=_DRY,
            kept="freezer",
        ),
        16,
        "13.00",
        "freezer, blue box",
        70,
        300,
    ),
    OnTheShelf(
        Product("propionic", "eye-making culture", form=_DRY, serves_l=80, kept="freezer"),
        5,
        "11.00",
        "freezer, blue box",
        60,
        -90,
    ),
    OnTheShelf(
        Product("mould", "white mould", sort="white", form=_DRY, serves_l=120, kept="freezer"),
        4,
        "12.50",
        "freezer, blue box",
        45,
        75,
    ),
    OnTheShelf(
        Product("mould", "blue mould", sort="blue", form=_DRY, serves_l=150, kept="freezer"),
        4,
        "12.50",
        "freezer, blue box",
        None,
        400,
    ),
    OnTheShelf(
        Product("lipase", "kid lipase", sort="kid", form="powder", serves_l=40, kept="freezer"),
        20,
        "15.00",
        "freezer, blue box",
        60,
        200,
    ),
    OnTheShelf(
        Product("colour", "annatto in water", form="liquid", serves_l=8),
        100,
        "7.00",
        "fridge door",
        60,
        240,
    ),
    OnTheShelf(
        Product("salt", "coarse crystal salt", sort="coarse", kept="room"),
        5000,
        "6.50",
        "bin",
        90,
        2000,
    ),
    OnTheShelf(
        Product("salt", "fine salt, no iodine", sort="fine", kept="room"),
        3000,
        "2.40",
        "bin",
        90,
        2000,
    ),
    OnTheShelf(
        Product("herb", "dried meadow herbs", form="powder", kept="room"),
        60,
        "4.00",
        "cupboard",
        50,
        380,
    ),
    OnTheShelf(
        Product("ware", "draining cloth, 60 cm", form="packet", kept="room"),
        12,
        "18.00",
        "drawer",
        None,
        3000,
    ),
    OnTheShelf(
        Product("ware", "cheese wax, a block", form="packet", kept="room"),
        3,
        "9.00",
        "cupboard",
        None,
        3000,
    ),
)
# of the jar: days ago, hours until it set, smell, pH
FEEDINGS: tuple[tuple[int, float, Smell, float | None], ...] = (
    (24, 14.0, "clean", 4.5),
    (17, 15.0, "clean", 4.45),
    (10, 13.0, "clean", None),
    (6, 16.0, "clean", 4.5),
)
