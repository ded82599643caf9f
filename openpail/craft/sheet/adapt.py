"""The sheet: a recipe turned to the milk at hand, every dose with its because."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from openpail.craft.bench.narrowing import which_protein
from openpail.craft.doses import culture, rennet
from openpail.craft.doses.asked import Job
from openpail.craft.doses.dose import (
    Dose,
    acid_dose,
    as_written,
    calcium_as_written,
    calcium_dose,
    calcium_of,
    check_bottles,
    culture_dose,
    curd_dose,
    dose_by_mass,
    lipase_dose,
    rennet_dose,
    salt_in_milk,
    salt_on_curd,
)
from openpail.craft.doses.setting import (
    Setting,
    cut_multiplier,
    edge_words,
    firmness,
    firmness_end,
    flocculation,
    flocculation_minutes,
    pace,
)
from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.recipe import yields
from openpail.craft.recipe.recipe import OF_CHEESE, Ingredient, reference_milk
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.moves import TwoMilks, moved, moves
from openpail.craft.sheet.renneted import acid_shift, goal_of, sours_by, unmeasured
from openpail.craft.sheet.sheet import Firmness, SetTimes, Sheet, firm_words
from openpail.craft.sheet.washed import planned_water_kg
from openpail.craft.sheet.wording import colour_words, line_of, top_line
from openpail.craft.stock.products import KIND_WORDS, LIVE, rennet_strength, serves
from openpail.craft.uncertainty import spread
from openpail.craft.units import so_many

_TOLD_FROM = 0.01  # a share of the milk under it is not named

CURVE_POINTS = 41


def adapt(job: Job, roughly: bool = False) -> Sheet:
    """Turn a recipe to the milk at hand.

    Parameters: job, with a milk of over 0 kg; roughly, without the uncertainty, in half the time.
    Returns: the sheet with uncertainty of every figure.
    Raises: NotPossible (ultra-heated milk and rennet, a bottle that cannot stand in), OutOfRange
    (renneting temperature, an own amount over what may be).
    Source: the rules of calcium, culture, rennet, acid, yields; spread by central differences.
    """
    check_bottles(job)
    _check_whey(job)
    frame = _frame(job)
    worked = _work_out(job, job.milk.numbers, frame)
    if roughly:
        return _write_up(job, frame, worked, [], None)
    about_usual = _with_usual_ph(job)
    deviations, parts = spread(
        lambda name, by: _work_out(job, about_usual.shifted(name, by), frame).results(),
        _input_sds(job),
    )
    return _write_up(job, frame, worked, deviations, _most_useful(job, worked, parts))


def _check_whey(job: Job) -> None:
    """Whey for a whey cheese and milk for every other."""
    whey = job.milk.numbers.casein_pct < job.house.number("whey.most_casein")
    if job.recipe.family == "whey" and not whey:
        raise NotPossible(
            f"{job.recipe.name} is made from whey, and this is milk. Keep the whey of a make, at "
            "the vat, and choose that."
        )
    if job.recipe.family != "whey" and whey:
        raise NotPossible(f"This is whey: it holds no curd for {job.recipe.name}.")


def _input_sds(job: Job) -> dict[str, float]:
    milk, house = job.milk, job.house
    ph_sd = milk.ph.sd if milk.ph and milk.ph.sd else 2 * house.number("milk.ph_sd")
    return {"fat": milk.fat.sd or 0.0, "casein": milk.casein.sd or 0.0, "ph": ph_sd}


def _with_usual_ph(job: Job) -> VatMilk:
    numbers = job.milk.numbers
    if numbers.ph is not None:
        return numbers
    return replace(numbers, ph=usual_ph(numbers.casein_shares(), job.house))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Frame:
    """The recipe's own side of a job: its milk, its set, its cheese; the same in every run."""

    milk: VatMilk
    setting: Setting | None
    cheese: Figure
    salt: Ingredient | None
    calcium: Figure | None
    written: Mapping[str, Figure]
    salted_pct: float


