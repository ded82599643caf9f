"""When something was done is told with its day, by hand or by one touch; what is odd is asked."""

import uuid
from datetime import timedelta

from sqlalchemy import select

from openpail.craft.make.deeds import ReadingTaken, StepDone
from openpail.records.log.models import DeedRow
from tests.conftest import NOW
from tests.support.makes import send
from tests.web.test_forms import new_lot, start
from tests.web.test_make_day import at
from tests.web.test_mended_and_asked import rows, told

LATER = NOW + timedelta(hours=1)


def tap(client, make, deed, **parts):
    page = {"deed": deed, "event": str(uuid.uuid4()), **parts}
    return send(client, f"/vat/{make}/tell", page, f"/vat/{make}")


def begun(client, post):
    return start(client, post, new_lot(client, post)).headers["Location"].split("/")[-1]


def log_of(page):
    return page.split("What was done and read")[1]


def test_a_step_of_monday_that_is_mended_on_saturday_stays_on_monday(demo_url, client, post):
    make = begun(client, post)
    told(demo_url, make, [(ReadingTaken(celsius=32.0), 20), (StepDone(step="warm"), 21)], LATER)
    told(demo_url, make, [(StepDone(step="culture", word="as it was"), 40)], LATER)
    saturday = at(demo_url, NOW + timedelta(days=5))
    with rows(demo_url) as session:
        of_make = select(DeedRow).where(DeedRow.subject_id == uuid.UUID(make))
        warm, deed = (
            str(each.id)
            for each in session.scalars(of_make.order_by(DeedRow.at))
            if each.deed == "step_done"
        )
    assert tap(saturday, make, "amend", amends=deed, mends="", at="10:05").status_code == 302
    with rows(demo_url) as session:
        last = session.scalars(select(DeedRow).order_by(DeedRow.arrived.desc())).first()
    assert last.payload["change"]["happened"].startswith(f"{NOW:%Y-%m-%d}")
    late = tap(saturday, make, "amend", amends=warm, mends="", at="Fri 10:05")
    assert late.status_code == 422 and "after “Sprinkle the culture”, which ended" in late.text


def test_a_step_that_is_late_is_told_when_it_was_done_and_is_looked_at_all_the_same(
    demo_url, client, post
):
    make = begun(client, post)
    told(demo_url, make, [(ReadingTaken(celsius=24.0), 2)], LATER)
    assert "It was done at …" not in client.get(f"/vat/{make}").text
    late = at(demo_url, NOW + timedelta(hours=14))
    page = late.get(f"/vat/{make}").text
    assert "It was done at …" in page and "30 min ago" in page
    asked = tap(late, make, "step_done", step="warm", at="today 99:99")
    assert asked.status_code == 422 and "yesterday 23:10" in asked.text
    then = f"{(NOW + timedelta(hours=1)):%a} {NOW.hour + 2:02}:40"
    asked = tap(late, make, "step_done", step="warm", at=then)
    assert asked.status_code == 422 and "read how warm it is now" in asked.text
    assert f'name="at" value="{then}"' in asked.text and "Not read" in asked.text
    assert "Done, not told" not in asked.text
    kept = tap(late, make, "step_done", step="warm", at=then, word="", said="not read")
    assert kept.status_code == 302
    assert "not read" in log_of(late.get(f"/vat/{make}").text)


def test_the_clocks_of_all_makes_ring_on_every_page(client, post):
    for page in ("/cave", "/press", "/recipes", "/milk"):
        assert 'data-url="/vat/alarms"' in client.get(page, follow_redirects=True).text, page
    begun(client, post)
    bells = client.get("/vat/alarms").text
    assert bells.count("data-alarm=") >= 3 and 'data-go="/vat/' in bells and "data-ends=" in bells
