"""The Bench's pages: pouring, ratio, standardising, what was really poured, and the sheet."""

import re

import pytest

from tests.support.pages import read
from tests.web.test_forms import new_lot


@pytest.fixture
def vat(client, post):
    """The stove pot, empty on the bench."""
    page = client.get("/bench", follow_redirects=True).text
    return re.search(r'href="(/bench/[\w-]+)"[^>]*>stove pot', page)[1]


def lot_named(client, name):
    return re.search(
        rf'href="/milk/([\w-]+)">{name}<', client.get("/bench", follow_redirects=True).text
    )[1]


@pytest.fixture
def cows(client, vat):
    return lot_named(client, "House cows, this morning")


@pytest.fixture
def goats(client, vat):
    return lot_named(client, "Goats, this morning")


def pour(post, vat, lot, amount, **more):
    return post(f"{vat}/pour", {"lot": lot, "amount": amount}, **more)


def shown(client, vat):
    return client.get(vat).text


def big_litres(page):
    return re.search(r'class="big-l[^"]*">([\d.]+ L)', page)[1]


def test_amounts_in_any_unit_and_nudges_fill_the_vat(client, post, vat, cows):
    for typed, litres in (
        ("5,5 L", "5.5"),
        ("1 big jar", "4.0"),
        ("1 US gal", "3.8"),
        ("2.06 kg", "2.0"),
    ):
        pour(post, vat, cows, typed)
        assert big_litres(shown(client, vat)) == f"{litres} L"
    post(f"{vat}/pour", {"lot": cows, "nudge": "1"})
    assert big_litres(shown(client, vat)) == "3.0 L"
    post(f"{vat}/pour", {"lot": cows, "all": "1"})
    page = shown(client, vat)
    assert big_litres(page) == "19.0 L" and "over the head room: it takes 11.9 L" in page
    pour(post, vat, cows, "")
    assert "big-l" in shown(client, vat) and big_litres(shown(client, vat)) == "0.0 L"


def test_what_cannot_be_poured_is_said_by_its_lot_and_kept_as_typed(client, post, vat, cows):
    pour(post, vat, cows, "6 L")
    for typed, words in (
        ("lots", "is not an amount"),
        ("40 L", "is left, not 40"),
        ("-2 L", "less than nothing"),
        ("1,500 L", "could be 1500"),
    ):
        page = pour(post, vat, cows, typed).text
        assert words in page and f'value="{typed}"' in page
        assert big_litres(shown(client, vat)) == "6.0 L"


def test_a_fragment_answers_the_pages_own_script(client, post, vat, cows):
    fragment = pour(post, vat, cows, "3 L", headers={"X-Fragment": "1"}).text
    assert "<html" not in fragment and big_litres(fragment) == "3.0 L"
    wrong = pour(post, vat, cows, "x", headers={"X-Fragment": "1"}).text
    assert "<html" not in wrong and "is not an amount" in wrong


def test_a_ratio_the_wrong_way_round_is_caught_and_mended(client, post, vat, cows, goats):
    post(f"{vat}/recipe", {"recipe": "steading-wheel"})
    pour(post, vat, cows, "3.5")
    pour(post, vat, goats, "6.5")
    page = shown(client, vat)
    assert "Off the ratio." in page and "Cow is 35 %, not 65 %." in page
    fix = re.search(
        r'name="species" value="(cow)">\s*<input type="hidden" name="litres" value="([\d.]+)"', page
    )
    assert float(fix[2]) == pytest.approx(6.5 * 65 / 35 - 3.5, abs=0.01)
    post(f"{vat}/mend", {"species": "cow", "litres": fix[2]})
    assert "Right: cow 65 %, goat 35 % by volume." in shown(client, vat)
    held = re.search(r'name="litres" value="(-[\d.]+)"', page)[1]
    assert "too little" in post(f"{vat}/mend", {"species": "goat", "litres": "-90"}).text
    post(f"{vat}/mend", {"species": "goat", "litres": held})
    assert "Off the ratio." in shown(client, vat)


