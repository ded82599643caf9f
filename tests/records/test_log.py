"""The log of deeds through its one door: refusals, repeats, two devices, corrections, lessons."""

import threading
import uuid
from datetime import timedelta
from functools import partial
from itertools import count

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from openpail.craft.errors import NotHere, NotPossible
from openpail.craft.make.deeds import (
    Amended,
    FirstFlocks,
    ReadingTaken,
    StepDone,
    Told,
    Undone,
    Weighed,
    WheyKept,
)
from openpail.craft.sheet.cautions import Caution
from openpail.records.dairy.models import Dairy
from openpail.records.log import samples
from openpail.records.makes import actions as makes
from openpail.records.makes.models import FlocksLesson, WarmingLesson
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from openpail.records.stock.models import Bottle, StockMove
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.log import tell
from openpail.work.make.made import recipe_of, standing_of
from openpail.work.sheet import sheet as sheets
from openpail.work.vat import at_vat as vat
from tests.conftest import NOW

START = NOW - timedelta(minutes=121)


@pytest.fixture
def farm(demo_url):
    with sessions(demo_url)() as session:
        yield session, session.scalar(select(Dairy))


@pytest.fixture
def make(farm):
    return makes.under_way(*farm)[0]


def here(farm, minutes=0.0):
    return Here(*farm, NOW + timedelta(minutes=minutes))


_count = count(1)


def told(deed, minutes=0.0, amends=None, **more):
    more = {"counter": next(_count), **more}
    return Told(
        id=str(uuid.uuid4()),
        deed=deed,
        happened=NOW + timedelta(minutes=minutes),
        amends=amends,
        **more,
    )


def say(farm, make, *deeds, minutes=0.0):
    return tell(here(farm, minutes), make.id, deeds)


def began(farm, key="larder-block"):
    """A make of the house cows' milk, begun now in the jacketed vat."""
    at = here(farm)
    lot = next(each for each in at.waiting if each.name.startswith("House cows"))
    asked = sheets.ask(at, lots=(lot.id,), recipe_key=key, vat_id=at.vats[-1].id)
    return sheets.start(at, asked, "looked at, and wanted today")


def test_a_step_that_two_devices_end_is_done_once_and_takes_the_stock_once(farm, make):
    session, _ = farm
    one, other = (
        told(StepDone(step="set"), -1, device="tablet"),
        told(StepDone(step="set"), 0, device="phone"),
    )
    assert [each.outcome for each in say(farm, make, one)] == ["kept"]
    moves = session.scalars(select(StockMove).where(StockMove.make_id == make.id)).all()
    (answer,) = say(farm, make, other)
    assert answer.outcome == "met" and "was done before" in answer.words
    assert standing_of(here(farm), make).done["set"].id == one.id
    again = session.scalars(select(StockMove).where(StockMove.make_id == make.id)).all()
    assert len(again) == len(moves)


BEFORE_RENNET = ("warm", "culture", "ripen", "calcium")


def test_two_hands_at_one_time_end_a_step_once(demo_url):
    with sessions(demo_url).begin() as session:
        farm = session, session.scalar(select(Dairy))
        make_id = began(farm).id
        first = [told(StepDone(step=key, word="all at once")) for key in BEFORE_RENNET]
        assert {each.outcome for each in tell(here(farm), make_id, first)} == {"kept"}
        sheet = makes.sheet_of(makes.make(*farm, make_id))
        lots = [line.lot for line in sheet.lines if line.kind == "rennet"]
        before = session.get(Bottle, (farm[1].id, uuid.UUID(lots[0]))).left
        dose = next(line.figure.value for line in sheet.lines if line.kind == "rennet")
    outcomes = []

    taps = StepDone(step="rennet", word="as it was")

    def tap():
        with sessions(demo_url).begin() as session:
            at = Here(session, session.scalar(select(Dairy)), NOW)
            outcomes.append(tell(at, make_id, [told(taps)])[0].outcome)

    threads = [threading.Thread(target=tap) for _ in range(4)]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert sorted(outcomes) == ["kept", "met", "met", "met"]
    with sessions(demo_url)() as session:
        lot = session.scalar(select(Bottle).where(Bottle.id == uuid.UUID(lots[0])))
        assert lot.left == pytest.approx(before - dose)


