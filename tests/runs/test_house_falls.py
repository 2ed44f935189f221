"""A whole house under a storm: servers, scheduler, a worker and the database killed at random moments."""

import os
import random
import time

import pytest
from kills import House
from makers import carry_out_here, same_bits, wait_for
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.runs.checking import check_package
from drawstring.runs.planning import plan_run
from drawstring.store import deliveries, ledger, recipes, shows
from drawstring.store.database import DatabaseAway, connect, unit_of_work
from drawstring.store.models import Run, Shot

CODES = ("TW010", "TW020", "TW030", "TW040")
KILLS = 2
"""Of each: servers (both have pages and an engine), scheduler, worker, database."""


@pytest.fixture
def house(installation, tmp_path_factory):
    place = tmp_path_factory.mktemp("house")
    for folder in (place, *place.parents[:3]):
        folder.chmod(folder.stat().st_mode | 0o711)
    made = House(installation, place)
    try:
        yield made
    finally:
        made.close()


def test_a_show_is_packed_through_a_storm_bit_for_bit(house, sources, tmp_path):
    sessions = sessionmaker(connect(house.installation.database), expire_on_commit=False)
    output = house.installation.output_folder
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        for code in CODES:
            shot = shows.make_shot(session, show, code)
            found = scan(str(sources / "tidewrack" / code), roots=[str(sources)]).candidates[0]
            deliveries.accept(session, shot, found)
            recipes.set_values(
                session, shot, {"depth.near": "2", "depth.far": "90", "pack.reach": "the frame"}
            )
            recipes.settle(session, shot, "depth")
    undisturbed = {}
    with sessions.begin() as session:
        for shot in session.query(Shot):
            run = plan_run(session, shot, output=str(tmp_path / "calm"))
            carry_out_here(session, run)
            undisturbed[shot.code] = run.folder

    def plan_all() -> None:
        with unit_of_work(sessions) as session:
            for shot in session.query(Shot):
                if all(run.state not in ledger.HOLDS for run in shot.runs):
                    plan_run(session, shot, output=output)

    chance = random.Random(5)
    storm = ["server 1", "server 2", "scheduler", "worker 1", "database"] * KILLS
    chance.shuffle(storm)
    house.keep_up()
    plan_all()
    wait_for(lambda: _proven(sessions) > len(CODES), seconds=90)
    for name in storm:
        time.sleep(chance.uniform(0.2, 2.5))
        house.kill(name)
        house.keep_up()
        plan_all()

    def at_rest() -> bool:
        house.keep_up()
        try:
            with unit_of_work(sessions) as session:
                failed = [run for run in session.query(Run) if run.state == "failed"]
                for run in failed:
                    # What lost its workers three times is put aside in words, and taken up again by hand.
                    told = [frame.fault["what"] for frame in run.frames if frame.state == "failed"]
                    assert all("stops the decoder dead" in what for what in told), told
                    ledger.go_on(session, run)
                return not ledger.under_way(session) and not failed
        except DatabaseAway:
            return False

    wait_for(at_rest, seconds=240)
    with sessions() as session:
        runs = session.query(Run).all()
        assert len(runs) >= 2 * len(CODES)
        for run in runs:
            assert (run.state, run.package.state) == ("done", "proven"), run.folder
            assert check_package(run.folder).is_proven
            names = [name for _, _, found in os.walk(run.folder) for name in found]
            assert not [name for name in names if name.startswith(".unfinished")]
            assert same_bits(run.folder, undisturbed[run.shot.code])


def _proven(sessions) -> int:
    with unit_of_work(sessions) as session:
        counted = ledger.progress(session, session.query(Run).all())
        return sum(one.proven for one in counted.values())