def test_the_largest_batch_is_one_button(client, post, vat, cows):
    post(f"{vat}/recipe", {"recipe": "steading-wheel"})
    page = shown(client, vat)
    assert "Largest batch at this ratio: 11.9 L" in page  # the pot's head room
    form = re.search(r'action="([^"]+/plan)".*?Largest', page, re.S)[0]
    plan = dict(re.findall(r'name="(lot:[\w-]+)" value="([\d.]+)"', form))
    post(f"{vat}/plan", plan)
    after = shown(client, vat)
    assert big_litres(after) == "11.9 L" and "Right: cow" in after


def test_what_was_really_poured_is_compared_before_the_sheet(client, post, vat, cows, goats):
    post(f"{vat}/recipe", {"recipe": "steading-wheel"})
    pour(post, vat, cows, "6.5")
    pour(post, vat, goats, "3.5")
    sheet = re.search(r'href="(/sheet\?bench=[\w-]+)"', shown(client, vat))[1]
    planned = client.get(sheet).text
    assert "This is the plan." in planned
    start = {"bench": sheet.split("=")[1], "recipe": "steading-wheel", "school": "keep_clock"}
    assert "note at the Bench what really went in" in post("/sheet/start", start).text
    bad = post(f"{vat}/poured", {f"real:{cows}": "a lot", f"real:{goats}": "3.5"}).text
    assert "Look at the amounts" in bad and 'value="a lot"' in bad
    post(f"{vat}/poured", {f"real:{cows}": "3.5", f"real:{goats}": "6.5 L"})
    page = shown(client, vat)
    assert "Poured, against the plan" in page and "−46 %" in page and "+86 %" in page
    assert "Off the ratio." in page and "On to the sheet" not in page
    assert "poured already" in pour(post, vat, cows, "7").text
    assert "this vat is off it" in client.get(sheet).text
    assert "holds to a ratio" in post("/sheet/start", start).text
    assert "Write why it may stand" in post(f"{vat}/accept", {"why": " "}).text
    post(f"{vat}/accept", {"why": "the neighbour likes it goaty"})
    assert "On to the sheet" in shown(client, vat)
    made = post("/sheet/start", start)
    assert made.status_code == 302 and "/vat/" in made.headers["Location"]
    frozen = client.get(made.headers["Location"].replace("/vat/", "/makes/") + "/sheet").text
    assert "House cows, this morning, raw" in frozen and "Goats, this morning, raw" in frozen
    assert "15.5 L left of 19.0 L" in client.get(f"/milk/{cows}").text
    assert big_litres(shown(client, vat)) == "0.0 L"  # a new bench stands there


def test_poured_wrong_goes_back_and_is_mended(client, post, vat, cows):
    pour(post, vat, cows, "6")
    post(f"{vat}/poured", {f"real:{cows}": "7"})
    assert "Poured, against the plan" in shown(client, vat)
    post(f"{vat}/back", {})
    assert big_litres(shown(client, vat)) == "7.0 L"
    assert "Nothing is planned" in post(f"{vat.replace(vat, _other(client, vat))}/poured", {}).text
    post(f"{vat}/clear", {})
    assert big_litres(shown(client, vat)) == "0.0 L"


def _other(client, vat):
    page = client.get(vat).text
    return re.search(r'href="(/bench/[\w-]+)"[^>]*>water-bath', page)[1]


