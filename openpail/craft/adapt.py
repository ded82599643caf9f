"""The sheet: a recipe turned to the milk at hand, every dose with its because."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from openpail.craft import acid, calcium, coagulation, culture, rennet, yields
from openpail.craft.blend import Blend, VatMilk
from openpail.craft.coagulation import Setting
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House
from openpail.craft.measures import Spoons, by_spoon
from openpail.craft.milk import usual_ph
from openpail.craft.products import Product, calcium_solution_ml, rennet_strength
from openpail.craft.recipe import Ingredient, Recipe, reference_milk
from openpail.craft.sheet import Firmness, Line, SetTimes, Sheet, firm_words
from openpail.craft.uncertainty import spread
from openpail.craft.units import TEASPOON_ML

CURVE_POINTS = 41


@dataclass(frozen=True, slots=True)
class Ways:
    """The dairy's house ways, where makers disagree."""

    raw_calcium: calcium.RawWay = "table"
    rennet: rennet.School = "keep_clock"
    raw_culture_less: bool = True


@dataclass(frozen=True, slots=True)
class Job:
    """What a sheet is asked for: recipe, milk, bottles by kind, house and ways, what-ifs."""

    recipe: Recipe
    milk: Blend
    house: House
    bottles: Mapping[str, Product] = field(default_factory=dict)
    ways: Ways = field(default_factory=Ways)
    renneting_c: float | None = None


def adapt(job: Job) -> Sheet:
    """Turn a recipe to the milk at hand.

    Parameters: job, with a milk of over 0 kg.
    Returns: the sheet with uncertainty of every figure.
    Raises: NotPossible (ultra-heated milk and rennet), OutOfRange (renneting temperature).
    Source: the rules of calcium, culture, rennet, acid, yields; spread by central differences.
    """
    frame = _frame(job)
    worked = _work_out(job, job.milk.numbers, frame)
    about_usual = _with_usual_ph(job)
    deviations, parts = spread(
        lambda name, by: _work_out(job, about_usual.shifted(name, by), frame).results(),
        _input_sds(job),
    )
    return _write_up(job, frame, worked, deviations, _most_useful(job, worked, parts))


def _input_sds(job: Job) -> dict[str, float]:
    milk, house = job.milk, job.house
    ph_sd = milk.ph.sd if milk.ph and milk.ph.sd else 2 * house.number("milk.ph_sd")
    return {"fat": milk.fat.sd or 0.0, "casein": milk.casein.sd or 0.0, "ph": ph_sd}


def _with_usual_ph(job: Job) -> VatMilk:
    numbers = job.milk.numbers
    if numbers.ph is not None:
        return numbers
    return replace(numbers, ph=usual_ph(numbers.casein_shares(), job.house))


@dataclass(frozen=True, slots=True)
class _Frame:
    """The recipe's own side of a job: its milk, its set, its cheese; the same in every run."""

    milk: VatMilk
    setting: Setting | None
    cheese: Figure
    calcium: Figure | None
    written: Mapping[str, Figure]


def _frame(job: Job) -> _Frame:
    milk = reference_milk(job.recipe, job.house)
    own = _written_calcium(job, milk)
    setting = _setting(job, milk, own.value if own else 0.0, job.recipe.renneting_c)
    cheese = _cheese(job, milk)
    written = {
        each.key: _salt_on(job, each, cheese) if each.basis == "percent_of_curd" else _written(each)
        for each in job.recipe.ingredients
    }
    return _Frame(milk, setting, cheese, own, written)


@dataclass(frozen=True, slots=True)
class _Dose:
    """A dose before it is put into spoons and words."""

    ingredient: Ingredient
    bottle: Product
    written: Figure
    figure: Figure
    active: Figure


@dataclass(frozen=True, slots=True)
class _Worked:
    """Everything that an uncertain input may move."""

    doses: tuple[_Dose, ...]
    imcu_per_kg: Figure | None
    flocculation_min: float
    cut: Figure | None
    cheese: Figure
    setting: Setting | None

    def results(self) -> list[float]:
        """The numbers whose spread is wanted: doses, flocks, cut, cheese."""
        values = [dose.figure.value for dose in self.doses]
        if self.cut:
            values += [self.flocculation_min, self.flocculation_min * self.cut.value]
        return [*values, self.cheese.value]


