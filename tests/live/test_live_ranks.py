"""Ranks on the running thing: keywords are taken, looked up and read at every door; the demo's stories are found."""

import csv
import io
import json
import re

import httpx
import pytest
from playwright.sync_api import expect
from tests.running import Live

from noctilum.client import ProblemFault
from noctilum.wire.keywords import AskKeywordFile, AskKeywords, ChangeKeywords

SKERRY, UMBRA, BRINE, CRANE = "skerryferries.example", "umbrapoint.example", "brinepot.example", "cobblecrane.example"
BLOG = "blog.hivewright.example"


def said(live: Live, *words: str, code: int = 0) -> str:
    done = live.cli(*words)
    assert done.returncode == code, done.stderr + done.stdout
    return done.stdout + done.stderr


def tracked(live: Live, site: str, **narrowed: str):
    with live.client() as noctilum:
        return noctilum.keywords(site, **narrowed)


# keywords


def test_keywords_are_added_told_what_they_cost_repeated_softly_changed_and_dropped(live):
    before = len(tracked(live, UMBRA))
    would = said(
        live, "keywords", UMBRA, "--add", "moon  Maps", "star chart", "--device", "desktop", "mobile", "--dry-run"
    )
    assert "4 keywords would be added" in would and "lookups a month" in would
    assert len(tracked(live, UMBRA)) == before
    added = said(
        live, "keywords", UMBRA, "--add", "moon  Maps", "star chart", "--device", "desktop", "mobile", "--tag", "maps"
    )
    assert "4 keywords added" in added and "moon maps" in added
    assert "1 keyword is tracked already" in said(live, "keywords", UMBRA, "--add", "Moon maps")
    listed = json.loads(said(live, "keywords", UMBRA, "--tag", "maps", "--output", "json").split("\n]")[0] + "\n]")
    numbers = [str(each["id"]) for each in listed]
    assert len(numbers) == 4
    said(live, "keywords", UMBRA, "--change", *numbers, "--weight", "5", "--pin", "--untag", "maps", "--tag", "charts")
    assert {(k.weight, k.pinned, *k.tags) for k in tracked(live, UMBRA, tag="charts")} == {(5, True, "charts")}
    said(live, "keywords", UMBRA, "--drop", *numbers)
    assert len(tracked(live, UMBRA)) == before


FILE = """Keyword;Search Volume;CPC;Tags;Device;Gewicht;Colour
tide tables;1.300;0,45;sea, tables;desktop;4;red
tide tables;1.300;0,45;sea;mobile;4;red
;10;;;;;
spring tide;many;;;;;
neap tide;;;;tablet;;
"""


def test_a_file_of_keywords_is_read_by_its_heads_and_each_bad_line_is_told(live, tmp_path):
    path = tmp_path / "keywords.csv"
    path.write_text(FILE)
    shown = said(live, "keywords", UMBRA, "--take", str(path), "--dry-run")
    assert "Keyword as term" in shown and "Search Volume as volume" in shown and "not Colour" in shown
    with live.client() as noctilum:
        found = noctilum.import_keywords(AskKeywordFile(site=UMBRA, text=FILE))
        again = noctilum.import_keywords(AskKeywordFile(site=UMBRA, text=FILE))
        kept = noctilum.keywords(UMBRA, find="tide tables")
        assert (found.adding, found.repeats, again.adding, again.repeats) == (2, 0, 0, 2)
        assert [re.match(r"line \d", line)[0] for line in found.refused] == ["line 4", "line 5", "line 6"]
        assert {(k.volume, k.cpc, tuple(k.tags)) for k in kept} == {
            (1300, 0.45, ("sea", "tables")),
            (1300, 0.45, ("sea",)),
        }
        noctilum.change_keywords(ChangeKeywords(site=UMBRA, numbers=[k.id for k in kept], drop=True))
        with pytest.raises(ProblemFault, match="No column holds the keywords"):
            noctilum.import_keywords(AskKeywordFile(site=UMBRA, text="colour\nred\n"))


