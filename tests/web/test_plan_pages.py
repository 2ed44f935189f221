"""Plan, orders, show list and feed as pages and for programs: every part, every refusal in words."""

import io
import json
import os

import pytest
from jsonschema import Draft202012Validator
from makers import wait_for
from sqlalchemy import event, func, select

from drawstring.core.arrivals import scan
from drawstring.core.orders.document import read_order, schema
from drawstring.runs.readers import Readers
from drawstring.runs.scanning import Scanning
from drawstring.standins.renderer.ordered import obey
from drawstring.standins.tidewrack.staging import stages
from drawstring.store import deliveries, orders, owed, recipes, scans, shows
from drawstring.store.models import OrderRow, Shot, WatchedFolder
from drawstring.store.standing import shots_of, standing
from drawstring.web.plan.words import PARTS

TYPED = {
    "plan.size": "96x54", "plan.first": "1001", "plan.last": "1002", "plan.focal_mm": "32",
    "plan.filmback_mm": "36", "plan.overscan": "10 %", "plan.samples.picture": "1",
}  # fmt: skip


@pytest.fixture
def planned(sessions):
    """A shot that nothing has arrived for, planned."""
    with sessions.begin() as session:
        known = {show.code: show for show in shows.all_shows(session)}
        show = known.get("Tidewrack") or shows.make_show(session, "Tidewrack")
        shot = shows.make_shot(session, show, "TW040", title="Two eyes")
        recipes.set_values(session, shot, {**TYPED, "plan.needed": "yes"})
        return shot


def test_every_part_of_the_plan_is_a_page_before_and_after_arrival(client, fog, planned):
    for shot in (planned, fog):
        for part in PARTS:
            page = client.get(f"/shots/{shot.id}/plan?part={part}").text
            assert "Order" in page and f'aria-label="{PARTS[part]}"' in page, part
    early = client.get(f"/shots/{planned.id}").headers["Location"]
    assert early.endswith("/plan"), "a shot that nothing has arrived for begins at its plan"
    said = client.get(f"/shots/{fog.id}/plan?part=depth").text
    assert "as what came came" not in said and "v001" in said


def test_a_value_that_is_typed_plans_the_shot_and_a_bad_one_is_refused(client, fog, sessions):
    said = client.post(f"/shots/{fog.id}/plan?part=overscan", data={"plan.overscan": "10 %"}).text
    assert "x 1.1" in said.replace("×", "x")
    with sessions() as session:
        assert recipes.current(session, session.get(Shot, fog.id)).plan.needed
    for name, value in (("plan.overscan", "lots"), ("plan.last", "-3"), ("plan.round.width", "1")):
        assert client.post(f"/shots/{fog.id}/plan", data={name: value}).status_code == 422, name
    assert client.post(f"/shots/{fog.id}/plan/pick", data={"of": "plan.size"}).status_code == 422
    picked = client.post(
        f"/shots/{fog.id}/plan/pick", data={"of": "plan.near", "number": 1012, "across": 0.5, "down": 0.9}
    )
    assert picked.status_code == 200
    with sessions() as session:
        near = recipes.current(session, session.get(Shot, fog.id)).plan.near
    assert near is not None and 1 < near < 30


def test_an_order_is_made_read_taken_along_and_compared(client, planned, sessions):
    assert (
        client.post(f"/shots/{planned.id}/plan/order", data={"order.says": "first look"}).status_code == 200
    )
    page = client.get("/shows/Tidewrack/orders/1").text
    assert "first look" in page and "106 × 60" in page and "TW040/v001/TW040_main_v001.1001.exr" in page
    document = json.loads(client.get("/shows/Tidewrack/orders/1.json").text)
    Draft202012Validator(json.loads(client.get("/orders/schema.json").text)).validate(document)
    assert schema() == json.loads(client.get("/orders/schema.json").text)
    assert client.get("/shows/Tidewrack/orders/1.csv").text.startswith("shot,render")
    client.post(f"/shots/{planned.id}/plan", data={"plan.last": "1004"})
    made = client.post("/shows/Tidewrack/orders", data={"shot": planned.id})
    assert made.status_code == 303
    said = client.get("/shows/Tidewrack/orders/2").text
    assert "frames 1001-1002 → 1001-1004" in said
    with sessions() as session:
        how = standing(session, session.get(Shot, planned.id))
        assert how.knots[0].summary == "order 2" and how.knots[0].state.value == "settled"
    assert client.get("/shows/Tidewrack/orders/9").status_code == 404
    assert client.post("/shows/Tidewrack/orders", data={}).status_code == 422