def _write_up(
    job: Job, frame: _Frame, worked: _Worked, sds: list[float], narrow: str | None
) -> Sheet:
    sds = sds or [0.0] * len(worked.results())
    lines = tuple(
        _line(job, replace(dose, figure=dose.figure.give_or_take(sd)))
        for dose, sd in zip(worked.doses, sds, strict=False)
    )
    times = _set_times(job, frame, worked)
    cheese = worked.cheese.give_or_take(((worked.cheese.sd or 0.0) ** 2 + sds[-1] ** 2) ** 0.5)
    milk_kg = job.milk.numbers.mass_kg
    whey = Figure.start("milk", milk_kg, "kg").minus("cheese", cheese.value, "kg")
    unusual = rennet.unusual(times.imcu_per_kg, job.recipe.family, job.house) if times else None
    edge = coagulation.edge_words(worked.setting, job.house) if worked.setting else None
    bottle = job.bottles.get("culture")
    old = culture.warning(bottle, job.house) if bottle else None
    return Sheet(
        lines,
        times,
        _firmness(job, frame, times, worked.setting) if times and worked.setting else None,
        cheese,
        frame.cheese,
        whey,
        tuple(words for words in (unusual, edge, old) if words),
        narrow,
    )


_KIND_WORDS = {"calcium": "calcium chloride", "culture": "the culture", "rennet": "the rennet",
               "acid": "the acid", "salt": "the salt", "other": "the rest"}  # fmt: skip
_TESTS = {"fat": "A fat test", "casein": "A protein test", "ph": "A pH reading"}


def _most_useful(job: Job, worked: _Worked, parts: Mapping[str, list[float]]) -> str | None:
    milk = job.milk
    unknown = {
        "fat": milk.fat.rests_on_assumed,
        "casein": milk.casein.rests_on_assumed,
        "ph": milk.ph is None,
    }
    usual = [max(dose.figure.value, dose.written.value) for dose in worked.doses]
    usual += worked.results()[len(usual) :]
    names = [_KIND_WORDS[dose.ingredient.product.kind] for dose in worked.doses]
    names += ["time to first flocks", "time to the cut"] if worked.cut else []
    names.append("expected cheese")
    best: tuple[float, str] | None = None
    for name, shifts in parts.items():
        if not unknown[name]:
            continue
        for value, shift, what in zip(usual, shifts, names, strict=True):
            share = shift / value if value else 0.0
            if share > 0.01 and (best is None or share > best[0]):
                best = (
                    share,
                    f"{_TESTS[name]} would narrow most: {what} by ± {100 * share:.0f} %.",
                )
    return best[1] if best else None


def _work_out(job: Job, milk: VatMilk, frame: _Frame) -> _Worked:
    reference, written = frame.milk, frame.setting
    mass_words = f"{milk.mass_kg:.1f} kg of milk, the recipe’s {reference.mass_kg:.1f}"
    mass = Step("times", mass_words, milk.mass_kg / reference.mass_kg)
    cheese = _cheese(job, milk)
    calcium_dose = _calcium(job, milk, frame)
    g_per_kg = calcium_dose.active.value / milk.mass_kg if calcium_dose else 0.0
    setting = _setting(job, milk, g_per_kg, job.renneting_c or job.recipe.renneting_c)
    doses: list[_Dose] = []
    for ingredient in job.recipe.ingredients:
        kind, amount = ingredient.product.kind, frame.written[ingredient.key]
        if kind == "calcium" and calcium_dose:
            doses.append(calcium_dose)
        elif kind == "culture":
            doses.append(_culture(job, ingredient, milk, reference, mass, amount))
        elif kind == "rennet" and setting and written:
            doses.append(_rennet(job, ingredient, setting, written, mass, amount))
        elif kind == "acid":
            doses.append(_acid(job, ingredient, milk, reference, mass, amount))
        elif ingredient.basis == "percent_of_curd":
            doses.append(_on_curd(job, ingredient, cheese, amount))
        else:
            doses.append(_by_mass(job, ingredient, mass, amount))
    return _with_set(job, tuple(doses), cheese, setting)


