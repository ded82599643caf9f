"""How long rennet takes in a milk, when to cut, and how firm the set will be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from math import exp, prod

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House, along, shipped
from openpail.craft.milk.animals import set_steps
from openpail.craft.milk.blend import Share, VatMilk
from openpail.craft.milk.kinds import NO_SET, Species, usual_ph
from openpail.craft.stock.products import SORTS
from openpail.craft.units import HAIR

_WEAKENED = ("high_heat", "scalded")
_ALL = 0.999  # of the casein: no other animal is told beside it

COLDEST_C, HOTTEST_C = 20.0, 45.0  # the flocculation model knows no rennet outside


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """A milk at the moment of renneting: °C, pH then (None unmeasured), g/kg CaCl₂ added; rennet,
    its sort, a key of SORTS, "" as calf's; named_ph, that its recipe names, for how an enzyme
    stands to calf's while nobody measures."""

    milk: VatMilk
    celsius: float
    ph: float | None
    calcium_g_per_kg: float
    rennet: str = ""
    named_ph: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SetFactors:
    """What stretches the flocculation time, each 1 for the reference milk.

    treatment is its heat and keeping together; cold, of those, the days held cold alone; ph, of
    calf's rennet; enzyme, how this one stands to that at this pH.
    """

    temperature: float
    ph: float
    calcium: float
    species: float
    treatment: float
    salt: float
    cold: float = 1.0
    animals: float = 1.0
    enzyme: float = 1.0

    @property
    def product(self) -> float:
        """All of them together."""
        return prod(
            (
                self.temperature,
                self.ph,
                self.enzyme,
                self.calcium,
                self.species,
                self.treatment,
                self.salt,
                self.animals,
            )
        )


@lru_cache(maxsize=512)
def factors(setting: Setting, house: House) -> SetFactors:
    """Every factor of the flocculation model for a milk at renneting.

    Parameters: setting, 20–45 °C; house, the coefficients in force.
    Raises: OutOfRange by temperature; NotPossible for milk that rennet does not set.
    Source: house value, shaped on Berridge and coagulation-meter means.
    """
    milk = setting.milk
    refuse_unsettable(milk, house)
    if not COLDEST_C <= setting.celsius <= HOTTEST_C:
        raise OutOfRange(
            f"Rennet at {setting.celsius:g} °C: it works between {COLDEST_C:g} and {HOTTEST_C:g} "
            "°C. Bring the milk into that range."
        )
    shares = milk.casein_shares()
    return SetFactors(
        temperature=along(house.curve("rennet.temperature"), setting.celsius),
        ph=_ph_factor(setting.ph, shares, house),
        enzyme=_enzyme_factor(setting, shares, house),
        calcium=exp(-house.number("rennet.per_calcium") * setting.calcium_g_per_kg),
        species=by_species(shares, "rennet.species", house),
        treatment=milk.by_heat(lambda share: _heat(share, house) * _cold(share, house)),
        salt=exp(house.number("rennet.per_salt") * milk.salt_pct),
        cold=milk.by_heat(lambda share: _cold(share, house)),
        animals=milk.by_casein(lambda share: _animals(share, milk, house)),
    )


def _animals(share: Share, milk: VatMilk, house: House) -> float:
    if share.herd_taught:
        return 1.0
    return replay(
        (
            Step("start", "", 1.0),
            *set_steps(
                float(share.late),
                share.cells_doubled,
                share.kappa,
                house,
                ph_read=milk.ph is not None,
            ),
        )
    )


def refuse_unsettable(milk: VatMilk, house: House) -> None:
    """Refuse rennet in milk of which it would not set a tenth of the casein or more.

    Parameters: milk; house. Raises: NotPossible. Source: house value.
    """
    share = milk.unsettable()
    if share and share >= house.number("rennet.no_set_share"):
        part = "" if share > _ALL else f", here {100 * share:.0f} % of the casein,"
        raise NotPossible(
            f"Ultra-heated, boiled or tinned milk{part} will not set with rennet and no culture "
            "mends it. Use it for an acid-and-heat cheese."
        )


def _ph_factor(ph: float | None, shares: Mapping[Species, float], house: House) -> float:
    if ph is None:
        return 1.0
    power = house.number("rennet.per_ph") * (held_ph(ph, house) - usual_ph(shares, house))
    return float(10**power)


def held_ph(ph: float, house: House) -> float:
    """A pH as the model takes it, held still at its ends.

    Parameters: ph; house. Source: house value.
    """
    return min(house.number("rennet.ph_high"), max(house.number("rennet.ph_low"), ph))


