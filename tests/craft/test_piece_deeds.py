"""The door of a piece: its number, what is asked, what is refused; folding; nobody else's plan."""

from dataclasses import replace
from datetime import date, datetime, time, timedelta

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from openpail.craft.cave.care import care_plan
from openpail.craft.cave.checks import Guarded, PieceBounds, check
from openpail.craft.cave.course import from_json, later, to_json
from openpail.craft.cave.deeds import (
    PIECE_DEEDS,
    Cared,
    CutUp,
    EarlyTaste,
    MovedTo,
    Opened,
    Out,
    PieceAmended,
    PieceUndone,
    Sealed,
    Seen,
    WeighedAgain,
    read_deed,
)
from openpail.craft.cave.fold import fold, parts_begun
from openpail.craft.cave.keep import Facts
from openpail.craft.cave.seal import gate
from openpail.craft.cave.signs import SIGNS, spotted
from openpail.craft.deed import to_payload
from openpail.craft.errors import CraftError, NotPossible, OutOfRange
from openpail.craft.marks import Mark
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Recipe
from tests.support import RECIPES
from tests.support.resting import ZONE, around, begun, resting, told

DAY = date(2026, 4, 1)
LARDER, DAPPLE, HATCH = RECIPES["larder-block"], RECIPES["dapple"], RECIPES["hatch"]
BLUE, GATEPOST, FOLD = RECIPES["tarrow-blue"], RECIPES["gatepost"], RECIPES["fold-white"]
recipes = st.sampled_from(sorted(RECIPES.values(), key=lambda recipe: recipe.key))
AT = datetime(2026, 4, 1, 17, 0, tzinfo=ZONE)


def on(days):
    return DAY + timedelta(days=days)


# ── the door of the craft ──


def bounds(recipe=LARDER, deeds=(), today=DAY, label="37-2", **more):
    begin = begun(recipe, DAY)
    standing = fold(deeds, begin)
    piece = resting(recipe, DAY, deeds)
    of = around(today)
    now = datetime.combine(today, time(18), ZONE)
    laid = datetime.combine(DAY, time(8), ZONE)
    guard = more.pop("guard", Guarded(False, 99))
    plan = care_plan(piece, of)
    return PieceBounds(
        label=label,
        name=recipe.name,
        piece=piece,
        plan=plan,
        standing=standing,
        around=of,
        now=now,
        laid_at=laid,
        guard=guard,
        **more,
    )


def refuse(deed, recipe=LARDER, deeds=(), today=DAY, amends=None, at=None, **more):
    """Raises what the craft says against a deed."""
    held = bounds(recipe, deeds, today, **more)
    check(deed, at or held.now, amends, held)


def said_of(deed, **more):
    with pytest.raises(CraftError) as refused:
        refuse(deed, **more)
    return refused.value


NAMED = (
    MovedTo(label="36-2", place="cave", shelf=0, stage="cave"),
    Sealed(label="36-2", how="wrap"),
    Opened("36-2"),
    CutUp(label="36-2", kgs=(1.0, 1.0), places=("fridge", "fridge")),
    Out(where="sold", label="36-2"),
)


@pytest.mark.parametrize("deed", NAMED)
def test_another_cheeses_number_is_refused_and_told_whose_it_is(deed):
    found = said_of(deed, whose=lambda label: "a Hatch, in warm cupboard")
    assert found.about == "label" and "36-2 is a Hatch" in found.words and "37-2" in found.words
    assert "No cheese is called" in said_of(replace(deed, label="99-9")).words
    assert "Read the number" in said_of(replace(deed, label=" ")).words


def moved(stage="cave", place="cave", word="", label="37-2"):
    return MovedTo(label=label, place=place, shelf=0, stage=stage, by="typed", word=word)


