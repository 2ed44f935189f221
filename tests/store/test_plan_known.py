"""What is known of a shot for its plan: from delivery, recipe and show list; orders kept and asked again."""

import threading
from datetime import date

import pytest
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.orders.document import read_order
from drawstring.core.owed.piece import Piece, Standing
from drawstring.core.plan.planned import Planned
from drawstring.store import deliveries, orders, owed, recipes, shows
from drawstring.store.models import OrderRow, Shot
from drawstring.store.plan.known import known_of
from drawstring.store.standing import shots_of, standing


def known(session, shot):
    return known_of(session, shot, recipes.current(session, shot))


def test_a_delivery_tells_size_camera_frames_passes_and_what_they_weigh(session, shot, report):
    told = known(session, shot)
    assert told.size == (192, 108) and told.came == "v001" and (told.first, told.last) == (1010, 1015)
    assert (told.focal_mm, told.filmback_mm) == (30, 36) and told.camera_clip == pytest.approx((0.1, 1000))
    assert {"beauty", "depth", "object_matte"} <= set(told.passes) and told.pitch is None
    # All passes of a file share what its compression left: together they weigh what a file weighs.
    bits = sum(each.bits * each.share for each in told.bytes_of.values())
    files = sum(frame.size_bytes for frame in report.frames) / len(report.frames)
    assert bits / 8 * 192 * 108 == pytest.approx(files, rel=0.02)
    plan = Planned(recipes.current(session, shot), told)
    assert plan.source("focal_mm") == "as v001 came" and plan.source("fps") == "the show's rate"


def test_the_show_list_goes_before_what_came_and_asks_for_passes(session, shot):
    piece = Piece("TW010", first=1001, last=1050, width=960, height=540, passes=("motion",))
    owed.put(session, shot.show, [piece])
    told = known(session, shot)
    assert told.size == (960, 540) and (told.first, told.last) == (1001, 1050) and told.owed == ("motion",)
    plan = Planned(recipes.current(session, shot), told)
    assert plan.source("size") == "as the show list says"
    assert next(line for line in plan.asked if line.name == "motion").why == ("owed by the show list",)


def test_lens_moves_and_convergence_ask_for_overscan_together(session, shot):
    recipes.set_values(session, shot, {"framing.needed": "yes", "framing.whole.right": "9"})
    (least,) = known(session, shot).least
    assert least.overscan.sides == (9, 0, 0, 0) and least.why == "the reposition"
    recipes.set_values(session, shot, {"eyes.needed": "yes", "eyes.shift": "6"})
    (least,) = known(session, shot).least
    assert least.overscan.sides == (12, 0, 3, 0) and "convergence" in least.why and "reposition" in least.why
    recipes.set_values(session, shot, {"framing.needed": "no"})
    assert known(session, shot).least[0].overscan.sides == (3, 0, 3, 0)
    # The press of the frame that is not filled plans it.
    recipes.set_values(session, shot, {"framing.needed": "yes", "eyes.needed": "no"})
    findings = standing(session, shot).findings["framing"]
    (press,) = [mend for finding in findings for mend in finding.mends if "plan" in mend.label]
    recipes.set_values(session, shot, dict(press.values))
    plan = Planned(recipes.current(session, shot), known(session, shot))
    assert all(has >= most for has, most in zip(plan.overscan.sides, plan.least.sides, strict=True))


def test_two_who_order_at_once_get_two_numbers(database, candidate):
    sessions = sessionmaker(database, expire_on_commit=False)
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        for code in ("TW010", "TW020"):
            deliveries.accept(session, shows.make_shot(session, show, code), candidate)
    numbers: list[int] = []

    def order(code: str) -> None:
        with sessions.begin() as session:
            show = shows.find_show(session, "Tidewrack")
            numbers.append(orders.make(session, show, [shows.find_shot(session, code)]).number)

    both = [threading.Thread(target=order, args=(code,)) for code in ("TW010", "TW020")]
    for one in both:
        one.start()
    for one in both:
        one.join()
    assert sorted(numbers) == [1, 2]