@pytest.mark.parametrize(
    ("deed", "minutes", "words"),
    [
        (StepDone(step="dance"), 0, "no step “dance”"),
        (ReadingTaken(celsius=200.0), 0, "that cold or that hot"),
        (ReadingTaken(ph=99.0), 0, "between 3 and 9"),
        (ReadingTaken(), 0, "Write what was read"),
        (ReadingTaken(note="x" * 501), 0, "At most 500"),
        (ReadingTaken(celsius=31.0), -400 * 1440, "before this make began"),
        (ReadingTaken(celsius=31.0), 30, "not happened yet"),
        (WheyKept(400.0), 0, "up to 52 L"),
        (Weighed(()), 0, "Weigh the cheese"),
        (Weighed((90.0,)), 0, "more cheese than there was milk"),
    ],
)
def test_what_cannot_have_happened_is_refused_at_the_door(farm, make, deed, minutes, words):
    (answer,) = say(farm, make, told(deed, minutes))
    assert answer.outcome == "refused" and words in answer.words


def test_the_doors_json_is_read_as_strictly(client, post, app):
    app.config["WTF_CSRF_ENABLED"] = False
    make = client.get("/vat").headers["Location"].split("/")[-1]

    def send(**deed):
        body = {"deeds": [{"id": str(uuid.uuid4()), "happened": NOW.isoformat(), **deed}]}
        return client.post(f"/makes/{make}/deeds", json=body).get_json()["answers"][0]

    for deed, words in (
        ({"deed": "reading", "payload": {"celsius": "hot"}}, "“hot” is not a number"),
        ({"deed": "reading", "payload": {"celsius": True}}, "is not a number"),
        ({"deed": "reading", "payload": {"celsius": float("nan")}}, "not a number that anybody"),
        ({"deed": "reading", "payload": {"kelvin": 300}}, "“kelvin” does not belong"),
        ({"deed": "sing"}, "“sing” is no deed"),
        ({"deed": "step_done"}, "“step” is not said"),
        ({"deed": "step_done", "payload": {"step": "set"}, "id": "x"}, "This is no id"),
        ({"deed": "reading", "payload": {"ph": 6.5}, "happened": "soon"}, "ISO 8601"),
        ({"deed": "reading", "payload": {"ph": 6.5}, "counter": "1"}, "a whole number"),
        ({"deed": "flocks", "happened": "0001-01-01T00:00:00+14:00"}, "in that year"),
        ({"deed": "flocks", "happened": "2026-05-04T09:00:00"}, "of which zone"),
    ):
        answer = send(**deed)
        assert answer["outcome"] == "refused" and words in answer["words"], deed
    kept = send(deed="reading", payload={"celsius": 31.5, "note": "by the phone"})
    assert kept["outcome"] == "kept" and "by the phone" in client.get(f"/vat/{make}").text
    assert client.post(f"/makes/{make}/deeds", json={"deeds": "all"}).status_code == 400
    assert client.post(f"/makes/{uuid.uuid4()}/deeds", json={"deeds": []}).status_code == 404


def test_a_devices_clock_that_is_off_is_taken_off_each_moment(client, post, app):
    app.config["WTF_CSRF_ENABLED"] = False
    make = client.get("/vat").headers["Location"].split("/")[-1]
    slow = NOW - timedelta(hours=1)
    deed = {
        "id": str(uuid.uuid4()),
        "deed": "reading",
        "payload": {"ph": 6.11},
        "happened": (slow - timedelta(minutes=3)).isoformat(),
    }
    body = {"sent": slow.isoformat(), "device": "phone", "deeds": [deed]}
    assert client.post(f"/makes/{make}/deeds", json=body).get_json()["answers"][0]["words"] == ""
    assert "<b>6.11</b> read at 10:27" in client.get(f"/vat/{make}").text