def _with_set(
    job: Job, doses: tuple[_Dose, ...], cheese: Figure, setting: Setting | None
) -> _Worked:
    dose = next((dose for dose in doses if dose.ingredient.product.kind == "rennet"), None)
    multiplier = job.recipe.cut_multiplier
    if not dose or not setting or multiplier is None or dose.active.value <= 0:
        return _Worked(doses, None, 0.0, None, cheese, setting)
    mass = setting.milk.mass_kg
    per_kg = dose.active.times(f"in {mass:.1f} kg of milk", 1 / mass, into="IMCU/kg")
    minutes = coagulation.flocculation_minutes(per_kg.value, setting, job.house)
    cut = coagulation.cut_multiplier(setting.milk, multiplier, job.house)
    return _Worked(doses, per_kg, minutes, cut, cheese, setting)


def _cheese(job: Job, milk: VatMilk) -> Figure:
    about = (job.milk.fat.rests_on_assumed, job.milk.casein.rests_on_assumed)
    fat, casein = (
        Figure.start(name, value, "%", rests_on_assumed=unsure)
        for name, value, unsure in (
            ("fat", milk.fat_pct, about[0]),
            ("casein", milk.casein_pct, about[1]),
        )
    )
    whey_protein = max(0.0, milk.protein_pct - milk.casein_pct)
    per_100 = yields.per_100kg(
        job.recipe.family, fat, casein, job.house, whey_protein_pct=whey_protein
    )
    return per_100.times(
        f"{milk.mass_kg:.1f} kg of milk, for 100", milk.mass_kg / 100
    ).give_or_take((per_100.sd or 0.0) * milk.mass_kg / 100)


def _setting(
    job: Job, milk: VatMilk, calcium_g_per_kg: float, celsius: float | None
) -> Setting | None:
    if celsius is None:
        return None
    drop = job.recipe.ripening_ph_drop
    ph = milk.ph
    if ph is None and drop:
        ph = usual_ph(milk.casein_shares(), job.house)
    return Setting(milk, celsius, None if ph is None else ph - drop, calcium_g_per_kg)


def _written(ingredient: Ingredient) -> Figure:
    return Figure.start(
        f"as written: {ingredient.product.name}",
        ingredient.amount,
        ingredient.unit,
        source="the recipe",
    )


def _ml_per_g(product: Product) -> float:
    return calcium_solution_ml(1.0, product.counts, product.strength or 33.0, product.per)


def _written_calcium(job: Job, reference: VatMilk) -> Figure | None:
    ingredient = job.recipe.ingredient("calcium")
    if not ingredient:
        return None
    figure = _written(ingredient).times(
        "anhydrous salt in it", 1 / _ml_per_g(ingredient.product), into="g"
    )
    figure = figure.times(
        f"in each of the recipe’s {reference.mass_kg:.1f} kg", 1 / reference.mass_kg, into="g/kg"
    )
    return figure._replace(rests_on_assumed=job.milk.casein.rests_on_assumed)


def _calcium(job: Job, milk: VatMilk, frame: _Frame) -> _Dose | None:
    ingredient = job.recipe.ingredient("calcium")
    if not ingredient or not frame.calcium:
        return None
    bottle = job.bottles.get("calcium", ingredient.product)
    dose = calcium.g_per_kg(
        frame.calcium, milk, frame.milk, job.house, job.recipe.family, job.ways.raw_calcium
    )
    grams = dose.times(f"{milk.mass_kg:.1f} kg of milk", milk.mass_kg, into="g")
    unit = "g" if bottle.per == "dry" else "mL"
    figure = grams.times(f"{bottle.name}: {unit} for each g", _ml_per_g(bottle), into=unit)
    return _Dose(ingredient, bottle, frame.written[ingredient.key], figure, grams)