def more_ph(sort: str, house: House) -> float:
    """How much more than calf's the pH moves a rennet, as a power of ten for each pH.

    Parameters: sort, a key of SORTS; house. Source: house value, shaped on Foltmann; Fox.
    """
    key = enzyme_key(sort)
    return house.number(key) if key else 0.0


def slower_by_ph(read: float, wanted: float, sort: str, house: House) -> float:
    """How many times longer the same milk takes at one pH than at another.

    Parameters: read and wanted, pH at renneting; sort of the rennet; house. Source: as `factors`.
    """
    by = held_ph(read, house) - held_ph(wanted, house)
    return float(10 ** ((house.number("rennet.per_ph") + more_ph(sort, house)) * by))


def enzyme_key(sort: str) -> str:
    """The house value by which the pH moves a sort of rennet, "" for as calf's.

    Parameters: sort, a key of SORTS. Source: derivation.
    """
    key = f"rennet.more_ph_{sort}"
    return key if key in shipped() else ""


def _enzyme_factor(setting: Setting, shares: Mapping[Species, float], house: House) -> float:
    """Labels are tested at one pH, where all agree; off it each enzyme has its own slope."""
    at = setting.ph if setting.ph is not None else setting.named_ph
    ph = usual_ph(shares, house) if at is None else at
    off = held_ph(ph, house) - house.number("rennet.label_ph")
    return float(10 ** (more_ph(setting.rennet, house) * off))


def _heat(share: Share, house: House) -> float:
    if share.treatment in NO_SET:  # under a tenth of the casein: it counts for nothing
        return 1.0
    factor = house.number(f"rennet.heat_{share.treatment}")
    if share.homogenised:
        factor *= house.number("rennet.homogenised")
    if share.frozen:
        factor *= house.number("rennet.frozen")
    return factor


def _cold(share: Share, house: House) -> float:
    if share.treatment != "raw":
        return 1.0
    days = max(0.0, share.hours_cold / 24 - 1)
    most = house.number("rennet.cold_most")
    more = min(most, 1 + house.number("rennet.per_cold_day") * days) - 1
    return 1 + more * (house.number("rennet.rest_halves") if share.rested else 1.0)


def by_species(shares: Mapping[Species, float], prefix: str, house: House) -> float:
    """A species house value by casein share.

    Parameters: shares, which sum to 1; prefix of the key; house. Source: house value.
    """
    return sum(share * house.number(f"{prefix}_{species}") for species, share in shares.items())


def flocculation_minutes(imcu_per_kg: float, setting: Setting, house: House) -> float:
    """Minutes from rennet to the first flocks, by the full model.

    Parameters: imcu_per_kg over 0; setting, the milk at renneting; house.
    Raises: OutOfRange, NotPossible as `factors`.
    Source: t ∝ 1/dose, Storch & Segelcke 1874; factors, house value.
    """
    if imcu_per_kg <= 0:
        raise OutOfRange("Without rennet there is no set to wait for.")
    scale = house.number("rennet.minutes") * house.number("rennet.reference_imcu") / imcu_per_kg
    return scale * factors(setting, house).product


def flocculation(imcu_per_kg: Figure, setting: Setting, house: House) -> Figure:
    """`flocculation_minutes` as a figure with its because.

    Parameters: imcu_per_kg in IMCU per kg of milk; setting and house as there, and its errors.
    Source: house value.
    """
    found = factors(setting, house)
    key = "rennet.minutes"
    figure = Figure.start(
        "cow’s milk, 32 °C, 35 IMCU/kg",
        house.number(key),
        "min",
        source=house.source(key),
        house_key=key,
        rests_on_assumed=imcu_per_kg.rests_on_assumed or setting.ph is None,
    ).times(
        f"{imcu_per_kg.value:.4g} IMCU/kg against 35",
        house.number("rennet.reference_imcu") / imcu_per_kg.value,
        source="Storch & Segelcke 1874",
    )
    return (
        figure.times(
            f"{setting.celsius:g} °C",
            found.temperature,
            house_key="rennet.temperature",
            source=house.source("rennet.temperature"),
        )
        .times(
            f"pH {setting.ph or 0:.2f} at renneting",
            found.ph,
            house_key="rennet.per_ph",
            source=house.source("rennet.per_ph"),
        )
        .times(
            f"{SORTS['rennet'].get(setting.rennet, 'this')} rennet at this pH, against calf’s",
            found.enzyme,
            house_key=enzyme_key(setting.rennet),
            source=house.source("rennet.label_ph"),
        )
        .times(
            "calcium chloride added",
            found.calcium,
            house_key="rennet.per_calcium",
            source=house.source("rennet.per_calcium"),
        )
        .times("the animals’ milk", found.species, source="house value")
        .times("how it was heated and kept", found.treatment, source="house value")
        .times("the animals: late in milk, cells, genes", found.animals, source="house value")
        .times(
            "salt in the milk",
            found.salt,
            house_key="rennet.per_salt",
            source=house.source("rennet.per_salt"),
        )
    )


