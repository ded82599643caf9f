"""What a card became, in short: what a cheesemaker would say that it means."""

from openpail.formats.recipe_text import UnderstoodText


def told(found: UnderstoodText) -> str:
    """Milk, what goes in, the make, ripening, the whole; `~` marks what the card does not say."""
    recipe, usual = found.recipe, set(found.usual)

    def mark(place):
        return "~" if {place, place.partition("/")[0]} & usual else ""

    def band(each):
        return "" if each is None else f" {each.target:.4g}"

    milks = [
        f"{part.volume_l:.4g} L {part.breed.partition('_')[0]} {part.stream} {part.treatment}"
        for part in recipe.reference
    ]
    things = []
    for each in recipe.ingredients:
        part = f" in {each.portions}" if each.portions > 1 else ""
        sort = f" {each.product.sort}" if each.product.sort else ""
        basis = "" if each.basis == "batch" else f" of {each.basis.removeprefix('percent_of_')}"
        things.append(
            f"{mark(f'ingredients/{each.key}')}{each.product.kind}{sort} "
            f"{each.amount:.3g} {each.unit}{basis}{part}"
        )
    steps = []
    for step in recipe.steps:
        said = f"{mark(f'steps/{step.key}')}{step.kind}"
        said += "".join(f" {key}" for key in step.adds)
        said += band(step.celsius) and f" {step.celsius.target:.4g}°"
        said += "" if f"steps/{step.key}/minutes" in usual else f" {step.minutes:.4g}'"
        said += band(step.ph) and f" pH{band(step.ph)}"
        said += f" {step.cut_mm:.3g} mm" if step.cut_mm else ""
        said += f" {step.load_kg:.3g} kg" if step.load_kg else ""
        said += f" {step.brine_pct:.3g} %" if step.brine_pct else ""
        said += f" {step.share:.2f} of it" if step.share else ""
        said += f" × {step.times}" if step.times > 1 else ""
        said += {"cut": " till it breaks", "flocculation": " by the flocks"}.get(step.clock, "")
        steps.append(said)
    places = []
    for stage in recipe.stages:
        said = f"{mark(f'stages/{stage.key}')}{stage.place}{band(stage.celsius)}°"
        said += f"{band(stage.humidity_pct)} %" if stage.humidity_pct else ""
        said += f" brine {stage.brine_pct:g} %" if stage.brine_pct else ""
        said += f" {stage.days} d"
        cares = []
        for care in stage.cares:
            often = "once" if care.matters == "once" else f"every {care.every_days}"
            often += f" × {care.times_a_day}" if care.times_a_day > 1 else ""
            since = f" from {care.from_day}" if care.from_day else ""
            place = f"stages/{stage.key}/cares/{care.key}"
            filled = "~" if place in usual and "stages" not in usual else ""
            cares.append(f"{filled}{care.kind or care.words} {often}{since}")
        places.append(said + "".join(f", {each}" for each in cares))
    whole = [f"{mark('family')}{recipe.family}"]
    if recipe.cut_multiplier and "cut_multiplier" not in usual:
        whole.append(f"flocks × {recipe.cut_multiplier:g}")
    if recipe.eat_by_days:
        whole.append(f"{mark('eat_by_days')}keeps {recipe.eat_by_days}")
    rows = [
        ("milk", milks),
        ("in", things),
        ("make", steps),
        ("ripens", places),
        ("whole", whole),
    ]
    return "\n".join(f"{name}: {' · '.join(said)}" for name, said in rows if said)
