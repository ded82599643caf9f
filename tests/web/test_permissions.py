"""Who may do what: every changing endpoint, told here a second time, tried with every role."""

import re
from urllib.parse import urlsplit

import pytest
from sqlalchemy import update

from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.session import sessions
from openpail.work.dairy.people import ROLES
from tests.support.pages import crawl, read

MAKER_ONLY = {
    "logbook.like",
    "settings.change",
    "settings.add_vat",
    "settings.measure_fills",
    "settings.set_probe",
    "settings.add_jar",
    "settings.drop_jar",
    "settings.put_away",
    "first.vat",
    "settings.change_vat",
    "settings.change_ways",
    "house.change",
    "strength.work_out",
    "stock.add",
    "stock.mend",
    "stock.end",
    "stock.make_solution",
    "stock.read_file",
    "stock.forget",
    "recipes.follow",
    "recipes.back",
    "recipes.away",
    "writing.new",
    "writing.change",
    "writing.daughter",
    "writing.write",
    "writing.drop",
    "bringing.look",
    "bringing.starters",
    "bringing.drop",
    "settings.add_gear",
    "settings.measure",
    "settings.add_weight",
    "settings.drop_weight",
    "press.add_tub",
    "press.change_tub",
    "press.put_away",
    "settings.drop_gear",
    "settings.set_room",
    "cave.label_allergens",
    "cave.label_wording",
    "settings.set_heater",
    "calendar.set_key",
    "people.add",
    "people.set_role",
    "people.set_password",
    "people.end",
}
HELPER_TOO = {
    "plan.new",
    "plan.move",
    "plan.drop",
    "plan.together",
    "plan.start_now",
    "plan.made_ready",
    "milk.new",
    "milk.add_test",
    "milk.from_analyser",
    "milk.away",
    "milk.skim",
    "milk.mend",
    "milk.cooled",
    "milk.note",
    "milk.not_so",
    "milk.thaw",
    "book.add_herd",
    "book.change_herd",
    "book.put_away",
    "book.preview",
    "first.herd",
    "first.first_milk",
    "bench.take",
    "bench.pour",
    "bench.recipe",
    "bench.targets",
    "bench.plan",
    "bench.mend",
    "bench.poured",
    "bench.back",
    "bench.accept",
    "bench.clear",
    "bench.save_mix",
    "bench.take_mix",
    "sheet.start",
    "table.weigh",
    "trace.begin",
    "learnt.count",
    "logbook.keep_look",
    "logbook.let_go",
    "trials.plan",
    "trials.put",
    "trace.reached",
    "trace.end",
    "tasting.set_out",
    "tasting.taste",
    "tasting.open_to_all",
    "cave.care_done",
    "cave.care_not_done",
    "cave.move_many",
    "cave.not_read",
    "cave.opened",
    "cave.read_logger",
    "cave.read_place",
    "cave.take_file",
    "cave.tell",
    "cave.undo",
    "cave.when",
    "vat.tell_deeds",
    "vat.tell_taps",
    "vat.take_stream",
    "vat.tell_one",
    "heat.begin",
    "practice.begin",
    "practice.do",
    "practice.end",
    "practice.again",
    "press.make_brine",
    "press.read_brine",
    "press.goes_in",
    "press.tell",
    "heat.read",
    "heat.undo",
    "heat.close",
    "vat.keep_file",
    "instruments.meter",
    "instruments.thermometer",
    "stock.weigh",
    "stock.open_lot",
    "stock.feed",
    "stock.seen",
}
ONES_OWN = {
    "people.own_password",
    "people.sign_out_everywhere",
    "people.sign_out_device",
}
ANYBODY = {"account.sign_in", "account.sign_out", "account.demo", "account.set_up"}
NOBODY_YET = "00000000-0000-4000-8000-000000000000"


def changing(app):
    return {rule.endpoint: rule for rule in app.url_map.iter_rules() if "POST" in rule.methods}


def test_every_endpoint_that_changes_anything_is_told_here(app):
    found = set(changing(app)) - {"account.sign_in_post"}
    assert found == MAKER_ONLY | HELPER_TOO | ONES_OWN | ANYBODY


@pytest.fixture
def signed_in(app):
    """A client signed in as a role, without tokens in its way."""
    app.config["WTF_CSRF_ENABLED"] = False
    with sessions(app.extensions["config"].database_url).begin() as session:
        hashed = people._hasher.hash("a long password")
        session.execute(update(Person).values(password_hash=hashed))

    def sign_in(role):
        client = app.test_client()
        client.post("/sign-in", data={"login": role, "password": "a long password"})
        return client

    return sign_in


@pytest.mark.parametrize("role", ["reader", "helper", "maker"])
def test_a_role_may_do_what_it_may_and_nothing_else(app, signed_in, role):
    client = signed_in(role)
    allowed = {"reader": set(), "helper": HELPER_TOO, "maker": HELPER_TOO | MAKER_ONLY}[role]
    for endpoint in sorted(HELPER_TOO | MAKER_ONLY):
        address = changing(app)[endpoint].rule.replace("<key>", "rennet.minutes")
        address = re.sub(r"<[^>]+>", NOBODY_YET, address)
        status = client.post(address, data={}).status_code
        if endpoint in allowed:
            assert status != 403, f"{role} at {endpoint}"
            assert status < 500, f"{endpoint} broke on an empty form"
        else:
            assert status == 403, f"{role} at {endpoint}: {status}"


@pytest.mark.parametrize("role", ["reader", "helper"])
def test_nobody_is_shown_a_form_that_would_be_refused(app, signed_in, role):
    client, adapter = signed_in(role), app.url_map.bind("")
    for address, page in crawl(app, client, each=3, strict=False).items():
        for form in read(address, page)[1]:
            endpoint, _ = adapter.match(urlsplit(form.action).path, method=form.method.upper())
            assert app.view_functions[endpoint].permission in ROLES[role], (address, form.action)


def test_a_reader_sees_no_button_that_would_be_refused(signed_in):
    reader, maker = signed_in("reader"), signed_in("maker")
    recipe = "/recipes/threshing-cheddar"
    for address in ("/milk", "/milk/herds", "/bench", "/dairy", "/recipes", recipe):
        told = re.compile(r"<button(?! type=.button)[^>]*>(?!Sign out|Close)")
        assert told.search(maker.get(address, follow_redirects=True).text), address
        assert not told.search(reader.get(address, follow_redirects=True).text), address
