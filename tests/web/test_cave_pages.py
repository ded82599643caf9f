"""The cave in the browser's eyes: places, one piece, rounds, air, what is asked and refused."""

import io
import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import func, select, update

from openpail.craft.cave.deeds import Cared, MovedTo, Seen
from openpail.records.climate.models import AirReading, ClimateDay, ClimateHour
from openpail.records.dairy.models import Dairy, RoomRow
from openpail.records.log.models import DeedRow
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.session import sessions
from openpail.work.cave import ripening
from openpail.work.cave.piece import Telling, one, tell
from openpail.work.cave.ripening import groups, live
from openpail.work.here import Here
from openpail.work.plan.days import cares_by_day
from tests.conftest import NOW
from tests.support.many import copy_of
from tests.web.test_make_day import at
from tests.web.test_mended_and_asked import send


def event():
    return str(uuid.uuid4())


@pytest.fixture
def rows(demo_url):
    with sessions(demo_url)() as session:
        yield session


def of(rows, label):
    """A piece by its number, as it is kept now."""
    rows.expire_all()
    rows.rollback()
    return rows.scalar(select(Piece).where(Piece.label == label))


def act(post, row, what, **told):
    """Something done on the page of a piece, its number read off its label."""
    form = {"event": event(), "label": row.label, "by": "label", "word": "", **told}
    return post(f"/cave/{row.id}/{what}", form, f"/cave/{row.id}")


# ── the board ──


def test_places_are_drawn_with_what_lies_there_and_what_wants_hands(client, post):
    page = client.get("/cave").text
    for words in (
        "Cave",
        "Fridge",
        "Cool room",
        "Freezer",
        "Shelf by the door",
        "room for",
        "86 %",
    ):
        assert words in page, words
    assert page.count('class="on-shelf') == 35 and "14-1" in page
    assert page.count('<symbol id="look-') < 20  # sisters that look alike are drawn once
    due = client.get("/cave?show=due").text
    assert 0 < due.count('class="on-shelf') < 35 and due.count("is-due") == due.count('class="on-')
    alone = client.get("/cave?place=fridge").text
    assert "16-1" in alone and "14-1" not in alone
    assert client.get("/cave?page=-3").status_code == 200


def test_a_cheese_is_found_by_its_number_and_by_its_label_and_by_no_other(client, post, rows):
    row = of(rows, "14-1")
    assert f"/cave/{row.id}?by=typed" in client.get("/cave/find?n=14 -1").headers["Location"]
    wrong = client.get("/cave/find?n=99-1")
    assert wrong.status_code == 404 and "no cheese of that number" in wrong.text
    assert 'value="99-1"' in wrong.text  # nothing typed is lost
    assert client.get(f"/n/14-1/{row.id.hex[:6]}").headers["Location"].endswith("?by=label")
    assert client.get("/n/14-1/ffffff").status_code == 404  # a label of another dairy
    typed, label = (client.get(f"/cave/{row.id}?by={by}").text for by in ("typed", "label"))
    assert "read it off the cheese in your hands" in typed and "Read off its label" in label


# ── one piece ──


def test_a_piece_moved_early_is_asked_before_kept_with_a_word_and_undone(client, post, rows):
    row = of(rows, "13-1")  # it lies in the cave for 70 days
    stage = {"place": "fridge", "stage": "", "shelf": ""}
    asked = act(post, row, "moved", **stage)
    assert asked.status_code == 200 and "Its plan has it in cave until" in asked.text
    assert 'name="word"' in asked.text and of(rows, "13-1").course["lain"][-1][0] == "cave"
    kept = act(post, row, "moved", **stage, word="the cave is washed out today")
    assert kept.status_code == 302 and of(rows, "13-1").course["lain"][-1][0] == "fridge"
    page = client.get(f"/cave/{row.id}").text
    assert "the cave is washed out today" in page and "its label was read" in page
    assert "13-1 is in fridge now" in page  # and the way back beside it
    deed = re.search(r'name="deed" value="([\w-]+)"', page)[1]
    assert post(f"/cave/{row.id}/undo", {"deed": deed, "back": ""}, "/cave").status_code == 302
    assert of(rows, "13-1").course["lain"][-1][0] == "cave"
    assert "taken back" in client.get(f"/cave/{row.id}").text