def test_a_reading_that_amends_and_deeds_at_rest_are_refused_but_mending_is_not(farm, make):
    (kept,) = say(farm, make, told(ReadingTaken(celsius=31.5)))
    (amends,) = say(farm, make, told(ReadingTaken(celsius=32.5), amends=kept.id))
    assert "Only an amendment" in amends.words
    say(farm, make, told(Weighed((1.4, 1.3)), -6))
    assert make.state == "resting"
    (late,) = say(farm, make, told(ReadingTaken(celsius=20.0), 5), minutes=6)
    assert "at rest" in late.words
    (early,) = say(farm, make, told(ReadingTaken(celsius=31.0), -8), minutes=6)
    assert early.outcome == "kept"  # it happened before, and only arrives now
    (again,) = say(farm, make, told(Weighed((2.0,)), -7))
    assert "weighed already" in again.words
    (mended,) = say(farm, make, told(Amended({"celsius": 32.0}), 5, kept.id), minutes=6)
    assert mended.outcome == "kept"


def test_a_readings_time_is_amended_and_a_wrong_value_cleared(farm, make):
    (kept,) = say(farm, make, told(ReadingTaken(celsius=31.5, ph=6.1, note="both")))
    at = NOW - timedelta(minutes=20)
    change = {"ph": None, "happened": at.isoformat(), "note": "the meter lay dry"}
    (mended,) = say(farm, make, told(Amended(change), 1, kept.id), minutes=2)
    assert mended.outcome == "kept"
    reading = next(r for r in standing_of(here(farm), make).readings if r.id == kept.id)
    assert (reading.celsius, reading.ph, reading.note) == (31.5, None, "the meter lay dry")
    assert reading.at == at and reading.amended
    for wrong, words in (
        ({"celsius": None, "ph": None, "note": None}, "Write what was read"),
        ({"happened": (NOW + timedelta(days=1)).isoformat()}, "not happened yet"),
        ({"step": "set"}, "does not belong"),
        ({}, "Say what is to be mended"),
    ):
        (answer,) = say(farm, make, told(Amended(wrong), 2, kept.id), minutes=2)
        assert answer.outcome == "refused" and words in answer.words


def test_an_undo_has_ten_minutes_is_no_undo_of_an_undo_and_stays_within_its_make(farm, make):
    session, dairy = farm
    (kept,) = say(farm, make, told(ReadingTaken(celsius=31.5)))
    (late,) = say(farm, make, told(Undone(), 11, kept.id), minutes=11)
    assert "amend it instead" in late.words
    old = makes.make(session, dairy, makes.all_makes(session, dairy)[-1].id)
    assert say(farm, old, told(Undone(), amends=kept.id))[0].outcome == "unknown"
    (undo,) = say(farm, make, told(Undone(), 9, kept.id), minutes=9)
    assert undo.outcome == "kept"
    (twice,) = say(farm, make, told(Undone(), 9, undo.id), minutes=9)
    assert "taken back already" in twice.words
    (gone,) = say(farm, make, told(Amended({"ph": 6.0}), 9, kept.id), minutes=9)
    assert "nothing to mend" in gone.words
    with pytest.raises(NotHere):
        tell(here(farm), uuid.uuid4(), [])


def test_first_flocks_are_one_deed_that_one_undo_takes_back_lesson_and_all(farm):
    session, _ = farm
    make = began(farm)
    recipe = recipe_of(make)
    upto = [step.key for step in recipe.steps][: [s.key for s in recipe.steps].index("flocks")]
    steps = [told(StepDone(step=key, word="all at once"), 30) for key in upto]
    say(farm, make, told(ReadingTaken(celsius=31.0), 30), *steps, minutes=30)
    flocks = told(FirstFlocks(), 44)
    say(farm, make, flocks, minutes=44)
    assert day_of(here(farm, 44), make).current.planned.step.key == "set"
    lesson = session.scalar(select(FlocksLesson).where(FlocksLesson.make_id == make.id))
    assert lesson.observed_min == pytest.approx(14)
    later = (NOW + timedelta(minutes=41)).isoformat()
    say(farm, make, told(Amended({"happened": later}), 45, flocks.id), minutes=45)
    lesson = session.scalar(select(FlocksLesson).where(FlocksLesson.make_id == make.id))
    assert lesson.observed_min == pytest.approx(11)  # the correction reached it
    say(farm, make, told(Undone(), 46, flocks.id), minutes=46)
    assert day_of(here(farm, 46), make).current.planned.step.key == "flocks"
    assert session.scalar(select(FlocksLesson).where(FlocksLesson.make_id == make.id)) is None


