"""The store: tables as the models say, nonsense impossible, revisions never lost, few queries."""

from datetime import timedelta

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from drawstring.core.arrivals import scan
from drawstring.core.depth import FrameDistances, tally
from drawstring.core.depth.counting import tally_from_json, tally_to_json
from drawstring.core.errors import ConflictError, MissingError, SettingError, SourceError
from drawstring.core.recipe import KnotState, Recipe
from drawstring.store import correcting, deliveries, ledger, measuring, recipes, shows
from drawstring.store.depth.measured import whole_tally
from drawstring.store.models import Base, Frame, Revision, Run, RunFrame, now
from drawstring.store.standing import shots_of, standing, standings


def test_the_tables_are_what_the_models_say(session):
    assert compare_metadata(MigrationContext.configure(session.connection()), Base.metadata) == []


@pytest.mark.parametrize(
    "nonsense",
    [
        lambda shot: Run(shot_id=shot.id, delivery_id=shot.delivery_id, revision_id=10**6,
                         version=1, folder="x"),
        lambda shot: Run(shot_id=shot.id, delivery_id=shot.delivery_id, revision_id=shot.revisions[0].id,
                         version=0, folder="x"),
        lambda shot: Run(shot_id=shot.id, delivery_id=shot.delivery_id, revision_id=shot.revisions[0].id,
                         version=1, folder="x", state="perhaps"),
        lambda shot: Revision(shot_id=shot.id, number=1, recipe={}, digest="x"),
        lambda shot: Frame(member_id=shot.delivery.members[0].id, number=-1, path="x", size_bytes=1,
                           mtime_ns=1),
        lambda shot: RunFrame(run_id=10**6, number=1, file_name="x"),
    ],
)  # fmt: skip
def test_nonsense_is_impossible(session, shot, nonsense):
    session.add(nonsense(shot))
    with pytest.raises(IntegrityError):
        session.flush()


def test_a_shot_can_not_use_another_shots_delivery(session, shot):
    other = shows.make_shot(session, shot.show, "TW999")
    session.execute(text("SET CONSTRAINTS ALL IMMEDIATE"))
    with pytest.raises(IntegrityError, match="shots_delivery"):
        session.execute(
            text("UPDATE shots SET delivery_id = :s WHERE id = :i"), {"s": shot.delivery_id, "i": other.id}
        )


def test_accepting_keeps_what_was_found_and_settles_arrivals(session, shot, report, candidate):
    how = standing(session, shot)
    states = {knot.name: knot.state for knot in how.knots}
    # One view that is seen flat, and nobody has taken its parts up.
    assert {states.pop(name) for name in ("plan", "eyes", "assembly", "scene", "framing")} == {
        KnotState.NOT_NEEDED
    }
    assert list(states.values()) == [KnotState.SETTLED] + [KnotState.OPEN] * 3
    assert how.frames == len(report.frames) and deliveries.passes_of(shot.delivery) == report.passes
    again = deliveries.accept(session, shot, candidate)
    assert again.id == shot.delivery_id and len(shot.deliveries) == 1
    assert deliveries.facts_of(again).layout == report.facts.layout


def test_another_delivery_keeps_the_recipe_and_makes_settled_knots_stale(session, shot, copied):
    recipes.set_values(session, shot, {"depth.near": "2", "depth.far": "90"})
    recipes.settle(session, shot, "depth")
    (newer,) = scan(str(copied), roots=[str(copied.parent)]).candidates
    deliveries.accept(session, shot, newer)
    session.expire_all()
    knots = {knot.name: knot for knot in standing(session, shot).knots}
    assert knots["depth"].state is KnotState.STALE and "was accepted since" in knots["depth"].reason
    assert recipes.current(session, shot).depth.near == 2


def test_undo_walks_back_step_by_step_and_forgets_nothing(session, shot):
    for near in ("1", "2", "3"):
        recipes.set_values(session, shot, {"depth.near": near})
    assert recipes.undo(session, shot).recipe["depth"]["near"] == 2
    assert recipes.undo(session, shot).recipe["depth"]["near"] == 1
    recipes.set_values(session, shot, {"depth.near": "9"})
    assert recipes.undo(session, shot).recipe["depth"]["near"] == 1
    numbers = session.scalars(select(Revision.number).where(Revision.shot_id == shot.id)).all()
    assert sorted(numbers) == list(range(1, 9))
    with pytest.raises(ConflictError, match="nothing to undo"):
        for _ in range(20):
            recipes.undo(session, shot)


def test_refused_values_write_no_revision(session, shot):
    before = recipes.head(session, shot).number
    with pytest.raises(SettingError):
        recipes.set_values(session, shot, {"depth.near": "9", "depth.far": "3"})
    assert recipes.head(session, shot).number == before
    assert recipes.current(session, shot).depth == Recipe().depth


def test_a_corrected_role_is_kept_and_depth_measured_anew(session, shot):
    correcting.correct_role(session, shot.delivery, "occlusion", "depth")
    row = next(one for one in shot.delivery.passes if one.layer == "occlusion")
    assert (row.role, row.confidence, row.reason) == ("depth", 1.0, "said by a person")
    assert (
        shot.delivery.measured("depth").state == "waiting"
        and shot.delivery.measured("depth").pass_name == row.name
    )
    with pytest.raises(SettingError, match="no role"):
        correcting.correct_role(session, shot.delivery, "normal", "colour")
    with pytest.raises(MissingError, match="no pass"):
        correcting.correct_role(session, shot.delivery, "nothing", "depth")