def test_another_cheeses_number_moves_nothing_and_says_whose_it_is(client, post, rows):
    row = of(rows, "13-1")
    form = {"event": event(), "label": "14-1", "by": "typed", "place": "fridge", "stage": ""}
    found = post(f"/cave/{row.id}/moved", form, f"/cave/{row.id}").text
    assert "14-1 is a Dapple, in cave; this is 13-1, Larder Block" in found
    assert 'value="14-1"' in found and of(rows, "13-1").course["lain"][-1][0] == "cave"
    nobody = post(f"/cave/{row.id}/moved", {**form, "event": event(), "label": ""}, "/cave").text
    assert "Read the number off the cheese" in nobody


def test_a_seal_wants_a_touch_dry_rind_and_is_looked_at_again(client, post, rows):
    row = of(rows, "13-1")
    panel = client.get(f"/cave/{row.id}").text
    for caution in (
        "no water on burning wax",
        "Not over 120 °C",
        "at most 4 days",
        "4 °C or colder",
    ):
        assert caution in panel
    found = act(post, row, "sealed", seal="bag", rind="2").text
    assert "The rind is tacky" in found and re.search(r'<input checked[^>]*value="2"', found)
    soft = of(rows, "17-1")
    found = act(post, soft, "sealed", seal="oil", rind="3", word="we always do it so")
    assert "No oil on this cheese" in found.text
    assert act(post, row, "sealed", seal="wax", rind="3").status_code == 302
    page = client.get(f"/cave/{row.id}").text
    assert "in wax" in page and "Take it out of its wax" in page
    opened = {"event": event()}
    assert post(f"/cave/{row.id}/open", opened, f"/cave/{row.id}").status_code == 302
    assert "Take it out" not in client.get(f"/cave/{row.id}").text


def test_a_wheel_is_cut_into_weighed_parts_and_becomes_whole_again(client, post, rows):
    row = of(rows, "4-1")
    kg = row.left_kg
    for parts, words in (
        ("2 kg cave\n9 kg fridge", "Together they weigh"),
        ("a bit", "like 0.45 kg fridge"),
        ("2 kg", "two or more"),
        ("1 kg cave\n1 kg fridge", "in none of the parts"),
    ):
        assert words in act(post, row, "cut_up", parts=parts).text, parts
    half = kg / 2
    cut = act(post, row, "cut_up", parts=f"{half:.2f} kg\n{half - 0.02:.2f} kg Fridge")
    assert cut.status_code == 302
    whole, first, second = (of(rows, label) for label in ("4-1", "4-1a", "4-1b"))
    assert whole.ended_at and whole.left_kg == 0 and first.parent_id == whole.id
    assert [each.course["lain"][-1][0] for each in (first, second)] == ["cave", "fridge"]
    page = client.get(f"/cave/{whole.id}").text
    assert "4-1a" in page and "Cut off" in client.get(f"/cave/{first.id}").text
    out = act(post, second, "out", where="sold", to="the inn", kg="0.5 kg", why="market day")
    assert out.status_code == 302
    sold = of(rows, "4-1b")
    gone = sum(
        e.mass_kg for e in rows.scalars(select(PieceOut).where(PieceOut.piece_id == sold.id))
    )
    assert sold.left_kg + gone == pytest.approx(sold.mass_kg)
    deed = rows.scalar(select(DeedRow.id).where(DeedRow.deed == "cut_up"))
    undo = {"deed": str(deed), "back": "it was another wheel"}
    assert "stays cut" in post(f"/cave/{whole.id}/undo", undo, f"/cave/{whole.id}").text
    took = rows.scalar(
        select(DeedRow.id).where(DeedRow.subject_id == sold.id, DeedRow.deed == "out")
    )
    post(f"/cave/{sold.id}/undo", {"deed": str(took), "back": ""}, f"/cave/{sold.id}")
    assert of(rows, "4-1b").left_kg == pytest.approx(sold.mass_kg)


def test_what_was_cut_by_a_slip_is_whole_again_while_nobody_touched_a_part(client, post, rows):
    row = of(rows, "2-1")
    act(post, row, "cut_up", parts=f"{row.left_kg / 2:.3f} kg\n{row.left_kg / 2:.3f} kg")
    deed = rows.scalar(select(DeedRow.id).where(DeedRow.deed == "cut_up"))
    post(f"/cave/{row.id}/undo", {"deed": str(deed), "back": ""}, f"/cave/{row.id}")
    assert of(rows, "2-1").ended_at is None and of(rows, "2-1a") is None