def test_what_can_not_be_ordered_orders_nothing(client, planned, sessions):
    with sessions.begin() as session:
        shows.make_shot(session, shows.find_show(session, "Tidewrack"), "TW777")
    refused = client.post("/shows/Tidewrack/orders", data={"every": "yes"})
    assert refused.status_code == 422 and "nobody has said which frames" in refused.text
    with sessions() as session:
        assert session.scalar(select(func.count()).select_from(OrderRow)) == 0


def test_ordered_rendered_accepted_and_what_is_wrong_is_asked_for_again(client, planned, sessions, tmp_path):
    client.post(f"/shots/{planned.id}/plan/order")
    with sessions() as session:
        document = orders.document_of(orders.find(session, shows.find_show(session, "Tidewrack"), 1))
    for _ in obey(document, stages(), str(tmp_path)):
        pass
    os.remove(tmp_path / "TW040/v001/TW040_main_v001.1002.exr")
    found = scan(str(tmp_path), roots=[str(tmp_path)]).candidates[0]
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        told = orders.standing_of_candidate(session, show, found, is_filling=True)
        assert told.coming["main"].here == 1 and told.findings == []
        told = orders.standing_of_candidate(session, show, found, is_filling=False)
        assert [finding.code for finding in told.findings] == ["order-frames-missing"]
        deliveries.accept(session, session.get(Shot, planned.id), found)
    with sessions() as session:
        findings = standing(session, session.get(Shot, planned.id)).findings["plan"]
        (missing,) = [finding for finding in findings if finding.code.startswith("order-")]
    page = client.get(f"/shots/{planned.id}/plan").text
    assert "1 of 2 ordered frames" in page and "/plan/ask-again" in page
    values = dict(missing.mends[0].values)
    assert (
        "waits for the next repair order"
        in client.post(f"/shots/{planned.id}/plan/ask-again", data=values).text
    )
    client.post(f"/shots/{planned.id}/plan/ask-again", data=values)
    assert "To be asked for again" in client.get("/shows/Tidewrack/orders").text
    assert client.post("/shows/Tidewrack/orders/repair", data={"order.says": "hole"}).status_code == 303
    repair = read_order(client.get("/shows/Tidewrack/orders/2.json").text)
    assert repair.kind == "repair" and repair.shots[0].renders[0].numbers == [1002] and repair.repairs == 1
    assert client.post("/shows/Tidewrack/orders/repair").status_code == 422, "nothing waits any more"
    # The repair is rendered, and all is there as it was ordered.
    for _ in obey(repair, stages(), str(tmp_path)):
        pass
    whole = scan(str(tmp_path), roots=[str(tmp_path)]).candidates[0]
    with sessions.begin() as session:
        deliveries.accept(session, session.get(Shot, planned.id), whole)
    with sessions() as session:
        findings = standing(session, session.get(Shot, planned.id)).findings["plan"]
        assert not [finding for finding in findings if finding.code.startswith("order-")]
    odd = {"render": "nobody", "frames": "1001"}
    assert client.post(f"/shots/{planned.id}/plan/ask-again", data=odd).status_code == 422