def test_suggestions_are_queries_the_site_is_shown_for_and_does_not_track_without_its_brand(live):
    with live.client() as noctilum:
        found = noctilum.keyword_suggestions(SKERRY, most=20)
        tracked = {each.term for each in noctilum.keywords(SKERRY)}
    assert found and not tracked & {each.query for each in found}
    assert not any("skerry fer" in each.query for each in found)
    assert [each.use for each in found] == sorted((each.use for each in found), reverse=True)


@pytest.mark.parametrize(
    "body",
    [
        {"site": SKERRY, "terms": [" "]}, {"site": SKERRY, "terms": []}, {"site": SKERRY, "terms": ["x"], "weight": 6},
        {"site": SKERRY, "terms": ["x"], "country": "gb"}, {"site": SKERRY, "terms": ["x\ny"]},
        {"site": "nope", "terms": ["x"]},
        {"site": SKERRY, "terms": ["x" * 201]}, {"site": SKERRY, "terms": ["x"], "devices": ["watch"]},
        {"site": SKERRY, "terms": ["x"], "tags": ["a,b"]},
    ],
)  # fmt: skip
def test_keywords_that_cannot_be_used_are_refused_and_none_is_kept(live, body):
    with live.client() as noctilum:
        before = [each.id for each in noctilum.keywords(SKERRY)]
        headers = {"Authorization": f"Bearer {live.token}"}
        answer = httpx.post(f"{live.url}/api/v1/keywords/take", json=body, headers=headers)
        assert answer.status_code in (400, 404) or answer.json()["adding"] == 0
        assert [each.id for each in noctilum.keywords(SKERRY)] == before


# checks


def test_keywords_are_looked_up_at_once_through_the_desk_and_their_pages_are_kept(live):
    with live.client() as noctilum:
        taken = noctilum.take_keywords(AskKeywords(site=CRANE, terms=["lifting plan"], country="IE"))
        number = taken.added[0].id
        used = noctilum.lookup_cost(CRANE).used
    assert "1 of 1 keywords looked up" in said(live, "check", CRANE, str(number), "--yes")
    with live.client() as noctilum:
        assert noctilum.lookup_cost(CRANE).used == used + 1
        (line,) = noctilum.captures(number)
        page = noctilum.capture(CRANE, line.id)
    assert [each.rank for each in page.results] == list(range(1, 21))
    assert page.rank == next(each.rank for each in page.results if each.own)
    shown = said(live, "capture", CRANE, str(number))
    assert f"{page.rank:>4}  https://{CRANE}" in shown
    said(live, "keywords", CRANE, "--drop", str(number))


def test_a_site_without_a_source_of_lookups_says_so(live):
    assert "has no source of lookups" in said(live, "check", BLOG, code=4)
    assert "No keyword is tracked yet" in said(live, "keywords", BLOG)
    with live.client() as noctilum, pytest.raises(ProblemFault) as caught:
        noctilum.rank_summary("wickhamtools.example")
    assert caught.value.status == 404


def test_two_kept_pages_stand_beside_each_other(live):
    shown = said(live, "capture", SKERRY, "1", "--on", "2026-03-20", "--beside", "2026-03-10")
    assert "beside 2026-03-10" in shown and re.search(r"[▲▼] \d|new", shown)
    listed = list(csv.DictReader(io.StringIO(said(live, "capture", SKERRY, "1", "--list", "--output", "csv"))))
    assert len(listed) >= 30


def test_all_clients_are_summed_up_by_their_ranks(live):
    with live.client() as noctilum:
        found = noctilum.portfolio()
        rows = {row.site: row.ranks for row in found.rows if row.ranks}
        one = noctilum.rank_summary(SKERRY)
    assert (rows[SKERRY].now, rows[SKERRY].moved, rows[SKERRY].verdict) == (one.now, one.moved, one.verdict)
    assert found.ranks.tracked == sum(each.tracked for each in rows.values()) == sum(c.tracked for c in found.clients)
    shown = said(live, "portfolio", "--of", "ranks")
    assert SKERRY in shown and re.search(rf"^all +{found.ranks.tracked} ", shown, re.MULTILINE)
    assert "no keyword was looked up" in shown