def test_a_piece_that_went_by_mistake_comes_back_with_its_cares(client, post, rows, demo_url):
    row = of(rows, "14-2")
    before = row.left_kg
    assert act(post, row, "out", where="eaten", why="we could not wait").status_code == 302
    assert (
        of(rows, "14-2").ended_at
        and ">14-2<" not in client.get("/cave").text.split("Done.")[-1][400:]
    )
    assert "gone already" in act(post, row, "weighed_again", kg="0.2 kg").text
    deed = rows.scalar(
        select(DeedRow.id).where(DeedRow.subject_id == row.id, DeedRow.deed == "out")
    )
    later = at(demo_url, NOW + timedelta(days=1))
    undo = {"deed": str(deed), "back": ""}
    assert "more than ten minutes" in send(later, f"/cave/{row.id}/undo", undo, "/cave").text
    undo["back"] = "it was the wheel beside it"
    assert send(later, f"/cave/{row.id}/undo", undo, "/cave").status_code == 302
    assert of(rows, "14-2").ended_at is None and of(rows, "14-2").left_kg == before
    assert "14-2" in later.get("/cave").text


def test_the_thumb_moves_the_window_of_its_sisters_too_when_they_were_looked_at(client, post, rows):
    row = of(rows, "14-1")
    before = client.get(f"/cave/{of(rows, '14-3').id}").text
    step = {"sign": "thumb", "step": "3", "sisters": "y"}
    assert act(post, row, "seen", **step).status_code == 302
    page = client.get(f"/cave/{row.id}").text
    assert "the thumb went to the centre" in page and "gives to the centre" in page
    assert client.get(f"/cave/{of(rows, '14-3').id}").text != before
    assert of(rows, "14-3").course["seen"]["thumb"] == of(rows, "14-1").course["seen"]["thumb"]
    alone = act(post, of(rows, "16-1"), "seen", sign="thumb", step="1")
    assert alone.status_code == 302 and "thumb" not in of(rows, "16-2").course.get("seen", {})
    assert "Choose which of the pictures" in act(post, row, "seen", sign="thumb", step="").text


def test_weights_and_tastes_are_kept_asked_when_odd_and_drawn(client, post, rows):
    row = of(rows, "8-1")
    before = row.left_kg
    assert "does not grow heavier" in act(post, row, "weighed_again", kg="5 kg").text
    assert act(post, row, "weighed_again", kg=f"{before - 0.1:.2f} kg").status_code == 302
    assert of(rows, "8-1").left_kg == pytest.approx(before - 0.1, abs=0.006)
    assert (
        act(post, row, "early_taste", ripe="young", words="chalk at the heart").status_code == 302
    )
    page = client.get(f"/cave/{row.id}").text
    assert "it tasted young" in page and "chalk at the heart" in page and 'class="loss"' in page
    mend = rows.scalar(select(DeedRow.id).where(DeedRow.deed == "early_taste"))
    when = {"deed": str(mend), "event": event(), "happened": "2026-05-03 12:00"}
    assert post(f"/cave/{row.id}/when", when, f"/cave/{row.id}").status_code == 302
    assert of(rows, "8-1").course["ripe_on"] == "2026-05-03"
    wrong = {**when, "event": event(), "happened": "2031-05-03 12:00"}
    assert "Look at the time" in post(f"/cave/{row.id}/when", wrong, f"/cave/{row.id}").text


# ── rounds ──


def turned(here):
    """The largest group of cheeses that want to be turned today."""
    due = groups(here, live(here), NOW.date() - timedelta(90), NOW.date())
    turns = [each for each in due if each.care.kind == "turn"]
    return max(turns, key=lambda each: len(each.pieces))


def test_forty_are_turned_in_one_tap_and_one_of_them_is_taken_back(
    client, post, rows, farm, demo_url
):
    few = turned(farm(0))
    with sessions(demo_url).begin() as session:
        row = session.scalar(select(Piece).where(Piece.id == few.pieces[0].row.id))
        session.add_all(copy_of(row, label=f"90-{n}") for n in range(40 - len(few.pieces)))
    here = farm(0)
    here.session.rollback()
    group, place = turned(here), few.place
    assert len(group.pieces) == 40
    page = client.get(f"/cave/round?place={place}").text
    assert page.count('name="ids"') >= 40 and "Done" in page
    batch = event()
    told = {"stage": group.care.stage, "key": group.care.key, "batch": batch, "from": "cave"}
    ids = [str(each.row.id) for each in group.pieces]
    assert post("/cares/done", {**told, "ids": ",".join(ids)}, "/cave").status_code == 302
    done = select(DeedRow).where(DeedRow.deed == "cared", DeedRow.arrived == NOW)
    assert len(rows.scalars(done).all()) == len(ids)
    assert post("/cares/done", {**told, "ids": ",".join(ids)}, "/cave").status_code == 302
    rows.rollback()
    assert len(rows.scalars(done).all()) == len(ids)  # the same tap twice is one
    banner = client.get("/cave").text
    assert "Not all of them" in banner and f'aria-label="Take back {group.labels[0]}"' in banner
    back = {"ids": ids[0], "batch": batch, "from": "cave"}
    assert post("/cares/not-done", back, "/cave").status_code == 302
    here = farm(1)
    due = {
        each.row.label
        for each in live(here)
        for care in each.plan.cares
        if care.name == group.care.name and care.due <= NOW.date()
    }
    assert group.labels[0] in due and not set(group.labels[1:]) & due