def test_an_order_stays_as_it_was_and_the_plan_opens_when_it_changes(session, shot):
    row = orders.make(session, shot.show, [shot], says="night")
    document = orders.document_of(orders.find(session, shot.show, row.number))
    assert document.shots[0].version == 2 and document.shots[0].renders[0].numbers[0] == 1010
    how = standing(session, shot)
    assert (how.knots[0].summary, how.knots[0].state.value) == ("order 1", "settled")
    recipes.set_values(session, shot, {"plan.overscan": "10 %"})
    assert standing(session, shot).knots[0].state.value == "open"
    assert orders.document_of(orders.find(session, shot.show, 1)) == document
    assert orders.former_of(session, row) is None
    again = orders.make(session, shot.show, [shot])
    assert orders.former_of(session, again) == document
    with pytest.raises(MissingError):
        orders.find(session, shot.show, 99)
    with pytest.raises(SettingError, match="No shot is chosen"):
        orders.make(session, shot.show, [])


def test_asking_again_collects_each_frame_once(session, shot):
    with pytest.raises(ConflictError, match="No order asks"):
        orders.ask_again(session, shot, "main", [1010])
    orders.make(session, shot.show, [shot])
    orders.ask_again(session, shot, "main", [1012, 1010], why="torn")
    row = orders.ask_again(session, shot, "main", [1010, 1011], why="late")
    assert row.frames == [1010, 1011, 1012] and row.why == "torn; late"
    orders.ask_again(session, shot, "main", [1010], ["depth"])
    assert len(orders.asked_again(session, shot.show)) == 2
    repair = orders.make_repair(session, shot.show)
    part = read_order(repair.document).shots[0].renders[0]
    assert part.numbers == [1010, 1011, 1012] and "beauty" in part.passes, (
        "all passes of a frame go before some"
    )
    assert orders.asked_again(session, shot.show) == []
    orders.ask_again(session, shot, "main", [1010])
    (waits,) = orders.asked_again(session, shot.show)
    orders.drop_asked(session, shot.show, waits.id)
    with pytest.raises(SettingError, match="Nothing waits"):
        orders.make_repair(session, shot.show)
    # A repair order is none that arrivals are held against.
    assert orders.asks_for(session, shot)[0].kind == "whole"


def test_pieces_stand_by_what_came_and_new_shots_are_made_once(session, shot):
    pieces = [
        Piece("TW010", first=1010, last=1015, passes=("depth",)), Piece("TW010", variant="night"),
        Piece("TW500", due=date(2031, 1, 1), view="left"), Piece("TW500", view="right"),
    ]  # fmt: skip
    assert owed.put(session, shot.show, pieces) == 2 and owed.put(session, shot.show, pieces) == 0
    rows = owed.standing(session, shot.show, shots_of(session, shot.show), date(2031, 5, 1))
    told = {row.piece.says: row.standing for row in rows}
    assert told == {
        "TW010": Standing.HERE, "TW010_night": Standing.MISSING, "TW500, left": Standing.LATE,
        "TW500, right": Standing.MISSING,
    }  # fmt: skip
    owed.put(session, shot.show, pieces[:1], replaces=True)
    assert len(owed.pieces(session, shot.show)) == 1 and len(shot.show.shots) >= 1
    owed.put(session, shot.show, [Piece("TW777")], replaces=True)
    rows = owed.standing(session, shot.show, shots_of(session, shot.show))
    assert {row.piece.code: row.standing for row in rows}["TW010"] is Standing.EXTRA


def test_a_variant_that_arrives_is_a_shot_of_its_own(session, shot, copied):
    for path in list(copied.iterdir()):
        path.rename(path.with_name(path.name.replace("TW010_", "TW010_night_")))
    (found,) = scan(str(copied), roots=[str(copied)]).candidates
    assert (found.shot, found.variant) == ("TW010_night", "night")
    night = shows.shot_for(session, shot.show, found.shot)
    deliveries.accept(session, night, found)
    assert night.variant == "night" and night.id != shot.id
    assert session.get(Shot, shot.id).variant == "" and session.query(OrderRow).count() == 0