def test_a_place_is_found_by_its_name_and_taken(live):
    with live.client() as noctilum:
        assert [each.place for each in noctilum.places("alderm", country="GB")] == ["Aldermere"]
    assert re.search(r"Aldermere +town +GB +Brineshire", said(live, "places", "alder"))
    assert "Coordinates can be given" in said(live, "places", "zzzz")


def test_whom_written_answers_lead_to_is_told_by_domain_and_keyword(live):
    umbra = "umbrapoint.example"
    with live.client() as noctilum:
        found = noctilum.feature_owners(umbra, "written answer")
        shown = {row.feature: row for row in noctilum.result_features(umbra).rows}["written answer"]
    assert found.owned == shown.owned and found.rows[0].own and 0.1 < found.volatility < 0.9
    assert all(row.page.startswith("/") for row in found.keywords if row.page)
    said_so = said(live, "feature-owners", umbra, "written answer", "--table", "keyword")
    assert "volatility" in said_so and umbra not in said_so.split("\n\n")[1]
    assert "never-seen" in said(live, "feature-owners", umbra, "fireworks", code=4)


def test_a_competitors_grid_and_what_moved_are_those_of_its_results_at_each_point(live):
    site = "brinepot.example"
    with live.client() as noctilum:
        number = noctilum.grids(site)[0].id
        ours = noctilum.local_grid(site, number)
        for rival in [row for row in ours.rivals if not row.own][:3]:
            theirs = noctilum.local_grid(site, number, domain=f"www.{rival.domain}")
            assert (theirs.domain, theirs.own, theirs.now.mean) == (rival.domain, False, rival.mean)
            assert sum(point.rank == 1 for point in theirs.rows) == rival.won
        for point in noctilum.local_grid(site, number, window="P7D").rows:
            if point.moved in ("up", "down", "same"):
                assert (
                    point.moved
                    == {True: "up", False: "same" if point.rank == point.before else "down"}[point.rank < point.before]
                )
        assert {point.moved for point in noctilum.local_grid(site, number, against="none").rows} == {None}
        nobody = noctilum.local_grid(site, number, domain="nobody.example")
        assert (nobody.now.found, nobody.now.mean) == (0.0, 21.0)
        week = noctilum.local_grid(site, number, window="P7D")
        assert {"up", "down", "same"} & {point.moved for point in week.rows}
    assert re.search("[▲▼]", said(live, "local-grid", site, str(number), "--moved", "--window", "P7D"))


# the demo's stories


def test_the_keywords_of_the_deleted_page_are_lost_and_no_gap_is(live):
    with live.client() as noctilum:
        freight = noctilum.rank_summary(SKERRY, tag="freight")
        all_ = noctilum.rank_summary(SKERRY)
        laid = noctilum.ladder(SKERRY, tag="freight", step="day", window="P28D")
    assert (freight.moved.lost, freight.now.found, freight.before.found) == (4, 0, 4)
    assert all_.moved.lost == 4
    assert all(row.movement == "lost" or row.cells[-1] == 0 for row in laid.rows)
    gone = [n for n, step in enumerate(laid.steps) if str(step.last) >= "2026-03-01"]
    assert all(row.cells[n] in (0, None) for row in laid.rows for n in gone)
    with live.client() as noctilum:
        whole = noctilum.ladder(SKERRY, step="day", window="2026-01-20/2026-01-28", by="none")
    assert {str(step.last) for step in whole.steps if not step.checked} == {"2026-01-22", "2026-01-23", "2026-01-24"}


def test_written_answers_lower_click_through_at_equal_places_and_few_data_tell_nothing(live):
    with live.client() as noctilum:
        umbra = noctilum.feature_effect(UMBRA, "written answer", window="all")
        few = noctilum.feature_effect(BRINE, "written answer", window="all")
    assert umbra.verdict == "lower" and umbra.high < 0.8 and umbra.strata > 40
    assert few.verdict == "too few to tell" and few.ratio is None
    assert "Too few to tell" in few.sentences[0].text