def test_a_correction_of_a_temperature_reaches_what_the_vat_has_shown(farm, make):
    session, _ = farm

    def shown():
        return session.scalars(
            select(WarmingLesson.to_c).where(WarmingLesson.make_id == make.id)
        ).one()

    readings = standing_of(here(farm), make).readings
    warm = [each for each in readings if each.celsius is not None][2]
    before = shown()
    say(farm, make, told(Amended({"celsius": warm.celsius + 1}), 0, warm.id))
    assert shown() == pytest.approx(before + 1)


def test_whey_that_was_kept_by_mistake_is_taken_back_while_none_was_used(farm, make):
    session, _ = farm
    kept = told(WheyKept(12.0))
    say(farm, make, kept)
    lot = session.get(MilkLot, (make.dairy_id, uuid.UUID(kept.id)))
    assert lot.volume_l == 12 and lot.make_id == make.id
    say(farm, make, told(Undone(), 1, kept.id), minutes=1)
    assert milk.whey_of(session, farm[1], make) is None
    again = told(WheyKept(11.0), 1)
    say(farm, make, again, minutes=1)
    lot = session.get(MilkLot, (make.dairy_id, uuid.UUID(again.id)))
    milk.send_elsewhere(session, lot, "fed", litres=2.0, now=NOW)
    with pytest.raises(NotPossible, match="was used already"):
        say(farm, make, told(Undone(), 2, again.id), minutes=2)


@pytest.mark.parametrize("hard", [True, False])
def test_a_stop_stands_below_every_door(farm, make, hard):
    session, dairy = farm
    at = here(farm)
    lot = next(each for each in at.waiting if each.name.startswith("House cows"))
    sheet = makes.sheet_of(make)
    stop = Caution(
        key="unfit",
        level="stop",
        title="Not for cheese.",
        words="The animal is on withdrawal.",
        hard=hard,
    )
    stopped = type(sheet)(
        **{**{n: getattr(sheet, n) for n in sheet.__dataclass_fields__}, "cautions": (stop,)}
    )
    version = recipes.newest_of(session, dairy, "larder-block")
    begin = partial(
        makes.start,
        session,
        dairy,
        version,
        vat=at.vats[-1],
        draws=[milk.all_of(lot)],
        sheet=stopped,
        house=at.house,
        now=NOW,
    )
    for why in ("", "because I want it", "short") if hard else ("", "short"):
        with pytest.raises(NotPossible, match="withdrawal" if hard else "Write why"):
            begin(note=why)
    if not hard:
        assert begin(note="the vet was here and let it go").note


def test_milk_on_withdrawal_goes_into_no_vat_whatever_its_sheet_says(farm, make):
    session, dairy = farm
    at = here(farm)
    lot = next(each for each in at.waiting if each.name.startswith("House cows"))
    lot.withdrawal = True
    version = recipes.newest_of(session, dairy, "larder-block")
    with pytest.raises(NotPossible, match="withdrawal"):
        makes.start(
            session,
            dairy,
            version,
            vat=at.vats[-1],
            draws=[milk.all_of(lot)],
            sheet=makes.sheet_of(make),
            house=at.house,
            now=NOW,
            note="all the same, I say",
        )


def test_a_probes_stream_is_kept_whole_drawn_few_and_harmless_twice(farm, make):
    session, _ = farm
    values = [
        samples.Sampled(START + timedelta(seconds=15 * n), 20 + 0.02 * n, 6.6) for n in range(480)
    ]
    assert samples.take(session, make, "vat", values) == 480
    assert samples.take(session, make, "vat", values[100:300]) == 0
    drawn = samples.drawn(session, make, START)
    assert len(drawn) <= 26 and drawn[-1] == values[-1]
    assert samples.newest(session, make.dairy_id, make.id, "vat", 2) == values[-2:]
    assert list(drawn) == sorted(drawn)
    with pytest.raises(ValueError, match="that cold or that hot"):
        samples.take(session, make, "vat", [samples.Sampled(NOW, 300.0)])


