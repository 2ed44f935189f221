"""A show of many shots: found, narrowed, sorted and paged by the server; all that fit run in one press."""

import re
from datetime import timedelta

import pytest
from makers import count_facts_here
from sqlalchemy import event

from drawstring.store import deliveries, dismissals, recipes, shows
from drawstring.store.models import Run, RunFrame, now
from drawstring.store.standing import shots_of, standings
from drawstring.store.tallies import tallies

COUNT = 120


@pytest.fixture
def many(sessions, candidate):
    """A show of many shots, of which every tenth has arrived."""
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        for number in range(COUNT):
            title = "Fog over the yard" if number % 3 == 0 else "Buoys"
            shot = shows.make_shot(session, show, f"TW{number:03d}", title=title)
            if number % 10 == 0:
                deliveries.accept(session, shot, candidate)


def codes(page) -> list[str]:
    return re.findall(r"<strong>(TW\d{3})</strong>", page.text)


def test_a_board_of_many_is_found_narrowed_sorted_and_paged(client, many, sessions):
    first = client.get("/shows/Tidewrack")
    assert codes(first) == [f"TW{n:03d}" for n in range(50)] and "page 1 of 3" in first.text
    assert f"{COUNT} shots" in first.text
    assert codes(client.get("/shows/Tidewrack?page=3")) == [f"TW{n:03d}" for n in range(100, 120)]
    assert codes(client.get("/shows/Tidewrack?page=99")) == [f"TW{n:03d}" for n in range(100, 120)]
    assert codes(client.get("/shows/Tidewrack?page=-4&which=none+such")) == codes(first)
    fog = client.get("/shows/Tidewrack?q=FOG+tw01")
    assert codes(fog) == ["TW012", "TW015", "TW018"] and f"3 of {COUNT}" in fog.text
    assert "No shot fits" in client.get("/shows/Tidewrack?q=nobody").text
    awaited = client.get("/shows/Tidewrack?which=awaited")
    assert f"{COUNT - 12} of {COUNT}" in awaited.text and "TW010" not in codes(awaited)
    assert codes(client.get("/shows/Tidewrack?which=unpacked")) == [f"TW{n:03d}" for n in range(0, 120, 10)]
    newest = codes(client.get("/shows/Tidewrack?by=arrived"))
    assert newest[:12] == [f"TW{n:03d}" for n in range(110, -1, -10)]
    # What is dismissed, settled or put under way counts at once.
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW020")
        count_facts_here(session, shot)
        # A lens that reaches beyond what was rendered leaves a rim: said, and no reason to stop.
        recipes.set_values(session, shot, {"framing.needed": "yes", "framing.whole.right": "9"})
    found = client.get("/shows/Tidewrack?which=findings")
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW020")
        (how,) = standings(session, [shot])
        warning = next(one for one in how.all_findings if one not in how.stops)
        before = len(how.all_findings)
        dismissals.dismiss(session, shot, warning.fact, "as meant")
    assert "TW020" in codes(found)
    with sessions.begin() as session:
        told = {one.code: one for one in tallies(session, shows.find_show(session, "Tidewrack"))}
        assert len(told["TW020"].findings) == before - 1 and told["TW020"].away[0].reason == "as meant"
        session.add(
            Run(
                shot_id=told["TW030"].shot_id, version=1, folder="x", state="waiting",
                delivery_id=shows.find_shot(session, "TW030").delivery_id,
                revision_id=recipes.settle(session, shows.find_shot(session, "TW030"), "arrivals").id,
            )
        )  # fmt: skip
    assert codes(client.get("/shows/Tidewrack?which=running")) == ["TW030"]
    away = client.get("/shows/Tidewrack/findings?away=yes").text
    assert "as meant" in away and "TW020" in away


def test_tallies_are_what_standings_are_and_cost_the_same_few_queries_however_many(many, sessions):
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        told = tallies(session, show)
        for one, how in zip(told, standings(session, shots_of(session, show)), strict=True):
            assert one.shot_id == how.shot.id and list(one.findings) == how.all_findings
            assert one.stops == len(how.stops) and one.counting == how.counting
            assert one.is_settled == all(knot.is_taut for knot in how.knots)
    asked = []
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        event.listen(session.get_bind(), "before_cursor_execute", lambda *told: asked.append(told[2]))
        assert len(tallies(session, show)) == COUNT
        assert len(asked) <= 4, asked
        recipes.set_values(session, shows.find_shot(session, "TW040"), {"depth.near": "3", "depth.far": "9"})
        asked.clear()
        changed = {one.code: one for one in tallies(session, show)}
        assert len(asked) < COUNT / 5, "one shot moved, and it alone is worked out"
        states = set()
        for title in ("Once", "Twice"):
            shows.find_shot(session, "TW040").title = title
            states |= {one.state for one in tallies(session, show) if one.title == title}
        assert len(states) == 2, "what one transaction changes twice has changed twice"
    before = {one.code: one.state for one in told}
    assert [code for code, one in changed.items() if one.state != before[code]] == ["TW040"]


def test_all_that_fit_are_run_in_one_press_and_those_that_cannot_are_told(client, many, sessions):
    answer = client.post("/shows/Tidewrack/runs", data={"shot": "1", "matching": "yes", "which": "unpacked"})
    with sessions() as session:
        planned = session.query(Run).count()
    assert planned == 12 and answer.status_code in (200, 204, 303), answer.text
    # Twice is once too often: each says why, and nothing is planned.
    again = client.post("/shows/Tidewrack/runs", data={"shot": "1", "matching": "yes", "which": "all"})
    with sessions.begin() as session:
        assert session.query(Run).count() == 12
        first = session.query(Run).order_by(Run.id).first()
        assert again.text.count("is under way or paused") == 12 and first.shot.code in again.text
        # Many more that are at their end, one a minute.
        session.add_all(
            Run(
                shot_id=first.shot_id, delivery_id=first.delivery_id, revision_id=first.revision_id,
                version=number, folder=f"x{number}", state="cancelled",
                ended_at=now() - timedelta(minutes=number),
                frames=[RunFrame(number=1001, file_name="x", state="proven", checksum="x")],
            )
            for number in range(2, 62)
        )  # fmt: skip
    pages = [client.get(f"/shows/Tidewrack/runs?page={number}").text for number in (1, 2, 9)]
    told = [re.findall(r"</strong> v(\d{3})</a>", page) for page in pages]
    assert "12 runs under way" in pages[0] and "12 runs under way" in pages[1], "of the show, not of the page"
    assert told[0] == ["001"] * 12 + [f"{n:03d}" for n in range(2, 40)] and "page 1 of 2" in pages[0]
    assert told[1] == told[2] == [f"{n:03d}" for n in range(40, 62)]
