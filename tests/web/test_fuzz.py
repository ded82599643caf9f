"""What is sent wrong breaks nothing: neither its own answer, nor any page after it."""

from tests.support.fuzz import Fuzz


def test_one_thing_wrong_at_a_time_breaks_no_page(app, client, post):
    app.config["WTF_CSRF_ENABLED"] = False
    fuzz = Fuzz(app, client, 1)
    make = client.get("/vat").headers["Location"].rsplit("/", 1)[-1]
    fuzz.deeds(make, 60)
    fuzz.run(each=2, between=8)
    assert fuzz.requests > 400