@pytest.mark.parametrize(
    ("deed", "more", "words"),
    [
        (moved(), {"today": on(1)}, "3 days early"),
        (moved(), {"today": on(4)}, ""),
        (moved(), {"today": on(9)}, "5 days late"),
        (moved(place="warm cupboard"), {"today": on(4)}, "has it in cave"),
        (moved("", "fridge"), {"today": on(2)}, "has it in cool room until"),
        (moved(), {"today": on(4), "left": lambda place: 0}, "no room left in cave"),
        (moved("", "freezer"), {"today": on(2)}, "crumbling"),
        (moved("warm", "warm cupboard"), {"recipe": HATCH, "today": on(12)}, ""),
        (moved("cave"), {"recipe": HATCH, "today": on(12)}, "warm cupboard before that"),
        (moved(), {"deeds": [told(Seen("dry", 3), on(1))], "today": on(1)}, ""),
        (moved(), {"deeds": [told(Seen("dry", 1), on(2))], "today": on(4)}, "was “damp"),
    ],
)
def test_a_move_that_is_early_late_or_another_is_asked_before_and_kept_with_a_word(
    deed, more, words
):
    if not words:
        refuse(deed, **more)
        return
    found = said_of(deed, **more)
    assert found.about == "word" and words in found.words
    refuse(replace(deed, word="the maker of it said so"), **more)


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        (moved("nowhere"), "no stage of this cheese"),
        (moved("dry"), "in that stage already"),
        (moved("", "cool room"), "lies there already"),
        (moved("", " "), "Say where"),
        (replace(moved("", "cave"), shelf=9), "has 3 shelves"),
        (Cared("cave", "polish"), "no care of this piece"),
        (Seen("moon", 1), "no sign"),
        (Seen("bloom", 9), "pictures"),
        (WeighedAgain(0.0), "Write what is there"),
        (Opened("37-2"), "not sealed"),
        (CutUp(label="37-2", kgs=(1.0,), places=("cave",)), "two or more"),
        (CutUp(label="37-2", kgs=(1.5, 1.5), places=("cave", "cave")), "there are 2.00 kg"),
        (CutUp(label="37-2", kgs=(1.0, 0.0), places=("cave", "cave")), "a weight and a place"),
        (Out(where="lost", label="37-2"), "Choose what became"),
        (Out(where="sold", kg=2.5, label="37-2"), "up to 2.00 kg"),
        (Out(where="sold", to="x" * 400, label="37-2"), "At most 300"),
        (Sealed(label="37-2", how="oil", rind=3), "No oil on this cheese"),
    ],
)
def test_what_cannot_be_is_refused_and_no_word_gets_around_it(deed, words):
    assert words in said_of(deed, today=on(2)).words
    if hasattr(deed, "word"):
        again = replace(deed, word="it is so, the maker says")
        assert words in said_of(again, today=on(2)).words


@pytest.mark.parametrize(
    ("deed", "more", "words"),
    [
        (Sealed(label="37-2", how="bag", rind=2), {}, "tacky"),
        (Sealed(label="37-2", how="wax", rind=1), {}, "damp"),
        (Sealed(label="37-2", how="bag"), {}, "Feel the rind first"),
        (Sealed(label="37-2", how="bag", rind=3), {}, "7 days, at 3 °C (37 °F)"),
        (Sealed(label="37-2", how="wrap"), {}, ""),
        (Sealed(label="37-2", how="wax", rind=3), {"recipe": DAPPLE}, "rind lives"),
        (Sealed(label="37-2", how="foil"), {"recipe": DAPPLE}, ""),
        (
            Sealed(label="37-2", how="wax", rind=3),
            {"recipe": HATCH, "today": on(3)},
            "warm room is not over",
        ),
        (WeighedAgain(2.1), {}, "does not grow heavier"),
        (WeighedAgain(1.2), {}, "40 % less"),
        (WeighedAgain(1.6), {"expects_kg": 2.4}, "About 2.40 kg"),
        (WeighedAgain(1.9), {"expects_kg": 1.95}, ""),
        (CutUp(label="37-2", kgs=(0.9, 0.9), places=("cave", "cave")), {}, "10 % of it"),
        (CutUp(label="37-2", kgs=(1.0, 0.98), places=("cave", "cave")), {}, ""),
        (Seen("bag", 2), {}, "Gas"),
        (Seen("strange", 3), {}, "discard"),
        (Seen("strange", 1), {}, ""),
        (
            Cared("cave", "pierce"),
            {"recipe": BLUE, "deeds": [told(Seen("blue", 0), on(1))], "today": on(2)},
            "No blue",
        ),
        (Cared("cave", "taste"), {"today": on(2)}, "Its plan has that on"),
        (Cared("dry", "turn-dry"), {"today": on(2)}, ""),
    ],
)
def test_what_is_far_from_expected_is_asked_and_kept_with_a_word(deed, more, words):
    if not words:
        refuse(deed, **more)
        return
    assert words in said_of(deed, **more).words
    refuse(replace(deed, word="looked at twice, it is so"), **more)


