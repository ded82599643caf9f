"""A mark is said on every page that its milk or cheese is on, to the label and the sale; a late one
too, with who has of it; and told back, on none."""

import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.make.deeds import ReadingTaken, StepDone
from openpail.records.pieces.models import Piece
from tests.conftest import NOW
from tests.support.makes import send
from tests.web.test_forms import new_lot, start
from tests.web.test_make_day import at
from tests.web.test_mended_and_asked import LARDER, event, rows, told

LATER = NOW + timedelta(days=1)
HARD = "a very good reason, and its word"


def weighed(url, client, make):
    steps = [(StepDone(step=each.key), 5 + n) for n, each in enumerate(LARDER.steps)]
    told(url, make, [*steps, (ReadingTaken(ph=5.4), 400)], NOW + timedelta(hours=7))
    later = at(url, LATER)
    weigh = {"event": event(), "weights": "1.1 kg\n1.1 kg", "word": "looked at twice"}
    assert send(later, f"/table/{make}", weigh, f"/table/{make}").status_code == 302
    with rows(url) as session:
        made = select(Piece).where(Piece.make_id == uuid.UUID(make)).order_by(Piece.label)
        return later, [(f"/cave/{each.id}", each.label, each.id) for each in session.scalars(made)]


def leave(client, piece, where, **more):
    address, label, _ = piece
    page = {"event": event(), "where": where, "to": "the inn", "kg": "", "why": HARD, "left": ""}
    return send(client, f"{address}/out", {**page, "label": label, **more}, address)


def pages_of(client, make, lot, piece):
    """Every page that the milk or the cheese is on, by name."""
    label = f"/cave/labels.svg?ids={piece[2]}&sheet=single"
    return {
        "milk": client.get(f"/milk/{lot}").text,
        "vat": client.get(f"/vat/{make}").text,
        "logbook": client.get(f"/logbook/{make}").text,
        "list": client.get("/logbook").text.split(f"/logbook/{make}")[1].split("</tr>")[0],
        "cave": client.get("/cave").text.split(f"{piece[0]}?")[1].split("</a>")[0],
        "piece": client.get(piece[0]).text,
        "label": client.get(label).text,
        "trace": client.get(f"/trace/lot/{lot}").text,
        "file": client.get(f"/trace/lot/{lot}/lines.csv").text,
    }


@pytest.mark.parametrize(
    ("told_of", "title", "label", "is_bar"),
    [
        ({"fact": "withdrawal"}, "Withdrawal", "MILK ON WITHDRAWAL", True),
        ({"fact": "colostrum_or_sick"}, "Colostrum", "COLOSTRUM OR SICK", True),
        ({"fact": "off_smell"}, "Smelled off", "SMELLED OFF", False),
        ({"residue": "y"}, "Residue", "RESIDUE IN ITS MILK", True),
        ({"plates": "5000000"}, "Too many germs", "PLATE COUNT", False),
        ({"ph": "6.3", "ph_sample": "20 C"}, "Soured by itself", "SOURED BY ITSELF", False),
    ],
    ids=lambda each: " ".join(each) if isinstance(each, dict) else "",
)
def test_what_comes_out_late_is_said_wherever_its_cheese_is_and_told_back_nowhere(
    demo_url, client, post, told_of, title, label, is_bar
):
    lot = new_lot(client, post, ph="", ph_sample="")
    make = start(client, post, lot).headers["Location"].split("/")[-1]
    later, (sold, kept) = weighed(demo_url, client, make)
    assert leave(later, sold, "sold").status_code == 302
    assert "It came out late" not in later.get("/").text
    before = pages_of(later, make, lot, kept)
    assert not [n for n, page in before.items() if title in page and n != "milk"]
    if "fact" in told_of:
        form = {**told_of, "why": "the vet rang", "event": event()}
        assert send(later, f"/milk/{lot}/noted", form, f"/milk/{lot}").status_code == 302
    else:
        form = {"protein_kind": "unknown", "freezing_unit": "c", "acidity_scale": "degD", **told_of}
        assert send(later, f"/milk/{lot}/test", form, f"/milk/{lot}").status_code == 302
    today = later.get("/").text
    assert "It came out late" in today and kept[1] in today and "the inn" in today
    said = pages_of(later, make, lot, kept)
    missing = [n for n, page in said.items() if title not in page and n not in ("label", "milk")]
    assert missing == [] and label in said["label"]
    assert ("Not to be eaten" in said["piece"]) is is_bar
    assert ("<h2>Eat by" in said["piece"]) is not is_bar
    lot_now = said["milk"].split('id="new"')[1]
    assert "All of it is used, the last" in lot_now and "</span> old" not in lot_now
    for way in ("sold", "given", "eaten"):
        page = leave(later, kept, way, why="" if not is_bar else HARD)
        assert page.status_code != 302 and ("thrown away" if is_bar else "Write why") in page.text
    if "fact" in told_of:
        of = told_of["fact"]
    else:
        of = re.findall(r'name="of" value="([^"]+)"', later.get(f"/milk/{lot}").text)[0]
    back = {"of": of, f"{of}-why": "it was the other can", "event": event()}
    short = send(later, f"/milk/{lot}/not-so", {**back, f"{of}-why": "no"}, f"/milk/{lot}")
    assert short.status_code != 302 and "in a few words" in short.text
    assert send(later, f"/milk/{lot}/not-so", back, f"/milk/{lot}").status_code == 302
    after = pages_of(later, make, lot, kept)
    assert [n for n, page in after.items() if title in page and n != "milk"] == []
    assert "It came out late" not in later.get("/").text
    assert leave(later, kept, "sold").status_code == 302