def test_cream_comes_off_to_a_casein_to_fat_and_the_sheet_follows(client, post, vat, cows):
    pour(post, vat, cows, "10")
    post(f"{vat}/targets", {"casein_to_fat": "0,75", "cream": "hand"})
    page = shown(client, vat)
    assert "take cream off House cows, this morning" in page
    form = re.search(r'class="suggestion".*?</form>', page, re.S)[0]
    plan = dict(re.findall(r'name="((?:lot|cream):[^"]+)" value="([-\d.e]+)"', form))
    assert any(key.startswith("cream:") for key in plan)
    post(f"{vat}/plan", plan)
    after = shown(client, vat)
    assert re.search(r"casein : fat</span>.*?<b>0\.7[45]</b>", after, re.S)
    assert "cream off" in after and "nothing to do: it is near enough as it stands" in after
    post(
        f"{vat}/poured",
        {
            key.replace("lot:", "real:")
            if key.startswith("lot:")
            else "real:cream:" + key.split(":")[1]: text
            for key, text in plan.items()
        },
    )
    bench = re.search(r"/sheet\?bench=([\w-]+)", shown(client, vat))[1]
    made = post("/sheet/start", {"bench": bench, "recipe": "larder-block", "school": "keep_clock"})
    assert made.status_code == 302
    assert "Cream off House cows" in client.get("/milk").text
    assert "skimmed off as cream" in client.get(f"/milk/{cows}").text


def test_a_target_out_of_reach_says_what_blocks_and_offers_the_nearest(client, post, vat, cows):
    pour(post, vat, cows, "10")
    post(f"{vat}/targets", {"fat": "20"})
    page = shown(client, vat)
    assert "Not to be reached" in page and "fat blocks" in page and "Plan the nearest" in page
    post(f"{vat}/targets", {"fat": "much", "size": "-3", "casein_to_fat": "0"})
    wrong = shown(client, vat)
    assert "“much” is not a number" in wrong and 'value="much"' in wrong
    assert "less than nothing" in wrong and "Write a figure over 0" in wrong
    post(f"{vat}/targets", {"fdm": "48"})
    assert "needs a recipe" in shown(client, vat)
    post(f"{vat}/recipe", {"recipe": "larder-block"})
    assert "fat in dry matter" in shown(client, vat)


def test_two_streams_and_a_fat_draw_the_rectangle(client, post, vat, cows):
    pour(post, vat, cows, "10")
    post(f"{vat}/targets", {"fat": "4.6"})
    page = shown(client, vat)
    assert 'aria-label="Rectangle of differences"' in page and "pour of Shop cream" in page


def test_nothing_raw_odd_or_unsettable_is_proposed_to_pasteurised_milk(client, post, vat):
    plain = {"breed": "cow_lowland", "treatment": "flash", "bought": "y"}
    lean = new_lot(client, post, **plain, name="Lean", fat="3.0")
    pour(post, vat, lean, "8")
    rich = {"breed": "cow_lowland", "fat": "5.5", "amount": "9 L"}
    for name, other in {
        "Raw rich": {"treatment": "raw"},
        "Sour rich": {"treatment": "flash", "ph": "6.3"},
        "Ultra rich": {"treatment": "ultra_heated"},
        "Watered rich": {"treatment": "flash", "freezing": "-0.47"},
    }.items():
        new_lot(client, post, **{**rich, **other}, name=name)
    post(f"{vat}/targets", {"fat": "4.0"})
    ways = shown(client, vat).split('id="ways"')[-1]
    assert not re.search(r"pour (?:more )?of (Raw|Sour|Ultra|Watered) rich", ways)
    new_lot(client, post, **{**rich, "treatment": "flash"}, name="Good rich")
    assert "pour of Good rich" in shown(client, vat)


def test_milk_without_a_slip_says_what_would_narrow_it(client, post, vat):
    untested = new_lot(client, post, breed="buffalo", fat="", protein="", ph="", name="Buffalo")
    pour(post, vat, untested, "10")
    page = shown(client, vat)
    assert re.search(r"A (fat|protein) test of Buffalo would narrow it most, to ± 0\.\d+", page)
    assert "about" in page


def test_a_pail_comes_to_the_bench_in_one_touch(client, post):
    lot = new_lot(client, post)
    there = post(f"/bench/lot/{lot}", {}).headers["Location"]
    assert f'id="amount-{lot}"' in client.get(there).text
    assert "21.5 L" in client.get(there).text