def test_a_seal_is_no_care_to_tick_off_so_that_nobody_walks_around_the_gate():
    wheel, more = RECIPES["steading-wheel"], {"today": on(63)}
    bag = Cared("keep", "bag", "it was dry, I am sure")
    assert "on its own page" in said_of(bag, recipe=wheel, **more).words
    assert "on its own page" in said_of(Cared("wrap", "wrap"), recipe=DAPPLE, **more).words


def test_nothing_happens_to_a_piece_that_is_gone_ahead_of_time_or_before_it_was_there():
    gone = [told(Out(where="eaten"), on(3))]
    assert "gone already" in said_of(WeighedAgain(1.0), deeds=gone, today=on(4)).words
    late = AT + timedelta(days=30)
    assert "not happened yet" in said_of(WeighedAgain(1.9), at=late).words
    early = AT - timedelta(days=2)
    assert "not laid down" in said_of(WeighedAgain(1.9), at=early).words


def test_a_slip_is_taken_back_at_once_and_what_is_long_told_with_a_word():
    done = told(Out(where="eaten"), on(3), name="x")
    held = {"deeds": [done], "amends": "x"}
    refuse(
        PieceUndone(),
        **held,
        today=on(3),
        told_at={"x": datetime.combine(on(3), time(17, 55), ZONE)},
    )
    assert "more than ten minutes" in said_of(PieceUndone(), **held, today=on(4)).words
    refuse(PieceUndone("it was the wheel beside it"), **held, today=on(4))
    assert "not in the record" in said_of(PieceUndone(), amends="y").words
    mend = PieceAmended({"at": (AT + timedelta(days=1)).isoformat()})
    refuse(mend, deeds=[told(WeighedAgain(1.9), on(3), name="w")], amends="w", today=on(3))
    far = PieceAmended({"at": (AT + timedelta(days=9)).isoformat()})
    assert (
        "Look at the time"
        in said_of(
            far, deeds=[told(WeighedAgain(1.9), on(3), name="w")], amends="w", today=on(3)
        ).words
    )


@pytest.mark.parametrize("rind", [None, 0, 1, 2])
@pytest.mark.parametrize("how", ["bag", "wax", "cloth"])
def test_the_gate_never_misses_a_rind_that_is_not_touch_dry(how, rind):
    known = Facts(ph=4.4, moisture=0.4)
    assert gate(how, rind, LARDER, stage=1, facts=known, has_bloom=False)
    assert not gate(how, 3, LARDER, stage=1, facts=known, has_bloom=False)
    with pytest.raises(NotPossible):
        gate("oil", 3, LARDER, stage=1, facts=Facts(ph=5.0, moisture=0.6), has_bloom=False)


SOFT, SLOW = Mark(key="raw-soft", words="x"), Mark(key="slow-acid", words="x")


@pytest.mark.parametrize(
    ("guard", "where", "words"),
    [
        (Guarded(True, 0), "sold", "day 0 of 60"),
        (Guarded(True, 59), "eaten", "day 59 of 60"),
        (Guarded(True, 60), "sold", ""),
        (Guarded(False, 0), "sold", ""),
        (Guarded(True, 0), "thrown", ""),
        (Guarded(True, 90, (SOFT,)), "sold", "law that allows"),
        (Guarded(False, 90, (SLOW,)), "given", "acid was slow"),
        (Guarded(False, 0, (SLOW,)), "thrown", ""),
    ],
)
def test_what_speaks_against_a_piece_leaving_asks_for_a_word(guard, where, words):
    said = guard.words(where)
    assert (words in said) if words else said == ""
    out = Out(where=where, to="a neighbour", label="37-2")
    if words:
        with pytest.raises(OutOfRange, match="Write why"):
            refuse(out, guard=guard, today=on(90))
        refuse(replace(out, why="the inspector allows it"), guard=guard, today=on(90))
    else:
        refuse(out, guard=guard, today=on(90))


def test_what_is_barred_leaves_for_nobody_by_no_word_and_what_has_left_is_told_as_it_was():
    bar = Guarded(False, 90, (SLOW, Mark(key="residue", words="x")))
    out = Out(where="sold", to="the inn", label="37-2", why="a very good reason indeed")
    held = bounds(today=on(90), guard=bar)
    for deed in (out, replace(out, where="eaten"), EarlyTaste("right", word="only a crumb")):
        with pytest.raises(NotPossible, match="residue was found"):
            check(deed, held.now, None, held)
    check(out, held.now - timedelta(days=2), None, held)
    check(replace(out, where="thrown"), held.now, None, held)