def _culture(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> _Dose:
    bottle = job.bottles.get("culture", ingredient.product)
    steps = culture.ratio_steps(milk, reference, bottle, job.house, job.ways.raw_culture_less)
    figure = written.scaled((mass, *steps), about=job.milk.casein.rests_on_assumed)
    return _Dose(ingredient, bottle, written, figure, figure)


def _rennet(
    job: Job,
    ingredient: Ingredient,
    setting: Setting,
    reference: Setting,
    mass: Step,
    written: Figure,
) -> _Dose:
    bottle = job.bottles.get("rennet", ingredient.product)
    if job.recipe.family == "lactic":
        steps = rennet.lactic_ratio_steps(setting.milk, reference.milk, job.house)
    elif job.ways.rennet == "keep_dose":
        coagulation.factors(setting, job.house)
        steps = ()
    else:
        steps = rennet.ratio_steps(setting, reference, job.house)
    unmeasured = job.milk.ph is None and job.ways.rennet == "keep_clock"
    figure = written.scaled((mass, *steps), about=unmeasured)
    mine = rennet_strength(bottle, job.house)
    theirs = replay(rennet_strength(ingredient.product, job.house))
    strength = replay(mine)
    if strength != theirs:
        inverse = (
            Step("start", f"the recipe’s bottle, {theirs:g} IMCU/mL", theirs),
            Step("times", f"against this one, {strength:.0f}", 1 / strength),
        )
        figure = figure.times(
            f"{bottle.name}: {strength:.0f} IMCU/mL, the recipe’s {theirs:g}",
            replay(inverse),
            of=inverse,
        )
    units = figure.times(f"{bottle.name}, today", strength, of=mine, into="IMCU")
    return _Dose(ingredient, bottle, written, figure, units)


def _acid(
    job: Job,
    ingredient: Ingredient,
    milk: VatMilk,
    reference: VatMilk,
    mass: Step,
    written: Figure,
) -> _Dose:
    bottle = job.bottles.get("acid", ingredient.product)
    target = job.recipe.acid_target_ph or 5.80
    steps = acid.ratio_steps(milk, reference, target, job.house)
    about = job.milk.casein.rests_on_assumed or job.milk.ph is None
    figure = written.scaled((mass, *steps), about=about)
    mine, theirs = bottle.strength or 0.0, ingredient.product.strength or 0.0
    if not mine or not theirs:
        raise NotPossible(f"{bottle.name}: write its strength in per cent.")
    figure = figure.times(f"{bottle.name}: {mine:g} %, the recipe’s {theirs:g}", theirs / mine)
    grams = figure.times("acid in each mL", mine / 100, into="g")
    return _Dose(ingredient, bottle, written, figure, grams)


def _on_curd(job: Job, ingredient: Ingredient, cheese: Figure, written: Figure) -> _Dose:
    figure = _salt_on(job, ingredient, cheese)
    return _Dose(ingredient, ingredient.product, written, figure, figure)


def _salt_on(job: Job, ingredient: Ingredient, cheese: Figure) -> Figure:
    house, key = job.house, "yield.curd_before_press"
    figure = Figure.start("cheese expected", cheese.value, "kg", rests_on_assumed=True)
    if job.recipe.family not in yields.ACID_HEAT:
        figure = figure.times(
            "curd before the press", house.number(key), source=house.source(key), house_key=key
        )
    return figure.times(
        f"{ingredient.amount:g} % of the curd",
        ingredient.amount * 10,
        source="the recipe",
        into="g",
    )


def _by_mass(job: Job, ingredient: Ingredient, mass: Step, written: Figure) -> _Dose:
    figure = written.scaled((mass,))
    bottle = job.bottles.get(ingredient.product.kind, ingredient.product)
    return _Dose(ingredient, bottle, written, figure, figure)


def _line(job: Job, dose: _Dose) -> Line:
    figure, product = dose.figure, dose.ingredient.product
    spoons = None
    if figure.value > 0:
        liquid = figure.unit == "mL"
        ml = figure.value if liquid else _powder_ml(figure.value, dose.bottle, job.house)
        spoons = by_spoon(ml, job.house, drops=liquid) if ml else None
    return Line(
        dose.ingredient.key,
        product.kind,
        dose.bottle.name,
        dose.written,
        figure,
        dose.active,
        _water(dose, job.house),
        spoons,
        _advice(spoons, dose, job.house),
        _in_words(product.kind, figure, dose.written),
        dose.ingredient.words,
    )


_WATER_KEYS = {"rennet": "rennet.dilution", "calcium": "calcium.dilution"}


def _water(dose: _Dose, house: House) -> Figure | None:
    """The cool water a dose is stirred into first, mL; None for what goes in as it is."""
    key = _WATER_KEYS.get(dose.ingredient.product.kind)
    if key is None or dose.figure.unit != "mL" or dose.figure.value <= 0:
        return None
    times = house.number(key)
    return dose.figure.times(
        "cool, unchlorinated water for each measure", times, source=house.source(key), house_key=key
    )


def _advice(spoons: Spoons | None, dose: _Dose, house: House) -> str:
    """What to do instead when the spoons are too far off."""
    if spoons is None or abs(spoons.error) <= house.number("measure.worst"):
        return ""
    off = f"{100 * abs(spoons.error):.0f} % {'short' if spoons.error < 0 else 'over'}"
    amount = f"{dose.figure.value:.2g} {dose.figure.unit}"
    if dose.figure.unit == "g":
        part = 100 * dose.figure.value
        return f"{off}: better weigh {amount}, or dissolve 1 g in 100 mL and give {part:.0f} mL"
    return f"{off}: better mix 1 mL into 9 of cool water and give {10 * dose.figure.value:.2g} mL"


_DENSITY_KEYS = {"culture": "measure.culture", "salt": "measure.fine_salt",
                 "calcium": "measure.calcium_flake"}  # fmt: skip


def _powder_ml(grams: float, bottle: Product, house: House) -> float | None:
    key = _DENSITY_KEYS.get(bottle.kind)
    if bottle.g_per_tsp is None and key is None:
        return None
    per_tsp = bottle.g_per_tsp or house.number(str(key))
    return grams / per_tsp * TEASPOON_ML


def _in_words(kind: str, figure: Figure, written: Figure) -> str:
    if figure.value <= 0:
        return f"No {kind} for this milk."
    change = figure.value / written.value - 1 if written.value else 0.0
    if abs(change) < 0.005:
        return "As written."
    less = f"{100 * abs(change):.0f} % {'less' if change < 0 else 'more'} than written: "
    labels = [
        step.label.split(":")[0]
        for step in figure.because[1:]
        if step.op == "times" and not step.unit and abs(step.value - 1) > 0.005
    ]
    if kind == "calcium":
        labels = ["what this milk lacks against the recipe’s", "the batch’s size"]
    return less + "; ".join(labels[:3]) + "."


def _set_times(job: Job, frame: _Frame, worked: _Worked) -> SetTimes | None:
    ingredient = job.recipe.ingredient("rennet")
    setting, reference = worked.setting, frame.setting
    if not (worked.imcu_per_kg and worked.cut and setting and reference and ingredient):
        return None
    house = job.house
    strength = replay(rennet_strength(ingredient.product, house))
    theirs = Figure.start("the recipe’s dose", ingredient.amount * strength, "IMCU").times(
        "in the recipe’s milk", 1 / frame.milk.mass_kg, into="IMCU/kg"
    )
    key = "rennet.band_tested" if job.milk.ph else "rennet.band_untested"
    band = house.number(key)
    floc = coagulation.flocculation(worked.imcu_per_kg, setting, house)
    written = coagulation.flocculation(theirs, reference, house)
    usual = coagulation.cut_multiplier(frame.milk, job.recipe.cut_multiplier or 0.0, house)
    return SetTimes(
        floc.give_or_take(band / 2 * floc.value),
        _cut(floc, worked.cut).give_or_take(band / 2 * floc.value * worked.cut.value),
        band,
        written,
        _cut(written, usual),
        worked.imcu_per_kg,
        worked.cut,
    )


def _cut(floc: Figure, times: Figure) -> Figure:
    return floc.times(f"wait × {times.value:.3g} for the cut", times.value, of=times.because)


def _firmness(job: Job, frame: _Frame, times: SetTimes, setting: Setting) -> Firmness:
    house = job.house
    reference = frame.setting or setting
    longest = 2.0 * max(times.cut.value, times.written_cut.value)
    minutes = [longest * i / (CURVE_POINTS - 1) for i in range(CURVE_POINTS)]
    curves, at_cut = [], []
    for each, floc, cut in (
        (reference, times.written_flocculation.value, times.written_cut.value),
        (setting, times.flocculation.value, times.cut.value),
    ):
        end = coagulation.firmness_end(each.milk, each.calcium_g_per_kg, house)
        pace = coagulation.pace(floc, each.milk, house)
        curves.append(tuple((t, coagulation.firmness(t, floc, end, pace)) for t in minutes))
        at_cut.append(coagulation.firmness(cut, floc, end, pace))
    against = at_cut[1] / at_cut[0]
    return Firmness(curves[0], curves[1], against, firm_words(against))