def test_tracked_ranks_stand_beside_the_providers_averages_of_the_same_days(live):
    days = "2025-12-27/2026-03-10"
    with live.client() as noctilum:
        found = noctilum.cross_check(UMBRA, window=days, limit=200)
        row = max(found.rows, key=lambda each: each.counted.days)
        laid = noctilum.ladder(UMBRA, step="day", window=days, by="none", find=row.term, limit=200)
        one = next(each for each in laid.rows if each.number == row.number)
        given = noctilum.timeline(
            UMBRA, window=days, query=row.term, engine="Quillon", device=one.device, country=one.track[-2:]
        )  # fmt: skip
    average = {str(point.start): point.position for point in given.points if point.position is not None}
    pairs = [
        (rank, average[str(step.last)])
        for step, rank in zip(laid.steps, one.cells, strict=True)
        if rank and str(step.last) in average
    ]
    assert row.counted.days == len(pairs) > 50
    assert row.counted.agree == sum(abs(rank - mean) <= 1.5 for rank, mean in pairs)
    assert row.apart == pytest.approx(sum(rank - mean for rank, mean in pairs) / len(pairs), abs=1e-3)
    assert all(bool(each.hints) == bool(each.hint) for each in found.rows)
    assert any(each.hints for each in found.rows)
    assert not any(each.hints for each in found.rows if each.counted.agree == each.counted.days)
    differing = next(each for each in found.rows if each.hints)
    assert differing.hint in said(live, "cross-check", UMBRA, "--window", days, "--limit", "200", "--output", "csv")


def test_brinepots_shop_is_weak_to_the_north_and_its_other_shop_is_not(live):
    with live.client() as noctilum:
        weak, even = noctilum.local_grid(BRINE, 1), noctilum.local_grid(BRINE, 2)
    assert weak.now.points == 49 and weak.north - weak.south > 2
    assert any("weaker to the north" in sentence.text for sentence in weak.sentences)
    assert not any("weaker" in sentence.text for sentence in even.sentences)
    points = json.loads(said(live, "grids", BRINE, "--geojson", "1"))
    assert len(points["features"]) == 49
    lon, lat = points["features"][0]["geometry"]["coordinates"]
    assert lat > 52.214 and lon < -1.482
    assert "north up" in said(live, "local-grid", BRINE, "1")


def test_cobble_and_crane_is_weak_in_one_country_and_far_behind_on_mobile(live):
    with live.client() as noctilum:
        by = {row.key: row.now.visibility for row in noctilum.rank_summary(CRANE, "country").rows}
        devices, fine = noctilum.device_ranks(CRANE), noctilum.device_ranks(SKERRY)
    assert min(by, key=by.get) == "NL" and by["NL"] < 0.6 * min(by["GB"], by["IE"])
    assert devices.far and devices.behind >= 3
    assert "Mobile is far behind desktop" in devices.sentences[0].text
    assert not fine.far


def test_shares_of_voice_add_up_to_one_and_a_domain_opens_like_ones_own(live):
    with live.client() as noctilum:
        found = noctilum.share_of_voice(SKERRY, limit=1000)
        rival = noctilum.domain(SKERRY, "islehopper.example", limit=1000)
        with pytest.raises(ProblemFault, match="was on no result page"):
            noctilum.domain(SKERRY, "never.example")
    assert sum(row.share for row in found.rows) == pytest.approx(1, abs=1e-3)
    for n in (n for n, step in enumerate(found.steps) if step.checks):
        assert sum(row.shares[n] or 0 for row in found.rows) == pytest.approx(1, abs=1e-3)
    assert {row.domain for row in found.rows if row.named} == {"islehopper.example", "soundcrossings.example"}
    assert sum(page.keywords for page in rival.pages) >= len(rival.rows) == rival.matching


def test_the_two_tracks_of_one_client_are_read_apart_or_together(live):
    with live.client() as noctilum:
        rows = {row.key: row.tracked for row in noctilum.rank_summary(SKERRY, "track").rows}
        german = noctilum.ladder(SKERRY, track="de-DE")
    assert set(rows) == {"en-NO", "de-DE"} and german.matching == rows["de-DE"]
    assert {row.track for row in german.rows} == {"de-DE"}