def cut_multiplier(
    milk: VatMilk, recipe_multiplier: float, house: House, *, own: VatMilk
) -> Figure:
    """How many flocculation times to wait for the cut in this milk, against the recipe's own milk.

    Parameters: milk; recipe_multiplier, the recipe's own, 1–8; house; own, the recipe's milk.
    Source: species by casein share; of heat and homogenising the larger, by mass share, house
    value.
    """
    figure = Figure.start("the recipe’s multiple", recipe_multiplier, "×", source="the recipe")
    animals = [by_species(each.casein_shares(), "cut.species", house) for each in (milk, own)]
    waits = [each.by_heat(lambda share: _longer_wait(share, house)) for each in (milk, own)]
    for words, (mine, theirs) in (
        ("the animals’ milk, against the recipe’s", animals),
        ("homogenised or strongly heated, against the recipe’s: the wait", waits),
    ):
        if abs(mine / theirs - 1) > HAIR:
            figure = figure.times(words, mine / theirs, source="house value")
    return figure


def _longer_wait(share: Share, house: House) -> float:
    """How much longer the weaker set of a milk is waited for."""
    heat = house.number(f"cut.{share.treatment}") if share.treatment in _WEAKENED else 1.0
    return max(heat, house.number("cut.homogenised") if share.homogenised else 1.0)


def edge_words(setting: Setting, house: House) -> str | None:
    """Words when the pH at renneting lies where the model holds still, else None.

    Parameters: setting; house. Source: house value.
    """
    if setting.ph is None:
        return None
    if setting.ph < house.number("rennet.ph_low"):
        return f"pH {setting.ph:.2f} at renneting: it sets in a few minutes: judge by the break."
    if setting.ph > house.number("rennet.ph_high"):
        return f"pH {setting.ph:.2f} at renneting is very sweet: measure again before you trust it."
    return None


def firmness_end(
    milk: VatMilk, calcium_g_per_kg: float, house: House, *, ph: float | None
) -> float:
    """How firm a set ends up, 100 for cow's milk of 2.7 % casein at pH 6.60 without calcium added.

    Parameters: milk; calcium_g_per_kg 0–0.2; house; ph at renneting, None where nobody read it:
    then late milk and many cells speak for themselves. Source: house value, shaped on Lucey & Fox.
    """
    treatment = milk.by_heat(
        lambda s: (
            (house.number("firm.homogenised") if s.homogenised else 1.0)
            * (house.number("firm.frozen") if s.frozen else 1.0)
            * (house.number(f"firm.{s.treatment}") if s.treatment in _WEAKENED else 1.0)
        )
    )
    casein = milk.casein_pct / house.number("firm.casein_reference")
    return float(
        100
        * casein ** house.number("firm.casein_power")
        * by_species(milk.casein_shares(), "firm.species", house)
        * treatment
        * (1 + house.number("firm.per_calcium") * calcium_g_per_kg)
        * _firm_by_ph(milk, house, ph)
    )


def _firm_by_ph(milk: VatMilk, house: House, ph: float | None) -> float:
    if ph is None:
        late, cells = house.number("firm.late"), house.number("firm.cells")
        return milk.by_casein(lambda s: (late if s.late else 1.0) * cells**s.cells_doubled)
    off = ph - house.number("firm.ph_reference")
    found = 1 - house.number("firm.per_ph") * off
    return min(house.number("firm.ph_most"), max(house.number("firm.ph_least"), found))


def pace(flocculation_min: float, milk: VatMilk, house: House) -> float:
    """Minutes in which a set firms by 63 %.

    Parameters: flocculation_min, over 0; milk; house. Source: house value, by casein share.
    """
    return flocculation_min * by_species(milk.casein_shares(), "firm.pace", house)


def firmness(minutes: float, flocculation_min: float, end: float, pace_min: float) -> float:
    """Firmness so many minutes after the rennet, in the scale of `firmness_end`.

    Parameters: minutes 0 or more; flocculation_min over 0; end; pace_min over 0.
    Source: house value.
    """
    if minutes <= flocculation_min:
        return 0.0
    return end * (1 - exp(-(minutes - flocculation_min) / pace_min))