def test_those_that_are_picked_go_on_and_the_others_stay(client, post, rows):
    page = client.get("/cave/round?place=cave").text
    assert "Pick each one that is in your hands" in page and "Move it on: box in the fridge" in page
    ids = [str(of(rows, label).id) for label in ("14-1", "14-4")]
    move = {"ids": ids, "batch": event(), "from": "round:cave", "stage": "bloom", "key": "move"}
    assert post("/cave/move", move, "/cave").status_code == 302
    assert of(rows, "14-4").course["lain"][-1][0] == "fridge"
    assert of(rows, "14-2").course["lain"][-1][0] == "cave"
    wrap = {"ids": ids, "stage": "wrap", "key": "wrap", "batch": event(), "from": "cave"}
    assert post("/cares/done", wrap, "/cave").status_code == 302
    assert of(rows, "14-4").course["sealed"] == "wrap"  # paper asks for no gate
    assert "in paper" in client.get(f"/cave/{ids[0]}").text
    assert "last stage" in post("/cave/move", {**move, "batch": event()}, "/cave").text
    assert post("/cave/move", {"batch": event()}, "/cave").status_code == 400


def test_a_care_that_is_far_from_its_plan_is_asked_and_kept_with_a_word(client, post, rows):
    row = of(rows, "13-1")
    told = {"ids": str(row.id), "stage": "cave", "key": "taste", "batch": event(), "from": "cave"}
    asked = post("/cares/done", told, "/cave").text
    assert "Its plan has that on" in asked and "Keep it all the same" in asked
    told["word"] = "the inspector wanted a core"
    assert post("/cares/done", told, "/cave").status_code == 302
    assert "cave/taste" in of(rows, "13-1").course["done"]
    both = ",".join(str(of(rows, label).id) for label in ("13-2", "15-1"))
    asked = post("/cares/done", {**told, "batch": event(), "ids": both, "word": ""}, "/cave").text
    assert "13-2: Its plan has that on" in asked and "15-1: Its plan has that on" in asked
    strange = {**told, "batch": event(), "key": "polish"}
    assert "no care of this piece" in post("/cares/done", strange, "/cave").text


def test_a_helper_may_care_and_a_reader_only_looks(farm, rows):
    here = farm(0)
    row = of(rows, "1-1")
    before = one(here, row.id).plan
    other = one(here, of(rows, "3-1").id).plan
    tell(here, [Telling(piece_id=row.id, deed=Cared("cave", "turn-early"), id=uuid.uuid4())])
    assert one(here, row.id).plan != before and one(here, of(rows, "3-1").id).plan == other
    batch = [
        Telling(piece_id=row.id, deed=Seen("dry", 3), id=uuid.uuid4()),
        Telling(piece_id=row.id, deed=MovedTo(label="9-9", place="x"), id=uuid.uuid4()),
    ]
    with pytest.raises(Exception, match="No cheese is called"):
        tell(here, batch)


def test_the_days_count_what_the_groups_hold(farm):
    here = farm(0)
    until = here.ahead(6)
    named = {}
    for each in groups(here, live(here, until), NOW.date() - timedelta(90), until):
        key = max(each.due, here.today), each.care.words, each.name
        named[key] = named.get(key, 0) + len(each.pieces)
    assert {(e.day, e.words, e.name): e.pieces for e in cares_by_day(here, until)} == named


# ── the air ──


def room(rows, name="cave"):
    return rows.scalar(select(RoomRow).where(RoomRow.name == name))