def test_the_ladder_is_a_block_of_a_report_in_the_clients_language(live, tmp_path):
    path = tmp_path / "report.html"
    said(live, "report", SKERRY, "--also", "ladder", "rank-summary", "--to", str(path))
    text = path.read_text()
    assert "Rank ladder" in text and 'class="c b2"' in text and "ronsay ferry timetable" in text
    assert text.count('<td class="k">') == 36
    assert "Visibility" in text


# the console


def test_the_ladder_is_walked_with_the_keys_and_opens_a_keyword(page, live):
    page.goto(f"{live.url}/sites/{SKERRY}/ladder")
    ladder = page.get_by_role("region", name="Ranks of tracked keywords")
    ladder.focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("status").filter(has_text="rank")).to_be_visible()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/keywords/\d+"))
    kept = page.get_by_role("region", name="Kept result pages")
    expect(kept).to_contain_text("looked up")
    tables = kept.get_by_role("table")
    expect(tables).to_have_count(2)
    was, now = ([row.get_attribute("data-result") for row in each.locator("tr[data-result]").all()]
                for each in tables.all())  # fmt: skip
    expect(kept.locator(".joined path")).to_have_count(len({*was, *now}))
    whole = [each for each in kept.locator(".joined path").all() if "C" in (each.get_attribute("d") or "")]
    assert len(whole) == len({*was} & {*now})


def test_keywords_are_tracked_and_dropped_in_the_console(page, live):
    page.goto(f"{live.url}/sites/{UMBRA}/keywords")
    page.get_by_label("Keywords", exact=True).fill("comet tails\nmeteor dust")
    page.get_by_role("button", name="What would it cost?").click()
    expect(page.get_by_text("4 would be added")).to_be_visible()
    page.get_by_role("button", name="Track", exact=True).click()
    expect(page.get_by_text("4 added")).to_be_visible()
    for device in ("desktop", "mobile"):
        for term in ("comet tails", "meteor dust"):
            page.get_by_label(f"{term}, GB, {device}").check()
    page.get_by_role("button", name="Track no more").click()
    expect(page.get_by_text("4 changed")).to_be_visible()
    with live.client() as noctilum:
        assert not noctilum.keywords(UMBRA, find="comet tails")


ODD = "wort;wie wichtig;wo\ncomet dust;5;Aldermere\nnova light;nine;\n"


def test_a_file_with_odd_heads_is_mapped_tried_and_taken_in_the_console(page, live):
    page.goto(f"{live.url}/sites/{UMBRA}/keywords")
    file = {"name": "odd.csv", "mimeType": "text/csv", "buffer": ODD.encode()}
    page.get_by_label("from a CSV file").set_input_files(file)
    taking = page.get_by_role("region", name="The file")
    expect(taking).to_contain_text("No column holds the keywords")
    for name, role in (("wort", "term"), ("wie wichtig", "weight"), ("wo", "place")):
        taking.get_by_label(f"{name} is").select_option(role)
    expect(taking).to_contain_text("2 would be added, 0 tracked already, 1 lines cannot be used")
    expect(taking).to_contain_text("'nine' is no whole number")
    taking.get_by_role("button", name="Track these").click()
    expect(taking).to_contain_text("2 added")
    with live.client() as noctilum:
        made = noctilum.keywords(UMBRA, find="comet dust")
        assert {(each.weight, each.place, each.device) for each in made} == {
            (5, "Aldermere", "desktop"), (5, "Aldermere", "mobile")
        }  # fmt: skip
        for each in made:
            noctilum.drop_keyword(each.id)


