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
_TWO_LEVERS = Press(
    sort="lever",
    levers=(
        Lever(weight_cm=48.0, follower_cm=12.0, own_kg=0.25),
        Lever(weight_cm=60.0, follower_cm=15.0, own_kg=0.5),
    ),
    follower_kg=1.2,
)
GEAR = (
    Gear(kind="press", name="two-lever press", press=_TWO_LEVERS),
    Gear(kind="press", name="screw press", press=Press(sort="screw")),
    Gear(
        kind="press",
        name="brick-and-jug press",
        press=Press(sort="stack", levers=(), follower_kg=0.8),
    ),
    Gear(
        kind="mould",
        name="small mould",
        count=4,
        holds_kg=0.6,
        mould=Mould(sort="pressing", across_cm=11.0, height_cm=8.0),
    ),
    Gear(
        kind="mould",
        name="tall mould",
        count=2,
        holds_kg=1.9,
        mould=Mould(sort="pressing", across_cm=16.0, height_cm=11.0),
    ),
    Gear(
        kind="mould",
        name="wide mould",
        count=2,
        holds_kg=4.5,
        mould=Mould(sort="pressing", across_cm=22.0, height_cm=13.0, follower_cm=21.0),
    ),
    Gear(
        kind="mould",
        name="open hoop",
        count=8,
        holds_kg=0.3,
        follower=False,
        mould=Mould(sort="hoop", across_cm=8.0, height_cm=11.0),
    ),
    Gear(
        kind="mould",
        name="draining basket",
        count=2,
        holds_kg=2.2,
        follower=False,
        mould=Mould(sort="basket", across_cm=18.0, height_cm=12.0),
    ),
)
WEIGHTS = (
    Thing(name="brick", kg=2.6, count=6, height_cm=6.5),
    Thing(name="river stone", kg=1.1, count=2, height_cm=8.0),
    Thing(name="big jug", kg=0.25, count=2, holds_l=5.0, height_cm=30.0),
    Thing(name="small jug", kg=0.12, count=1, holds_l=2.0, height_cm=22.0),
)
# name, inside, the strength it is kept at, °C where it stands, whether for white cheese
TUBS = (
    ("grey tub", TubSize(56.0, 28.0, 38.0), 18.0, 12.0, False),
    ("white tub", TubSize(34.0, 24.0), 9.0, 6.0, True),
)
# a place with its channel on the logger, and how warm and damp it mostly is
ROOMS = (
    (
        Room(name="cave", holds=24, sort="cave", shelves=4, width_cm=130.0, depth_cm=34.0),
        "cave",
        12.0,
        86.0,
    ),
    (
        Room(name="cool room", holds=8, sort="cool", shelves=1, width_cm=110.0, depth_cm=32.0),
        "cool",
        13.5,
        78.0,
    ),
    (
        Room(name="fridge", holds=24, sort="fridge", shelves=2, width_cm=55.0, depth_cm=40.0),
        "fridge",
        4.2,
        None,
    ),
    (
        Room(name="warm cupboard", holds=3, sort="warm", shelves=2, width_cm=50.0, depth_cm=40.0),
        "warm",
        20.0,
        78.0,
    ),
    (
        Room(name="freezer", holds=10, sort="freezer", shelves=1, width_cm=50.0, depth_cm=50.0),
        "",
        -19.0,
        None,
    ),
    (
        Room(
            name="shelf by the door",
            holds=6,
            sort="counter",
            shelves=1,
            width_cm=70.0,
            depth_cm=25.0,
        ),
        "",
        None,
        None,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
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
    PastMake(
        days_ago=58,
        recipe="larder-block",
        breed="cow_lowland",
        litres=24.0,
        fat=4.0,
        protein=3.25,
        ph=6.66,
        vat="water-bath kettle",
        yielded=0.98,
    ),
    PastMake(
        days_ago=55,
        recipe="thatch",
        breed="goat",
        litres=24.0,
        fat=3.8,
        protein=3.2,
        ph=6.62,
        vat="water-bath kettle",
        yielded=0.98,
        flocks_share=None,
    ),
    PastMake(
        days_ago=51,
        recipe="larder-block",
        breed="goat",
        litres=18.5,
        fat=3.7,
        protein=3.1,
        ph=6.60,
        vat="water-bath kettle",
        yielded=0.95,
        flocks_share=1.1,
    ),
    PastMake(
        days_ago=48,
        recipe="threshing-cheddar",
        breed="cow_lowland",
        litres=30.0,
        fat=4.0,
        protein=3.3,
        ph=6.66,
        vat="water-bath kettle",
        yielded=1.0,
        flocks_share=None,
    ),
    PastMake(
        days_ago=47,
        recipe="bench-curd",
        breed="goat",
        litres=6.0,
        fat=3.7,
        protein=3.1,
        ph=6.58,
        vat="stove pot",
        yielded=0.93,
    ),
    PastMake(
        days_ago=44,
        recipe="larder-block",
        breed="cow_high_solids",
        litres=30.0,
        fat=4.9,
        protein=3.7,
        ph=6.64,
        vat="water-bath kettle",
        yielded=1.03,
    ),
    PastMake(
        days_ago=40,
        recipe="tarrow-blue",
        breed="sheep",
        litres=26.0,
        fat=6.9,
        protein=5.4,
        ph=6.6,
        vat="water-bath kettle",
        yielded=0.99,
        flocks_share=None,
        treatment="batch",
        pieces=2,
    ),
    PastMake(
        days_ago=37,
        recipe="larder-block",
        breed="sheep",
        litres=40.0,
        fat=6.8,
        protein=5.4,
        ph=6.58,
        vat="jacketed vat",
        yielded=1.01,
        flocks_share=0.95,
        treatment="raw",
        pieces=2,
    ),
    PastMake(
        days_ago=33,
        recipe="hatch",
        breed="cow_lowland",
        litres=30.0,
        fat=3.9,
        protein=3.3,
        ph=6.65,
        vat="water-bath kettle",
        yielded=1.0,
        flocks_share=None,
        treatment="batch",
    ),
    PastMake(
        days_ago=30,
        recipe="larder-block",
        breed="goat",
        litres=22.0,
        fat=3.9,
        protein=3.2,
        ph=6.57,
        vat="water-bath kettle",
        yielded=0.97,
        flocks_share=1.08,
    ),
    PastMake(
        days_ago=27,
        recipe="gatepost",
        breed="cow_lowland",
        litres=20.0,
        fat=4.0,
        protein=3.3,
        ph=6.65,
        vat="water-bath kettle",
        yielded=1.0,
        flocks_share=None,
        treatment="batch",
        pieces=4,
    ),
    PastMake(
        days_ago=23,
        recipe="larder-block",
        breed="cow_lowland",
        litres=28.0,
        fat=4.1,
        protein=3.3,
        ph=6.67,
        vat="water-bath kettle",
        yielded=0.84,
        flocks_share=1.3,
        treatment="batch",
    ),
    PastMake(
        days_ago=16,
        recipe="larder-block",
        breed="sheep",
        litres=44.0,
        fat=7.0,
        protein=5.5,
        ph=6.59,
        vat="jacketed vat",
        yielded=1.02,
        flocks_share=1.0,
        treatment="raw",
        pieces=2,
    ),
    PastMake(
        days_ago=12,
        recipe="dapple",
        breed="cow_high_solids",
        litres=11.0,
        fat=5.0,
        protein=3.8,
        ph=6.65,
        vat="stove pot",
        yielded=1.0,
        flocks_share=None,
        treatment="batch",
        pieces=8,
    ),
    PastMake(
        days_ago=9,
        recipe="larder-block",
        breed="goat",
        litres=24.0,
        fat=4.0,
        protein=3.25,
        ph=6.59,
        vat="water-bath kettle",
        yielded=0.99,
        flocks_share=1.05,
    ),
    PastMake(
        days_ago=3,
        recipe="wrenfold-log",
        breed="goat",
        litres=8.0,
        fat=3.8,
        protein=3.2,
        ph=6.62,
        vat="stove pot",
        yielded=1.0,
        flocks_share=None,
        treatment="batch",
        pieces=6,
    ),
    PastMake(
        days_ago=2,
        recipe="bench-curd",
        breed="cow_lowland",
        litres=8.0,
        fat=None,
        protein=None,
        ph=None,
        vat="stove pot",
        yielded=0.96,
    ),
    PastMake(
        days_ago=2,
        recipe="larder-block",
        breed="cow_high_solids",
        litres=30.0,
        fat=5.1,
        protein=3.8,
        ph=6.65,
        vat="water-bath kettle",
        yielded=1.0,
    ),
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


@dataclass(frozen=True, slots=True, kw_only=True)
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
    Waiting(name="Goats, older", breed="goat", litres=4.2, celsius=5.0, hours_old=53.0),
    Waiting(
        name="Shop cream",
        breed="cow_lowland",
        litres=1.0,
        celsius=18.0,
        hours_old=20.0,
        fat=36.0,
        protein=None,
        ph=None,
        holding="cold",
        kind="cream",
        treatment="flash",
        price="4.80",
    ),
    Waiting(
        name="House cows, this morning",
        breed="cow_lowland",
        litres=19.0,
        celsius=6.0,
        hours_old=3.2,
        fat=4.15,
        protein=3.35,
        ph=6.66,
    ),
    Waiting(
        name="Ewes, this morning",
        breed="sheep",
        litres=18.0,
        celsius=6.0,
        hours_old=3.0,
        fat=6.8,
        protein=5.4,
    ),
    Waiting(
        name="Goats, this morning",
        breed="goat",
        litres=9.5,
        celsius=7.0,
        hours_old=2.5,
        fat=3.9,
        protein=3.2,
        ph=6.6,
    ),
)
FROZEN = Waiting(
    name="Ewes, last summer", breed="sheep", litres=12.0, celsius=8.0, hours_old=24.0 * 240
)
PLANNED = ("tarrow-blue", "water-bath kettle", ("draining basket 1",), 2, 8.5)  # days on, hour
POURED = (("House cows, this morning", 17.6), ("Goats, this morning", 9.5))
AT_PRESS = (  # recipe, its milk, vat, the press it is given, hours ago
    (
        "threshing-cheddar",
        Waiting(
            name="Cows, yesterday",
            breed="cow_lowland",
            litres=34.0,
            celsius=6.0,
            hours_old=10.0,
            fat=4.05,
            protein=3.35,
            ph=6.66,
        ),
        "jacketed vat",
        "two-lever press",
        13.0,
    ),
    (
        "hatch",
        Waiting(
            name="Cows, the day before",
            breed="cow_lowland",
            litres=33.0,
            celsius=6.0,
            hours_old=9.0,
            fat=3.95,
            protein=3.3,
            ph=6.66,
        ),
        "jacketed vat",
        "screw press",
        20.5,
    ),
)
# By day, and while nobody is up: what is made, its milk and its vat, how its milk stands by now.
UNDER_WAY = (
    "larder-block",
    Waiting(
        name="Cows, last night",
        breed="cow_high_solids",
        litres=26.0,
        celsius=6.0,
        hours_old=11.0,
        fat=4.9,
        protein=3.7,
        ph=6.64,
    ),
    "water-bath kettle",
    "--celsius 31 --ph 6.46 --target 31 --culture",
)
AT_NIGHT = (
    "wrenfold-log",
    Waiting(
        name="Goats, warmed",
        breed="goat",
        litres=8.0,
        celsius=6.0,
        hours_old=14.0,
        fat=3.9,
        protein=3.2,
        ph=6.62,
        treatment="batch",
    ),
    "stove pot",
    "--celsius 21.5 --ph 5.6 --target 21 --culture",
)


@dataclass(frozen=True, slots=True, kw_only=True)
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
        product=Product(
            kind="rennet", name="calf rennet, last year’s", strength=200, sort="calf", form="liquid"
        ),
        amount=250,
        price="18.00",
        place="fridge door",
        open_days=700,
        best_days=-120,
    ),
    OnTheShelf(
        product=Product(
            kind="rennet",
            name="set tablets, plant",
            strength=1400,
            sort="plant",
            form="tablet",
            kept="room",
        ),
        amount=20,
        price="9.50",
        place="tea tin",
        open_days=20,
        best_days=500,
    ),
    OnTheShelf(
        product=Product(
            kind="rennet",
            name="calf rennet, the brown bottle",
            strength=200,
            sort="calf",
            form="liquid",
        ),
        amount=250,
        price="18.00",
        place="fridge door",
        open_days=70,
        best_days=300,
    ),
    OnTheShelf(
        product=Product(
            kind="acid",
            name="lemon juice, bottled",
            strength=None,
            sort="lemon_bottled",
            form="liquid",
        ),
        amount=500,
        price="2.10",
        place="fridge door",
        open_days=12,
        best_days=200,
    ),
    OnTheShelf(
        product=Product(
            kind="acid",
            name="citric acid crystals",
            strength=None,
            per="dry",
            sort="citric_anhydrous",
            form="powder",
            kept="room",
        ),
        amount=400,
        price="4.40",
        place="tea tin",
        open_days=40,
        best_days=700,
    ),
    OnTheShelf(
        product=Product(
            kind="acid",
            name="white vinegar, 5 %",
            strength=5,
            sort="acetic",
            form="liquid",
            kept="room",
        ),
        amount=2000,
        price="3.20",
        place="cupboard",
        open_days=70,
        best_days=300,
    ),
    OnTheShelf(
        product=Product(
            kind="calcium",
            name="calcium chloride flakes, 78 %",
            strength=78,
            counts="dihydrate",
            per="dry",
            form="powder",
            kept="room",
        ),
        amount=500,
        price="6.00",
        place="cupboard, tight tin",
        open_days=200,
        best_days=900,
    ),
    OnTheShelf(
        product=Product(
            kind="calcium",
            name="calcium chloride solution, 33 %",
            strength=33,
            counts="anhydrous",
            form="liquid",
        ),
        amount=100,
        price="5.20",
        place="fridge door",
        open_days=70,
        best_days=300,
    ),
    OnTheShelf(
        product=Product(kind="culture", name="counter jar", sort="mild", form="jar", kept="fridge"),
        amount=400,
        price="0.00",
        place="fridge, top shelf",
        open_days=70,
        best_days=900,
    ),
    OnTheShelf(
        product=Product(
            kind="culture",
            name="mother cubes, mild",
            sort="mild",
            form="cubes",
            size_ml=30,
            kept="freezer",
        ),
        amount=24,
        price="0.00",
        place="freezer, blue box",
        open_days=None,
        best_days=120,
    ),
    OnTheShelf(
        product=Product(
            kind="culture", name="heat-loving culture", sort="hot", form=_DRY, kept="freezer"
        ),
        amount=10,
        price="14.00",
        place="freezer, blue box",
        open_days=30,
        best_days=320,
    ),
    OnTheShelf(
        product=Product(
            kind="culture",
            name="salt-bearing mild culture, freeze-dried",
            sort="mild",
            form=_DRY,
            kept="freezer",
            stands_salt=True,
        ),
        amount=4,
        price="15.00",
        place="freezer, blue box",
        open_days=None,
        best_days=280,
    ),
    OnTheShelf(
        product=Product(
            kind="culture",
            name="mild warm-loving culture, freeze-dried",
            sort="mild",
            form=_DRY,
            kept="freezer",
        ),
        amount=16,
        price="13.00",
        place="freezer, blue box",
        open_days=70,
        best_days=300,
    ),
    OnTheShelf(
        product=Product(
            kind="propionic", name="eye-making culture", form=_DRY, serves_l=80, kept="freezer"
        ),
        amount=5,
        price="11.00",
        place="freezer, blue box",
        open_days=60,
        best_days=-90,
    ),
    OnTheShelf(
        product=Product(
            kind="mould", name="white mould", sort="white", form=_DRY, serves_l=120, kept="freezer"
        ),
        amount=4,
        price="12.50",
        place="freezer, blue box",
        open_days=45,
        best_days=75,
    ),
    OnTheShelf(
        product=Product(
            kind="mould",
            name="ripening yeast",
            sort="yeast",
            form=_DRY,
            serves_l=200,
            kept="freezer",
        ),
        amount=3,
        price="9.80",
        place="freezer, blue box",
        open_days=45,
        best_days=120,
    ),
    OnTheShelf(
        product=Product(
            kind="mould", name="blue mould", sort="blue", form=_DRY, serves_l=150, kept="freezer"
        ),
        amount=4,
        price="12.50",
        place="freezer, blue box",
        open_days=None,
        best_days=400,
    ),
    OnTheShelf(
        product=Product(
            kind="lipase", name="kid lipase", sort="kid", form="powder", serves_l=40, kept="freezer"
        ),
        amount=20,
        price="15.00",
        place="freezer, blue box",
        open_days=60,
        best_days=200,
    ),
    OnTheShelf(
        product=Product(kind="colour", name="annatto in water", form="liquid", serves_l=8),
        amount=100,
        price="7.00",
        place="fridge door",
        open_days=60,
        best_days=240,
    ),
    OnTheShelf(
        product=Product(kind="salt", name="coarse crystal salt", sort="coarse", kept="room"),
        amount=5000,
        price="6.50",
        place="bin",
        open_days=90,
        best_days=2000,
    ),
    OnTheShelf(
        product=Product(kind="salt", name="fine salt, no iodine", sort="fine", kept="room"),
        amount=3000,
        price="2.40",
        place="bin",
        open_days=90,
        best_days=2000,
    ),
    OnTheShelf(
        product=Product(kind="herb", name="dried meadow herbs", form="powder", kept="room"),
        amount=60,
        price="4.00",
        place="cupboard",
        open_days=50,
        best_days=380,
    ),
    OnTheShelf(
        product=Product(kind="ware", name="draining cloth, 60 cm", form="packet", kept="room"),
        amount=12,
        price="18.00",
        place="drawer",
        open_days=None,
        best_days=3000,
    ),
    OnTheShelf(
        product=Product(kind="ware", name="cheese wax, a block", form="packet", kept="room"),
        amount=3,
        price="9.00",
        place="cupboard",
        open_days=None,
        best_days=3000,
    ),
)
# of the jar: days ago, hours until it set, smell, pH
FEEDINGS: tuple[tuple[int, float, Smell, float | None], ...] = (
    (24, 14.0, "clean", 4.5),
    (17, 15.0, "clean", 4.45),
    (10, 13.0, "clean", None),
    (6, 16.0, "clean", 4.5),
)