def _frame(job: Job) -> _Frame:
    milk = reference_milk(job.recipe, job.house)
    salted, theirs = salt_in_milk(job, milk.mass_kg)
    milk = replace(milk, salt_pct=theirs) if theirs else milk
    salt, own = calcium_of(job), calcium_as_written(job, milk)
    if salt and own and salt not in job.recipe.ingredients and salt.key not in job.own:
        wanted = calcium_dose(job, salt, job.milk.numbers, milk, own)
        salt, own = (salt, own) if wanted.figure.value > 0 else (None, None)
    setting = _setting(job, milk, milk, own.value if own else 0.0, celsius=job.recipe.renneting_c)
    cheese = _cheese(job, milk, milk)
    written = {
        each.key: salt_on_curd(job, each, cheese)
        if each.basis in OF_CHEESE
        else as_written(each, milk.mass_kg)
        for each in job.recipe.ingredients
    }
    return _Frame(
        milk=milk,
        setting=setting,
        cheese=cheese,
        salt=salt,
        calcium=own,
        written=written,
        salted_pct=salted,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Worked:
    """Everything that an uncertain input may move."""

    doses: tuple[Dose, ...]
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
    batch = _batch(job.milk.numbers, frame.milk)
    lines = tuple(
        line_of(job, replace(dose, figure=dose.figure.give_or_take(sd)), batch)
        for dose, sd in zip(worked.doses, sds, strict=False)
    )
    times = _set_times(job, frame, worked)
    cheese = worked.cheese.give_or_take(((worked.cheese.sd or 0.0) ** 2 + sds[-1] ** 2) ** 0.5)
    milk_kg = job.milk.numbers.mass_kg
    shares = job.milk.numbers.casein_shares()
    coloured = any(line.kind == "colour" and line.figure.value > 0 for line in lines)
    firm = _firmness(job, frame, times, worked.setting) if times and worked.setting else None
    follows = moves(
        job,
        TwoMilks(
            own=frame.milk,
            milk=job.milk.numbers,
            own_cheese_kg=frame.cheese.value,
            cheese_kg=cheese.value,
            firm=firm.against if firm else None,
        ),
    )
    steps = moved(job.recipe, follows.moves)
    whey = _whey(milk_kg, cheese, planned_water_kg(steps, milk_kg, job.house))
    unusual = rennet.unusual(times.imcu_per_kg, job.recipe.family, job.house) if times else None
    edge = edge_words(worked.setting, job.house) if worked.setting else None
    old = [
        f"{line.name} {words}"
        for line in lines
        if line.kind in LIVE and (words := culture.lost(line.bottle, job.house))
    ]
    return Sheet(
        lines=lines,
        set=times,
        firmness=firm,
        cheese=cheese,
        written_cheese=frame.cheese,
        whey=whey,
        warnings=tuple(
            words
            for words in (unusual, edge, *old, _salted_words(job, frame), _off_words(job, worked))
            if words
        ),
        narrow=narrow,
        asks=_asks(job, frame, worked, times),
        in_words=top_line(lines),
        clock=_clock(job, times),
        curd=colour_words(shares, coloured=coloured),
        moved=follows,
        written_kg=frame.milk.mass_kg,
        milk_kg=milk_kg,
    )


def _whey(milk_kg: float, cheese: Figure, water_kg: float) -> Figure:
    """The whey to expect, kg: the wash water runs off with it."""
    whey = Figure.start("milk", milk_kg, "kg")
    if water_kg > 0:
        whey = whey.plus("water of the wash", water_kg, "kg", source="heat balance")
    return whey.minus("cheese", cheese.value, "kg")


def _salted_words(job: Job, frame: _Frame) -> str:
    if frame.salted_pct < job.house.number("culture.salt_stops"):
        return ""
    return (
        f"{frame.salted_pct:g} % salt in the milk: most cultures all but stop in it, germs less "
        "so. Use a culture that stands salt, and see by the pH that it works."
    )


def _off_words(job: Job, worked: _Worked) -> str:
    """By the clock: the pH it leads to lies outside what the step waits for."""
    goal, setting = goal_of(job), worked.setting
    if job.ways.ripen != "by_clock" or not goal or not setting or setting.ph is None:
        return ""
    if goal.low <= setting.ph <= goal.high or not worked.cut:
        return ""
    return (
        f"By the clock it is renneted at about pH {setting.ph:.2f}, and the step asks for "
        f"{goal.low:g} to {goal.high:g}: first flocks after about {worked.flocculation_min:.0f} "
        "min at this dose. Ripen to the pH instead, or watch for the flocks."
    )


def _clock(job: Job, times: SetTimes | None) -> str:
    """How this milk moves the day against the recipe's own clock."""
    if times is None:
        return ""
    ours = laid_out(job.recipe, times.flocculation.value, times.cut.value)
    theirs = laid_out(job.recipe, times.written_flocculation.value, times.written_cut.value)
    later = ours[-1].end_min - theirs[-1].end_min
    if abs(later) < 1:
        return "The day’s clock stays as the recipe has it."
    how = "later" if later > 0 else "sooner"
    return f"All that comes after the cut comes {abs(later):.0f} min {how} than in the recipe."


def _far_cultures(job: Job, worked: _Worked) -> Iterator[str]:
    """Cultures given far from what was worked out, or from what their label is for."""
    house = job.house
    beyond, label = house.number("culture.ask_beyond"), house.number("culture.ask_label")
    litres = job.milk.numbers.mass_kg / yields.WHEY_KG_PER_L
    for dose in worked.doses:
        figure, bottle = dose.figure, dose.bottle
        if bottle.kind != "culture" or figure.value <= 0:
            continue
        planned = replay(figure.because[:-1]) if figure.known == "overruled" else 0.0
        if planned > 0 and not 1 / beyond <= figure.value / planned <= beyond:
            yield (
                f"{bottle.name}: {figure.value / planned:.2g} times what was worked out. Too "
                "little acid is the dangerous side, too much a sour, dry cheese: write why it is "
                "right."
            )
            continue
        try:
            share = figure.value * replay((serves(bottle, house),)) / litres
        except NotPossible:  # its label says nothing of the litres it is for
            continue
        if share > label:
            yield (
                f"{bottle.name}: {share:.1f} times what its label is for. Look at the packet once "
                "more, and write why it is right."
            )


def _asks(job: Job, frame: _Frame, worked: _Worked, times: SetTimes | None) -> tuple[str, ...]:
    """What needs a word from the maker: rennet or culture far from right, a jar not fit."""
    unfit = tuple(
        f"{bottle.name} is not fit for use: {bottle.unfit}"
        for each in job.recipe.ingredients
        if (bottle := job.bottle(each)).unfit
    )
    unfit += tuple(_far_cultures(job, worked))
    ingredient = job.recipe.ingredient("rennet")
    if times is None or ingredient is None:
        return unfit
    strength = replay(rennet_strength(ingredient.product, job.house))
    theirs = ingredient.amount * strength / frame.milk.mass_kg
    ratio, most = times.imcu_per_kg.value / theirs, job.house.number("rennet.ask_beyond")
    if 1 / most <= ratio <= most:
        return unfit
    return (
        *unfit,
        f"Rennet is {ratio:.1f} times the recipe’s in each kg of milk. Look at the bottle and the "
        "pH once more, and write why it is right.",
    )


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
    names = [f"the {KIND_WORDS[dose.ingredient.product.kind]}" for dose in worked.doses]
    names += ["time to first flocks", "time to the cut"] if worked.cut else []
    names.append("expected cheese")
    best: tuple[float, str] | None = None
    for name, shifts in parts.items():
        if not unknown[name]:
            continue
        for value, shift, what in zip(usual, shifts, names, strict=True):
            share = shift / value if value else 0.0
            if share > _TOLD_FROM and (best is None or share > best[0]):
                would = "" if name != "casein" else which_protein(milk.pours)
                would = f"{would}: that would" if would else f"{_TESTS[name]} would"
                best = share, f"{would} narrow most: {what} by ± {100 * share:.0f} %."
    return best[1] if best else None


def _work_out(job: Job, milk: VatMilk, frame: _Frame) -> _Worked:
    reference, written = frame.milk, frame.setting
    milk = replace(milk, salt_pct=frame.salted_pct) if frame.salted_pct else milk
    mass = _batch(milk, reference)
    cheese = _as_taught(job, _cheese(job, milk, reference))
    salt = None
    if frame.salt and frame.calcium:
        salt = calcium_dose(job, frame.salt, milk, reference, frame.calcium)
    g_per_kg = salt.active_value / milk.mass_kg if salt else 0.0
    setting = _this_setting(job, milk, reference, g_per_kg)
    doses: list[Dose] = []
    if salt and frame.salt not in job.recipe.ingredients:
        doses.append(salt)
    for ingredient in job.recipe.ingredients:
        kind, amount = ingredient.product.kind, frame.written[ingredient.key]
        if kind == "calcium" and salt:
            doses.append(salt)
        elif kind in LIVE:
            doses.append(
                culture_dose(job, ingredient, milk, reference=reference, mass=mass, written=amount)
            )
        elif kind == "rennet" and setting and written:
            doses.append(
                rennet_dose(job, ingredient, setting, reference=written, mass=mass, written=amount)
            )
        elif kind == "acid":
            doses.append(
                acid_dose(job, ingredient, milk, reference=reference, mass=mass, written=amount)
            )
        elif kind == "lipase":
            doses.append(
                lipase_dose(job, ingredient, milk, reference=reference, mass=mass, written=amount)
            )
        elif ingredient.basis in OF_CHEESE:
            doses.append(curd_dose(job, ingredient, cheese, amount))
        else:
            doses.append(dose_by_mass(job, ingredient, mass, amount))
    return _with_set(job, tuple(doses), cheese, setting, reference)


def _batch(milk: VatMilk, reference: VatMilk) -> Step:
    """So much milk against the recipe's."""
    words = f"{milk.mass_kg:.2f} kg of milk, the recipe’s {reference.mass_kg:.2f} kg"
    return Step("times", words, milk.mass_kg / reference.mass_kg, source="the batch")


def _with_set(
    job: Job, doses: tuple[Dose, ...], cheese: Figure, setting: Setting | None, own: VatMilk
) -> _Worked:
    dose = next((dose for dose in doses if dose.ingredient.product.kind == "rennet"), None)
    multiplier = job.recipe.cut_multiplier
    if not dose or not setting or multiplier is None or dose.active_value <= 0:
        return _Worked(
            doses=doses,
            imcu_per_kg=None,
            flocculation_min=0.0,
            cut=None,
            cheese=cheese,
            setting=setting,
        )
    mass = setting.milk.mass_kg
    per_kg = dose.active.times(f"in {mass:.1f} kg of milk", 1 / mass, into="IMCU/kg")
    minutes = flocculation_minutes(per_kg.value, setting, job.house)
    cut = cut_multiplier(setting.milk, multiplier, job.house, own=own)
    return _Worked(
        doses=doses,
        imcu_per_kg=per_kg,
        flocculation_min=minutes,
        cut=cut,
        cheese=cheese,
        setting=setting,
    )


def _as_taught(job: Job, cheese: Figure) -> Figure:
    """The cheese to expect, as the makes before it came out."""
    taught = job.yield_learnt
    if not taught.makes:
        return cheese
    words = f"as {so_many(taught.makes, 'make')} of it taught"
    return cheese.times(words, taught.factor, source="learnt here").give_or_take(cheese.sd)


def _cheese(job: Job, milk: VatMilk, own: VatMilk) -> Figure:
    """The cheese to expect of a milk, kg; own, the recipe's milk."""
    about = job.milk.fat.rests_on_assumed or job.milk.casein.rests_on_assumed
    per_100 = yields.of_recipe(job.recipe, own, milk, job.house, about)
    return per_100.times(
        f"{milk.mass_kg:.1f} kg of milk, for 100", milk.mass_kg / 100
    ).give_or_take((per_100.sd or 0.0) * milk.mass_kg / 100)


def _setting(
    job: Job,
    milk: VatMilk,
    own: VatMilk,
    calcium_g_per_kg: float,
    *,
    celsius: float | None,
    acid_by: float = 0.0,
) -> Setting | None:
    if celsius is None:
        return None
    return unmeasured(
        job.recipe,
        milk,
        own=own,
        calcium_g_per_kg=calcium_g_per_kg,
        celsius=celsius,
        house=job.house,
        acid_by=acid_by,
    )


def _this_setting(job: Job, milk: VatMilk, own: VatMilk, calcium_g_per_kg: float) -> Setting | None:
    """This milk at renneting, with the maker's own warmth and pH in place of the recipe's.

    A milk whose pH was read is ripened to the pH that the recipe's step waits for, and is dosed for
    it; by the house way it is ripened by the clock, and dosed for where that leads.
    """
    warmth = job.recipe.renneting_c if job.renneting_c is None else job.renneting_c
    setting = _setting(job, milk, own, calcium_g_per_kg, celsius=warmth, acid_by=acid_shift(job))
    if setting is None:
        return None
    rennet = job.recipe.ingredient("rennet")
    if rennet is not None:
        setting = replace(setting, rennet=job.bottle(rennet).sort)
    if job.renneting_ph is not None:
        return replace(setting, ph=job.renneting_ph)
    if milk.ph is None:
        return setting
    goal = goal_of(job)
    if goal is None or job.ways.ripen == "by_clock":
        return replace(setting, ph=milk.ph - sours_by(job.recipe, own, job.house))
    return replace(setting, ph=min(milk.ph, goal.target))


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
    taught = job.learnt.makes >= house.number("rennet.learn_least")
    tested = "rennet.band_learnt" if taught else "rennet.band_tested"
    key = tested if job.milk.ph else "rennet.band_untested"
    band = house.number(key)
    if any(each.stage in ("early", "late") for each in job.milk.pours):
        band += house.number("rennet.band_lactation")
    floc = flocculation(worked.imcu_per_kg, setting, house)
    written = flocculation(theirs, reference, house)
    usual = cut_multiplier(frame.milk, job.recipe.cut_multiplier or 0.0, house, own=frame.milk)
    return SetTimes(
        flocculation=floc.give_or_take(band / 2 * floc.value),
        cut=_cut(floc, worked.cut).give_or_take(band / 2 * floc.value * worked.cut.value),
        band=band,
        written_flocculation=written,
        written_cut=_cut(written, usual),
        imcu_per_kg=worked.imcu_per_kg,
        multiplier=worked.cut,
        holds=edge_words(setting, house) is None,
    )


def _cut(floc: Figure, times: Figure) -> Figure:
    return floc.times(f"wait × {times.value:.3g} for the cut", times.value, of=times.because)


def _firm_ph(each: Setting, this: Setting, house: House) -> float | None:
    """The pH a set firms at; a recipe that names none is as its milk usually is, once this milk's
    was read."""
    if this.ph is None:
        return None
    return usual_ph(each.milk.casein_shares(), house) if each.ph is None else each.ph


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
        end = firmness_end(
            each.milk, each.calcium_g_per_kg, house, ph=_firm_ph(each, setting, house)
        )
        rate = pace(floc, each.milk, house)
        curves.append(tuple((t, firmness(t, floc, end, rate)) for t in minutes))
        at_cut.append(firmness(cut, floc, end, rate))
    against = at_cut[1] / at_cut[0]
    return Firmness(recipe=curves[0], this=curves[1], against=against, words=firm_words(against))