def test_a_stop_that_a_word_lifted_goes_with_its_cheese_to_the_label(demo_url, client, post):
    lot = new_lot(client, post, off_smell="y")
    begun = start(client, post, lot, why="smelled twice: only the can")
    make = begun.headers["Location"].split("/")[-1]
    later, (kept, _) = weighed(demo_url, client, make)
    said = pages_of(later, make, lot, kept)
    assert [
        n for n, p in said.items() if "Smelled off" not in p and n not in ("label", "milk")
    ] == []
    assert "SMELLED OFF" in said["label"] and "only the can" in said["piece"]
    assert "It came out late" not in later.get("/").text  # it was known as it began


def test_a_recall_of_it_quiets_today_once_all_who_have_of_it_were_reached(demo_url, client, post):
    lot = new_lot(client, post, ph="", ph_sample="")
    make = start(client, post, lot).headers["Location"].split("/")[-1]
    later, (sold, kept) = weighed(demo_url, client, make)
    leave(later, sold, "sold")
    form = {"fact": "withdrawal", "why": "the vet rang", "event": event()}
    send(later, f"/milk/{lot}/noted", form, f"/milk/{lot}")
    assert leave(later, kept, "thrown").status_code == 302
    assert "the inn" in later.get("/").text
    trace = f"/trace/make/{make}"
    send(later, f"{trace}/recall", {"real": "y"}, trace)
    drill = re.search(r"/recall/([\w-]+)/reached", later.get(trace).text)[1]
    send(later, f"/recall/{drill}/reached", {"whom": "the inn"}, trace)
    assert "It came out late" not in later.get("/").text


def test_of_a_name_on_no_list_it_is_asked_once_whether_an_allergen_is_in_it(client, post, farm):
    from openpail.work.table import labels

    here = farm()
    with pytest.raises(Exception, match="Choose from the list"):
        labels.answer(here, "Grandma’s mix", ["gravel"])
    page = "/cave/labels"
    form = {"name": "Grandma’s mix", "keys": ["sesame", "pecans"]}
    assert send(client, f"{page}/allergens", form, page).status_code == 302
    here.session.expire_all()
    assert here.dairy.allergens == {"grandma’s mix": ["sesame", "pecans"]}
    assert send(client, f"{page}/allergens", {**form, "keys": "gravel"}, page).status_code == 404