def test_a_make_is_judged_by_the_house_of_its_own_day(farm, make):
    assert vat.at_vat(here(farm), make.id).cautions == ()
    say(farm, make, told(ReadingTaken(ph=6.3), 8 * 60), minutes=8 * 60)
    strict = makes.sheet_of(make)
    assert vat.at_vat(here(farm, 481), make.id).cautions[0].key == "slow-acid"
    loose = strict.house.to_json()
    loose["values"]["slow_acid.stirred_curd.hours"] = 30.0
    changed = type(strict.house).from_json({**loose, "own": ["slow_acid.stirred_curd.hours"]})
    assert changed.number("slow_acid.stirred_curd.hours") == 30
    assert strict.house.number("slow_acid.stirred_curd.hours") < 30


# ── the property ──

KEYS = ("warm", "culture", "ripen", "calcium", "rennet", "flocks", "set", "cut")
taps = st.lists(
    st.one_of(
        st.builds(StepDone, step=st.sampled_from(KEYS)),
        st.just(FirstFlocks()),
        st.floats(20, 40).map(lambda celsius: ReadingTaken(celsius=round(celsius, 1))),
    ),
    min_size=1,
    max_size=10,
)


@st.composite
def days(draw):
    """Deeds of two devices, some undone or amended, as (deed, minute, device, index mended)."""
    found = [(deed, 2 * n, draw(st.sampled_from("ab")), None) for n, deed in enumerate(draw(taps))]
    for n in range(draw(st.integers(0, 4))):
        target = draw(st.integers(0, len(found) - 1))
        if not isinstance(found[target][0], Amended | Undone):
            minute = 40 + n
            change = {"happened": (NOW + timedelta(minutes=draw(st.integers(0, 30)))).isoformat()}
            deed = draw(st.sampled_from([Undone(), Amended(change)]))
            found.append((deed, minute, draw(st.sampled_from("ab")), target))
    return found


@settings(
    max_examples=25,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(days(), st.randoms(use_true_random=False))
def test_deeds_in_any_order_with_repeats_come_to_what_they_come_to_in_order(farm, day, chance):
    session, _ = farm
    session.rollback()
    make = began(farm)
    session.flush()
    ids = [str(uuid.UUID(int=n + 1)) for n in range(len(day))]
    deeds = [
        Told(
            id=ids[n],
            deed=deed,
            happened=NOW + timedelta(minutes=minute),
            amends=None if target is None else ids[target],
            device=device,
            counter=n,
        )
        for n, (deed, minute, device, target) in enumerate(day)
    ]

    def outcome(order, size):
        save = session.begin_nested()
        waiting, at = list(order), Here(session, farm[1], NOW + timedelta(minutes=60))
        while waiting:  # what mends a deed that is not there yet is sent again, as a device would
            batch, waiting = waiting[:size], waiting[size:]
            answers = tell(at, make.id, batch)
            waiting += [d for d, a in zip(batch, answers, strict=True) if a.outcome == "unknown"]
        session.refresh(make)
        lots = {b.id: (b.balance, b.usual, b.opened_on) for b in session.scalars(select(Bottle))}
        taught = session.execute(
            select(FlocksLesson.observed_min).where(FlocksLesson.make_id == make.id)
        ).all()
        found = make.standing, lots, taught
        save.rollback()
        session.expire_all()
        return found

    told_once = [d for d in deeds if not isinstance(d.deed, Amended) or not _undone(d, deeds)]
    inorder = outcome(told_once, len(deeds))
    repeated = told_once + chance.sample(told_once, len(told_once) // 2)
    standing, lots, taught = outcome(chance.sample(repeated, len(repeated)), chance.randint(1, 4))
    met = inorder[0].pop("met"), standing.pop("met")
    assert sorted(met[0]) == sorted(met[1])
    assert standing == inorder[0]
    assert taught == inorder[2]
    for key, (left, usual, opened) in inorder[1].items():
        assert lots[key] == (
            pytest.approx(left) if left is not None else None,
            pytest.approx(usual) if usual is not None else None,
            opened,
        )


def _undone(told, deeds):
    """An amendment of what is undone is refused in one order and kept in another: of no effect."""
    return any(isinstance(d.deed, Undone) and d.amends == told.amends for d in deeds)