def test_our_tuesday_mix_is_kept_and_poured_again(client, post, vat, cows, goats):
    pour(post, vat, cows, "6.5")
    pour(post, vat, goats, "3.5")
    assert "Give the mix a name" in post(f"{vat}/mixes", {"name": ""}).text
    post(f"{vat}/mixes", {"name": "our Tuesday mix"})
    post(f"{vat}/clear", {})
    mix = re.search(r'action="([^"]+/mixes/[\w-]+)"', shown(client, vat))[1]
    post(mix, {})
    assert big_litres(shown(client, vat)) == "10.0 L"


def test_a_recipe_with_a_ratio_is_poured_at_the_bench(client, post, cows):
    page = client.get("/sheet", query_string={"lot": cows, "recipe": "steading-wheel"}).text
    assert "holds to a ratio of milks" in page and "Bench" in page


@pytest.mark.parametrize(
    ("where", "data"),
    [
        ("pour", {"lot": "rubbish"}),
        ("pour", {"nudge": "much"}),
        ("plan", {"lot:rubbish": "3"}),
        ("plan", {"cream:x:y": "3"}),
        ("mend", {"species": "cow", "litres": "some"}),
    ],
)
def test_a_form_not_sent_whole_is_told_so(client, post, vat, cows, where, data):
    data = {"lot": cows, **data} if where == "pour" else data
    assert post(f"{vat}/{where}", data).status_code == 400


def test_a_mix_without_a_recipe_goes_to_the_sheet_as_it_was_poured(client, post, vat, cows, goats):
    post(f"{vat}/recipe", {"recipe": ""})
    for lot in (cows, goats):
        pour(post, vat, lot, "2 L")
    sheet = re.search(r'href="(/sheet\?bench=[\w-]+)"', shown(client, vat))[1]
    choosing = client.get(sheet).text
    assert "4.0 L in all" in choosing and "Milk, all of each pail" not in choosing
    form = next(each for each in read(sheet, choosing)[1] if ("bench", sheet[-36:]) in each.fields)
    chosen = {**dict(form.fields), "recipe": "larder-block"}
    page = client.get(form.action, query_string=chosen).text
    assert "(4.0 L)" in page and "recipe=larder-block" in page


@pytest.fixture
def plain_and_rich(client, post):
    """A house cow's milk of 3.25 % protein, and ewes' of 5.60 %."""
    slip = {"protein_kind": "true", "fat": "3.9", "holding": "cold", "celsius": "6 C"}
    cow = new_lot(
        client, post, amount="14 L", breed="cow_lowland", protein="3.25", name="Plain", **slip
    )
    ewe = new_lot(client, post, amount="4.2 L", breed="sheep", protein="5.60", name="Rich", **slip)
    return cow, ewe


def words(page):
    return " ".join(re.sub(r"<[^>]+>", " ", page).split())


def test_another_animals_milk_is_proposed_where_its_own_does_not_do_and_what_it_makes_is_said(
    client, post, vat, plain_and_rich
):
    cow, ewe = plain_and_rich
    for lot in re.findall(r"/milk/([\w-]{36})", client.get("/milk").text):
        if lot not in (cow, ewe):
            post(f"/milk/{lot}/away", {"kind": "fed"})
    pour(post, vat, cow, "14 L")
    post(f"{vat}/targets", {"protein": "3.60"})
    page = words(shown(client, vat))
    assert "pour of Rich" in page and "A cheese of mixed milk then: " in page, page
    found = float(re.search(r"pour of Rich: ([\d.]+) L", page)[1])
    assert found == pytest.approx(14 * (3.60 - 3.25) / (5.60 - 3.60), rel=0.05)
    pour(post, vat, ewe, "4.2 L")
    page = words(shown(client, vat))
    held = float(re.search(r"hold back Rich: ([\d.]+) L", page)[1])
    assert held == pytest.approx(4.2 - found, abs=0.15) and "hold back Plain" not in page