def test_measurements_come_back_as_they_were(session, shot, report, candidate):
    import numpy as np

    tallies = {n: tally(np.random.default_rng(n).gamma(2, 9, (30, 40)).astype(np.float32)) for n in (1, 2)}
    measuring.finish(
        shot.delivery.measured("depth"), {n: FrameDistances(one) for n, one in tallies.items()}, {3: "torn"}
    )
    session.flush()
    whole = whole_tally(session, shot.delivery)
    assert whole.pixels == 2400 and whole.nearest == min(one.nearest for one in tallies.values())
    assert whole.percentile(50) == tally_from_json(tally_to_json(whole)).percentile(50)
    assert "1 frame could not be counted: torn" in shot.delivery.measured("depth").note


def test_codes_names_and_units_are_checked(session, shot):
    for code in ("", "a b", "../x", "-x", "x" * 41):
        with pytest.raises(SettingError, match="can't be a code"):
            shows.make_shot(session, shot.show, code)
    with pytest.raises(ConflictError, match="has a shot TW010 already"):
        shows.make_shot(session, shot.show, "TW010")
    with pytest.raises(SettingError, match="not a unit"):
        shows.make_show(session, "Other", scene_unit="yard")
    other = shows.make_show(session, "Other")
    shows.make_shot(session, other, "TW010")
    with pytest.raises(
        ConflictError, match="Say Other/TW010, Tidewrack/TW010|Say Tidewrack/TW010, Other/TW010"
    ):
        shows.find_shot(session, "TW010")
    assert shows.find_shot(session, "Other/TW010").show is other
    with pytest.raises(MissingError, match="There are: TW010"):
        shows.find_shot(session, "TW011")


def test_a_delivery_without_a_usable_frame_is_refused(session, shot, copied):
    for path in copied.iterdir():
        path.write_bytes(b"")
    (torn,) = scan(str(copied), roots=[str(copied.parent)]).candidates
    with pytest.raises(SourceError, match="No frame of"):
        deliveries.accept(session, shot, torn)


def test_a_board_takes_the_same_few_queries_for_any_number_of_shots(session, shot, candidate, count_queries):
    def board() -> int:
        session.expire_all()
        seen = count_queries(session)
        rows = standings(session, shots_of(session, shot.show))
        assert all(row.passes for row in rows)
        return len(seen)

    board()
    few = board()
    for number in range(6):
        one = shows.make_shot(session, shot.show, f"TW2{number}0")
        deliveries.accept(session, one, candidate)
    board()  # what follows from a new delivery is worked out once, when it is first looked at
    assert board() == few <= 14


def test_changes_made_at_once_build_on_each_other(database_url, candidate):
    from concurrent.futures import ThreadPoolExecutor

    from sqlalchemy.orm import sessionmaker

    from drawstring.store.database import connect
    from drawstring.store.models import Shot

    database = connect(database_url)
    sessions = sessionmaker(database)
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW010")
        deliveries.accept(session, shot, candidate)
        number = shot.id
    typed = [{"depth.near": "2"}, {"depth.far": "90"}, {"depth.mapping": "logarithmic"},
             {"pack.compression": "piz"}, {"pack.normal.layer": "N"}, {"arrivals.first": "1011"}]  # fmt: skip

    def change(values):
        with sessions.begin() as session:
            recipes.set_values(session, session.get_one(Shot, number), values)

    with ThreadPoolExecutor(len(typed)) as pool:
        list(pool.map(change, typed))
    with sessions() as session:
        shot = session.get_one(Shot, number)
        recipe = recipes.current(session, shot)
        assert (recipe.depth.near, recipe.depth.far, recipe.depth.mapping) == (2, 90, "logarithmic")
        assert recipe.pack.row("normal").layer == "N" and recipe.arrivals.first == 1011
        assert [one.number for one in shot.revisions] == list(range(1, 8))
    database.dispose()


def test_runs_are_listed_by_what_is_worked_on_and_frames_lie_together_in_spans(session, shot):
    revision = recipes.settle(session, shot, "arrivals")
    begun = {"shot_id": shot.id, "delivery_id": shot.delivery_id, "revision_id": revision.id, "folder": "x"}
    for version, (state, frames) in enumerate(
        (("done", "pp"), ("failed", "ppfwwp"), ("cancelled", "w"), ("running", "pw")), 1
    ):
        run = Run(**begun, version=version, state=state, ended_at=None if state == "running" else now())
        run.asked_at = now() - timedelta(minutes=10 - version)
        if state == "done":
            run.ended_at = now() - timedelta(hours=1)
        names = {"p": "proven", "f": "failed", "w": "waiting"}
        run.frames = [
            RunFrame(number=1001 + i, file_name=f"{i}", state=names[letter], checksum="x" * (letter == "p"))
            for i, letter in enumerate(frames)
        ]
        session.add(run)
    session.flush()
    assert [run.state for run in ledger.together(session, shot.show)] == ["running", "failed"], "of one night"
    listed = ledger.recent(session, shot.show, limit=2)
    assert [run.state for run in listed] == ["running", "cancelled", "failed"]
    spans = ledger.spans(session, listed, ledger.progress(session, listed))
    assert [(one.state, one.frames) for one in spans[listed[1].id]] == [("waiting", 1)]
    assert [(one.state, one.first, one.last, one.frames) for one in spans[listed[2].id]] == [
        ("proven", 1001, 1002, 2), ("failed", 1003, 1003, 1), ("waiting", 1004, 1005, 2),
        ("proven", 1006, 1006, 1),
    ]  # fmt: skip
    whole = ledger.as_one(ledger.progress(session, listed).values())
    assert (whole.total, whole.proven, whole.failed, whole.left) == (9, 4, 1, 4)
