"""The same for many shots, and what a show's new shots begin with."""

import pytest

from drawstring.core.errors import SettingError
from drawstring.core.recipe import Recipe
from drawstring.store import recipes, sharing, shows
from drawstring.store.standing import standing


@pytest.fixture
def others(session, shot):
    return [shows.make_shot(session, shot.show, code) for code in ("TW020", "TW030")]


def test_a_change_is_told_before_it_is_written_and_undone_shot_by_shot(session, shot, others):
    recipes.set_values(session, shot, {"pack.compression": "piz", "depth.near": "4", "depth.far": "9"})
    recipes.set_values(session, others[0], {"pack.compression": "piz"})
    made = sharing.copying(session, shot, ["pack", "depth"])
    told = sharing.would(session, others, made)
    assert [[(d.name, d.before, d.after) for d in one.differences] for one in told] == [
        [("depth.near", "–", "4"), ("depth.far", "–", "9")],
        [("depth.near", "–", "4"), ("depth.far", "–", "9"), ("pack.compression", "zip", "piz")],
    ]
    assert recipes.head(session, others[1]) is None, "looking writes nothing"
    sharing.carry_over(session, others, made, said="as in TW010")
    assert [recipes.current(session, one).depth.far for one in others] == [9, 9]
    assert recipes.head(session, others[1]).said == "as in TW010"
    assert not recipes.current(session, others[0]).depth.settled_on, "nobody settled it here yet"
    recipes.undo(session, others[0])
    assert [recipes.current(session, one).depth.far for one in others] == [None, 9]


def test_a_refusing_shot_does_not_hold_up_the_others(session, shot, others):
    recipes.set_values(session, others[0], {"depth.near": "5", "depth.far": "9"})
    made = sharing.setting({"depth.far": "4.5"})
    outcomes = sharing.carry_over(session, [shot, *others], made, said="nearer")
    refused = [one for one in outcomes if one.refusal]
    assert [one.shot.code for one in refused] == ["TW020"]
    assert (
        recipes.current(session, others[0]).depth.far == 9
        and recipes.current(session, others[1]).depth.far == 4.5
    )
    for wrong in (lambda: sharing.setting({}), lambda: sharing.copying(session, shot, []),
                  lambda: sharing.copying(session, shot, ["loom"])):  # fmt: skip
        with pytest.raises(SettingError):
            wrong()


def test_new_shots_begin_as_the_show_says_and_overrides_are_seen(session, shot):
    recipes.set_values(
        session, shot, {"pack.compression": "piz", "pack.profile": "compositing", "depth.near": "4"}
    )
    sharing.keep_defaults(session, shot.show, shot, ["pack"])
    new = shows.make_shot(session, shot.show, "TW090")
    begun = recipes.current(session, new)
    assert begun.pack.compression == "piz" and begun.depth == Recipe().depth
    assert standing(session, new).recipe == begun and sharing.overrides(session, new) == []
    recipes.set_values(session, new, {"pack.compression": "none", "depth.near": "2"})
    assert [(d.name, d.before, d.after) for d in sharing.overrides(session, new)] == [
        ("pack.compression", "piz", "none")
    ]
    sharing.forget_defaults(session, shot.show)
    assert recipes.current(session, shows.make_shot(session, shot.show, "TW091")) == Recipe()
    assert recipes.current(session, new).pack.profile.name == "compositing", "who has begun stays as it is"