def test_the_air_is_typed_asked_when_far_and_taken_back(client, post, rows):
    where = f"/cave/places/{room(rows).id}"
    page = client.get(where).text
    assert "Warmth, two weeks" in page and "Not read" in page and "things get wet under" in page
    assert "0 to 100 %" in post(where, {"event": event(), "humidity": "130"}, where).text
    assert (
        "far from what it was last" in post(where, {"event": event(), "celsius": "25"}, where).text
    )
    assert "Write the temperature" in post(where, {"event": event(), "celsius": ""}, where).text
    kept = {"event": event(), "celsius": "12.6", "humidity": "84"}
    assert post(where, kept, where).status_code == 302
    assert "12.6 °C" in client.get(where).text
    count = len(rows.scalars(select(AirReading).where(AirReading.at == NOW)).all())
    assert count == 1
    assert post(f"{where}/not-read", {"at": NOW.isoformat()}, where).status_code == 302
    rows.rollback()
    assert rows.scalars(select(AirReading).where(AirReading.at == NOW)).all() == []


def test_a_loggers_file_with_a_gap_is_kept_once_and_its_gap_is_said(client, post, rows):
    freezer = room(rows, "freezer")
    where = f"/cave/places/{freezer.id}"
    mine = select(func.count()).where(AirReading.room_id == freezer.id)
    before = rows.scalar(mine)
    lines = ["time,temperature"]
    lines += [
        f"2026-05-0{2 + n // 24} {n % 24:02}:05,-18.{n % 9}" for n in range(40) if not 12 <= n < 20
    ]
    lines.append("soon,-18")
    for number, new in ((1, 32), (2, 0)):
        data = {"file": (io.BytesIO("\n".join(lines).encode()), f"air-{number}.csv")}
        page = post(f"{where}/file", data, where).text
        assert f"32 values came, {new} of them new" in page and "1 line of it" in page
        assert "Nothing was read from 2 May 11:05 to 2 May 20:05" in page
    rows.rollback()
    for table in (ClimateHour, ClimateDay):
        kept = rows.scalars(select(table).where(table.room_id == room(rows, "freezer").id))
        assert sum(each.count_c for each in kept) == before + 32
    empty = post(f"{where}/file", {"file": (io.BytesIO(b"a,b\n1,2"), "x.csv")}, where).text
    assert "names its columns" in empty
    ahead = {"file": (io.BytesIO(b"time,temperature\n2027-05-04 06:00,4"), "x.csv")}
    assert "lie ahead of now" in post(f"{where}/file", ahead, where).text


def test_a_place_without_a_logger_says_where_to_write_it(client, post, rows):
    where = f"/cave/places/{room(rows).id}"
    assert "Nobody has said where the logger answers" in post(f"{where}/logger", {}, where).text
    where = f"/cave/places/{room(rows, 'freezer').id}"
    assert "no channel on the logger" in post(f"{where}/logger", {}, where).text
    assert client.get(f"/cave/places/{uuid.uuid4()}").status_code == 404


def test_a_plan_that_was_kept_is_another_as_soon_as_air_house_or_cheese_is(farm, demo_url):
    """Plans are kept between requests by what they follow from: a key of all of it."""

    def plans(**house):
        with sessions(demo_url)() as session:
            here = Here(session, session.scalar(select(Dairy)), NOW, overrides=house)
            return {each.row.label: each.plan for each in live(here)}

    ripening._KEPT.clear()  # other tests of this process may just have filled it
    first = plans()
    assert plans()["13-1"] is first["13-1"]  # asked for again, worked out once
    assert plans(**{"ripen.q10": 4.0})["9-1"] != first["9-1"]
    with sessions(demo_url).begin() as session:
        warm = ClimateDay.sum_c + 6 * ClimateDay.count_c
        session.execute(update(ClimateDay).values(sum_c=warm))
    warmer = plans()
    assert warmer["13-1"].ready_from < first["13-1"].ready_from
    with sessions(demo_url).begin() as session:  # the same sum over other days
        mine = ClimateDay.room_id == room(session, "cave").id
        early, late = session.scalars(
            select(ClimateDay).where(mine).order_by(ClimateDay.day.desc()).limit(2)
        )
        early.sum_c, late.sum_c = early.sum_c - 100, late.sum_c + 100
    assert plans()["13-1"] is not warmer["13-1"]
    here, before = farm(0), plans()
    row = of(here.session, "13-1")
    care = next(each for each in before["13-1"].cares if each.kind == "turn")
    tell(here, [Telling(piece_id=row.id, deed=Cared(care.stage, care.key), id=uuid.uuid4())])
    here.session.commit()
    after = plans()
    assert care.name not in [each.name for each in after["13-1"].cares]
    assert after["13-2"] is before["13-2"]