def test_a_cheese_that_leaves_before_its_days_or_its_salt_is_asked_about():
    sold = Out(where="sold", to="the inn", label="37-2")
    said_young = said_of(sold, recipe=BLUE, today=on(5)).words
    assert "It is on day 5; its plan has it ready from" in said_young
    assert "Not all of its salt" in said_young
    refuse(replace(sold, why="the inn wants it so young"), recipe=BLUE, today=on(5))
    refuse(replace(sold, where="thrown"), recipe=BLUE, today=on(5))
    assert "ready from" in said_of(sold, today=on(40)).words
    refuse(sold, today=on(90))


def test_a_seal_before_its_time_or_over_a_crack_is_asked_about():
    wax = Sealed(label="37-2", how="wax", rind=3)
    waxed = [(s, c) for s in LARDER.stages for c in s.cares if kind_of(c) == "wax"]
    sealed = replace(wax, how="wax" if waxed else "bag")
    assert "cracked" in said_of(replace(sealed, rind=4), today=on(60)).words
    planned = next(
        (r, c)
        for r in RECIPES.values()
        for s in r.stages[1:]
        for c in s.cares
        if kind_of(c) in ("wax", "bag", "cloth")
    )
    recipe, care = planned
    early = Sealed(label="37-2", how=kind_of(care), rind=3)
    assert "Its plan has it" in said_of(early, recipe=recipe, today=on(1)).words


def test_spots_on_a_moist_unripened_cheese_stop_it_for_good_and_on_a_rind_they_do_not():
    curd, spots = RECIPES["bench-curd"], Seen("strange", 1)
    assert "discard it" in said_of(spots, recipe=curd, today=on(1)).words
    refuse(spots, today=on(30))  # on a rind: brushed off
    seen = [told(spots, on(1)), told(Seen("strange", 0), on(2))]
    course = fold(seen, begun(curd, DAY)).course
    (mark,) = spotted(curd, course, "37-2")
    assert mark.key == "spots" and spotted(LARDER, course, "37-2") == ()
    assert from_json(to_json(course)) == course
    assert fold(seen[1:], begun(curd, DAY)).course.spotted_on is None


# ── folding ──

DEEDS = st.one_of(
    st.builds(Cared, st.sampled_from(["dry", "cave"]), st.sampled_from(["turn-dry", "taste"])),
    st.builds(Seen, st.sampled_from(sorted(SIGNS)), st.integers(0, 2)),
    st.builds(WeighedAgain, st.floats(0.5, 1.9)),
    st.builds(
        MovedTo,
        label=st.just("1-1"),
        place=st.sampled_from(["cave", "fridge"]),
        shelf=st.integers(0, 3),
    ),
    st.builds(
        MovedTo,
        label=st.just("1-1"),
        place=st.just("cave"),
        shelf=st.just(0),
        stage=st.just("cave"),
    ),
    st.builds(Sealed, label=st.just("1-1"), how=st.sampled_from(["bag", "wrap"])),
    st.builds(Opened, st.just("1-1")),
    st.builds(EarlyTaste, st.sampled_from(["young", "right", "past"])),
    st.builds(Out, where=st.just("sold"), to=st.just("the inn"), kg=st.floats(0.01, 0.4)),
    st.just(CutUp(label="1-1", kgs=(0.3, 0.2), places=("cave", "fridge"))),
)


@given(st.lists(DEEDS, max_size=12), st.randoms(), st.data())
def test_deeds_in_any_order_with_repeats_come_to_the_same_and_weights_add_up(deeds, chance, data):
    story = [told(deed, on(n), n, name=f"d{n}") for n, deed in enumerate(deeds)]
    for number in data.draw(st.sets(st.integers(0, 11), max_size=3)):
        if number < len(deeds):
            story.append(told(PieceUndone("x"), on(20), number, f"d{number}", f"u{number}"))
    mixed = story * 2
    chance.shuffle(mixed)
    begin = begun(LARDER, DAY)
    at = fold(story, begin)
    assert fold(mixed, begin) == at
    assert from_json(to_json(at.course)) == at.course
    assert later(later(at.course, 9), -9) == at.course
    gone = sum(each.kg for each in at.gone)
    assert at.left_kg + gone + at.dried_kg + at.cut_kg == pytest.approx(2.0)
    for each in at.told:
        assert read_deed(each.deed.kind, to_payload(each.deed)) == each.deed