def test_the_show_list_is_typed_pasted_brought_and_stands_on_the_board(client, fog, sessions):
    add = {
        "list.shot": "TW010",
        "list.frames": "1010-1999",
        "list.passes": "depth caustics",
        "list.due": "2020-01-01",
    }
    assert client.post("/shows/Tidewrack/list", data=add).status_code == 303
    pasted = "shot,variant,frames\nTW500,night,1-24\nTW500,day,1-24\n"
    assert client.post("/shows/Tidewrack/list/paste", data={"list.table": pasted}).status_code == 303
    file = {"list.file": (io.BytesIO(b"shot;view\nTW600;left\nTW600;right\n"), "list.csv")}
    assert client.post("/shows/Tidewrack/list/file", data=file).status_code == 303
    page = client.get("/shows/Tidewrack/list").text
    assert "caustics" in page and page.count('data-standing="missing"') == 4
    assert 'data-standing="late"' in page
    board = client.get("/shows/Tidewrack").text
    assert "TW500_night" in board and "1 late" in board and "4 missing" in board
    with sessions() as session:
        show = shows.find_show(session, "Tidewrack")
        assert {shot.code: shot.variant for shot in show.shots}["TW500_night"] == "night"
        number = owed.pieces(session, show)[0][0]
    for bad in ({"list.table": "TW500,night\nTW500,night"}, {"list.table": ""}):
        assert client.post("/shows/Tidewrack/list/paste", data=bad).status_code == 422
    for name, data in (("cut.otio", b"{"), ("cut.doc", b"x")):
        file = {"list.file": (io.BytesIO(data), name)}
        assert client.post("/shows/Tidewrack/list/file", data=file).status_code == 422
    assert client.post(f"/shows/Tidewrack/list/{number}/drop").status_code == 303
    assert client.post(f"/shows/Tidewrack/list/{number}/drop").status_code == 404
    missing = client.get("/shows/Tidewrack/list?standing=extra").text
    assert 'data-standing="extra"' in missing and "TW010" in missing


def test_the_board_asks_the_database_as_often_for_many_owed_pieces_as_for_few(client, fog, sessions):
    def queries() -> int:

        count = 0

        def counted(*_) -> None:
            nonlocal count
            count += 1

        with sessions() as session:
            engine = session.get_bind()
            event.listen(engine, "before_cursor_execute", counted)
            show = shows.find_show(session, "Tidewrack")
            owed.standing(session, show, shots_of(session, show))
            event.remove(engine, "before_cursor_execute", counted)
        return count

    few = queries()
    table = "\n".join(f"TW{i:04d},,,,1001-1024" for i in range(500))
    client.post("/shows/Tidewrack/list/paste", data={"list.table": table})
    assert client.get("/shows/Tidewrack").status_code == 200 and queries() <= few + 5


def test_a_feed_that_is_not_there_is_told_on_its_page(client, fog):
    assert "asking the renderer" in client.get("/shows/Tidewrack/feed").text
    lost = client.get("/shows/Tidewrack/feed/stand-in/offer").text
    assert "can&#39;t be reached" in lost and "ask again" in lost
    said = client.get("/shows/Tidewrack/feed/stand-in/renders/a-1").json
    assert said["trouble"]["kind"] == "lost"
    assert client.get("/shows/Tidewrack/feed/elsewhere/renders/a-1").json["trouble"]["kind"] == "gone"
    odd = client.post("/shows/Tidewrack/feed/stand-in/renders", data={"feed.frames": "now"}).json
    assert "no range of frames" in odd["trouble"]["what"]


def test_a_watched_folder_that_never_rests_is_scanned_while_it_fills(
    app, sessions, tmp_path, planned, monkeypatch
):
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        session.add(WatchedFolder(show=show, folder=str(tmp_path)))
    monkeypatch.setattr("drawstring.runs.scanning.FILLING_S", 0.3)
    readers = Readers(1)
    scanning = Scanning(sessions, readers, [str(tmp_path)], look_s=0.1)
    count = 0

    def fills() -> bool:
        nonlocal count
        count += 1
        (tmp_path / f"TW040_main_v001.{count:04d}.exr").write_bytes(b"half a picture")
        scanning.step()
        with sessions() as session:
            return bool(scans.recent(session, shows.find_show(session, "Tidewrack")))

    wait_for(fills, seconds=20)
    scanning.close()