def test_the_odd_file_is_mapped_in_the_terminal(live, tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text(ODD)
    columns = [word for each in ("wort=term", "wie wichtig=weight", "wo=place") for word in ("--column", each)]
    shown = said(live, "keywords", UMBRA, "--take", str(path), *columns, "--dry-run")
    assert "wort as term" in shown and "1 keyword would be added" in shown and "'nine'" in shown
    assert "NAME=ROLE" in said(live, "keywords", UMBRA, "--take", str(path), "--column", "wort", code=2)


def test_the_languages_and_countries_of_a_site_are_switched_like_sites(page, live):
    page.goto(f"{live.url}/sites/{SKERRY}/keywords")
    page.get_by_role("button", name=re.compile("^Language and country")).click()
    page.get_by_role("menuitem", name="German, Germany").click()
    expect(page).to_have_url(re.compile("track=de-DE"))
    expect(page.get_by_role("region", name="How they stand")).to_contain_text("6 looked up")
    page.get_by_role("link", name="Ladder").click()
    expect(page.get_by_text("6 of 36 tracked keywords")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Language and country"))).to_contain_text("German, Germany")


def test_a_local_grid_is_added_and_stopped_in_the_console(page, live):
    page.goto(f"{live.url}/sites/{UMBRA}/rank-places")
    page.get_by_text("Add a local grid").click()
    for label, value in (("Around", "Dome"), ("Term", "observatory"), ("Latitude", "95"), ("Longitude", "-1.5")):
        page.get_by_label(label, exact=True).fill(value)
    page.get_by_label("Points a side").fill("3")
    expect(page.get_by_text("9 lookups a week")).to_be_visible()
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text("Input should be less than or equal to 85", exact=True)).to_be_visible()
    page.get_by_label("Latitude").fill("51.5")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_label("around").locator("option:checked")).to_have_text("Dome: observatory, mobile")
    page.get_by_role("button", name="Stop looking it up").click()
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.get_by_text("No local grid is kept yet")).to_be_visible()
    with live.client() as noctilum:
        assert not noctilum.grids(UMBRA)


def test_a_hostile_capture_is_shown_as_text_and_nothing_of_it_runs_or_is_fetched(page, live):
    nasty = {
        "results": [
            {
                "rank": 1,
                "url": "https://evil.example/<img src=x onerror=alert(1)>",
                "title": "<script>alert(1)</script>",
            },
            {"rank": 2, "url": "https://evil.example/x", "title": "<img src='https://evil.example/pixel'>"},
        ],
        "features": [{"kind": "<b>video</b>", "above": 1, "owners": ["https://evil.example/"], "text": "<iframe>"}],
    }
    control = f"{live.feed.url}/control/lookups"
    httpx.put(control, json={"nonsense": {"nasty term": nasty}}).raise_for_status()
    with live.client() as noctilum:
        number = noctilum.take_keywords(AskKeywords(site=CRANE, terms=["nasty term"])).added[0].id
    said(live, "check", CRANE, str(number), "--yes")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.on("dialog", lambda dialog: pytest.fail("a script ran"))
    page.goto(f"{live.url}/sites/{CRANE}/keywords/{number}")
    expect(page.get_by_role("region", name="Kept result pages")).to_contain_text("evil.example")
    assert not [url for url in asked if "evil.example" in url]
    httpx.put(control, json={"nonsense": {}}).raise_for_status()
    with live.client() as noctilum:
        (told,) = [each for each in noctilum.notices() if each.code == "lookups-doubted"]
        assert "a result is left out" in told.text
        noctilum.see_notice(told.id)
    said(live, "keywords", CRANE, "--drop", str(number))


def test_the_map_pack_is_told_as_the_newest_kept_pages_show_it(live):
    with live.client() as noctilum:
        rows = noctilum.device_ranks(BRINE, limit=1000).rows
        keywords = noctilum.keywords(site=BRINE)
        told = {(row.term, row.place, row.track): row.pack for row in rows}
        assert any(told.values()) and len({*told.values()}) > 2
        for keyword in (each for each in keywords if each.device == "mobile"):
            name = keyword.term, keyword.place, f"{keyword.language}-{keyword.country}"
            page = noctilum.capture(BRINE, noctilum.captures(keyword.id)[0].id)
            shops = [owner.domain for each in page.features if each.kind == "map" for owner in each.owners]
            shown = any(each.kind == "map" for each in page.features)
            expected = (shops.index("brinepot.example") + 1 if "brinepot.example" in shops else 0) if shown else None
            if name in told and expected is not None:
                assert told[name] == expected