@pytest.mark.parametrize("kind", sorted(PIECE_DEEDS))
def test_a_deed_from_plain_data_is_read_whole_or_refused(kind):
    with pytest.raises(CraftError):
        read_deed(kind, {"strange": 1})
    for payload in ({"kg": "much"}, {"by": "chance"}, {"how": "string"}, {"step": True}):
        with pytest.raises(CraftError):
            read_deed(kind, payload)
    with pytest.raises(CraftError, match="no deed"):
        read_deed("eaten", {})


def test_a_mended_time_moves_the_deed_and_what_hangs_on_it():
    move = told(MovedTo(label="9-1", place="warm cupboard", shelf=0, stage="warm"), on(9), name="m")
    change = told(PieceAmended({"at": told(move.deed, on(12)).at.isoformat()}), on(13), 1, "m")
    assert resting(HATCH, DAY, [move, change]).course.begins(1) == on(12)
    undone = told(PieceUndone(), on(14), 2, change.id)
    assert resting(HATCH, DAY, [move, change, undone]).course.begins(1) == on(9)


def test_the_parts_of_a_wheel_go_on_in_its_stage_each_in_its_own_place():
    move = told(MovedTo(label="1-1", place="cave", shelf=0, stage="cave"), on(4))
    cut = told(CutUp(label="1-1", kgs=(1.2, 0.7), places=("cave", "fridge")), on(90), name="c")
    whole = fold([move, cut], begun(LARDER, DAY))
    parts = parts_begun(cut, whole, ZONE)
    assert [kg for kg, _ in parts] == [1.2, 0.7] and whole.left_kg == 0 and whole.ended_at
    assert [course.now.place for _, course in parts] == ["cave", "fridge"]
    assert all(course.stage == 1 and course.cut_on == on(90) for _, course in parts)
    piece = replace(resting(LARDER, DAY), course=parts[1][1])
    assert care_plan(piece, around(on(90))).eat_by == on(90 + 21)


# ── no cheese on another's calendar ──


class Shelf(RuleBasedStateMachine):
    """Three sisters; whatever is done to one, the plans of the others stay as they were."""

    @initialize(recipe=recipes)
    def lay_down(self, recipe):
        self.recipe: Recipe = recipe
        self.deeds = {label: [] for label in ("5-1", "5-2", "5-3")}
        self.today, self.number = DAY, 0

    def plans(self):
        of = around(self.today)
        return {k: care_plan(resting(self.recipe, DAY, d), of) for k, d in self.deeds.items()}

    @rule(days=st.integers(1, 15))
    def time_goes_on(self, days):
        self.today += timedelta(days=days)

    @rule(label=st.sampled_from(["5-1", "5-2", "5-3"]), deed=DEEDS, told_as=st.booleans())
    def something_is_done(self, label, deed, told_as):
        stages = [stage.key for stage in self.recipe.stages]
        course = resting(self.recipe, DAY, self.deeds[label]).course
        if isinstance(deed, MovedTo) and deed.stage:
            assume(course.stage + 1 < len(stages))
            deed = replace(deed, stage=stages[course.stage + 1], place="cave")
        before = self.plans()
        said = label if told_as else "9-9"
        if hasattr(deed, "label"):
            deed = replace(deed, label=said)
        if hasattr(deed, "word"):
            deed = replace(deed, word="it is so, and told")
        held = bounds(self.recipe, self.deeds[label], self.today, label)
        self.number += 1
        try:
            check(deed, held.now, None, held)
        except CraftError:
            assert self.plans() == before  # what is refused leaves no trace
            return
        assert not hasattr(deed, "label") or deed.label == label
        self.deeds[label].append(told(deed, self.today, self.number))
        after = self.plans()
        assert all(after[other] == before[other] for other in self.deeds if other != label)

    @invariant()
    def nothing_is_due_before_there_is_a_cheese_or_after_it_is_eaten(self):
        for plan in self.plans().values():
            assert all(care.due >= DAY for care in plan.cares)
            assert all(care.due <= max(plan.eat_by, self.today) for care in plan.cares)
            assert plan.ready_from <= plan.ready_until


TestShelf = Shelf.TestCase
TestShelf.settings = settings(max_examples=25, stateful_step_count=12, deadline=None)
