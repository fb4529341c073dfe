"""Where things are used: one walk that finds all, and taking out what refers to something leaves nothing behind."""

from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.state.live import opening_state
from ribalta.core.engine.views.offers import call_words
from ribalta.core.show.automation.calls import (
    Call,
    Item,
    Kind,
    arguments_of,
    following_items,
    following_position,
    items_of,
    named,
)
from ribalta.core.show.automation.macros import Condition, Is, Macro, Step, StepKind
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page, Shortcut, Trigger, When, WhenKind
from ribalta.core.show.document.scenes import Scene, Source, Title
from ribalta.core.show.document.uses import faults, used_words, users, uses, without_uses
from ribalta.core.show.files import storage
from tests.core.hand_wound import small_show
from tests.depth import examples

BASE = small_show().model_copy(
    update={
        "scenes": (Scene(id="s1", number=1, name="Two", base=Source(camera_id="c1", framing_id="f4")),),
        "titles": (Title(id="t1", name="Name", template="lower third"),),
    }
)
framings = st.sampled_from([f.id for f in BASE.framings])
cameras = st.sampled_from(["c1", "c2", "c3", "c4"])


def framing_call(framing_id: str) -> Call:
    framing = BASE.framing(framing_id)
    number = BASE.camera(framing.camera_id).number
    return Call(action="ready.framing", arguments={"camera": number, "letter": framing.letter})


calls = st.one_of(
    framings.map(framing_call).map(lambda c: following_items(BASE, c)),
    framings.map(framing_call),
    cameras.map(lambda c: Call(action="ready.camera", arguments={"camera": BASE.camera(c).number})),
    st.just(Call(action="scene.ready", arguments={"scene": 1})),
    st.just(Call(action="title.switch", arguments={"title": "t1"})),
    st.just(Call(action="macro.run", arguments={"macro": "a0"})),
    st.just(Call(action="take")),
)
items = st.one_of(
    framings.map(lambda i: named(BASE, Kind.FRAMING, i)), cameras.map(lambda i: named(BASE, Kind.CAMERA, i))
)
leaf = st.one_of(
    calls.map(lambda c: Step(call=c)),
    cameras.map(lambda i: Step(kind=StepKind.UNTIL_SET, item=named(BASE, Kind.CAMERA, i))),
    st.just(Step(kind=StepKind.WAIT, seconds=1)),
)
steps = st.recursive(
    leaf,
    lambda inner: st.builds(
        lambda a, b, i: Step(
            kind=StepKind.IF, condition=Condition(what=Is.ON_AIR, item=i), steps=tuple(a), otherwise=tuple(b)
        ),
        st.lists(inner, max_size=2),
        st.lists(inner, max_size=2),
        items,
    ),
    max_leaves=6,
)


@st.composite
def shows(draw):
    macros = tuple(
        Macro(id=f"a{k}", name=f"M{k}", steps=tuple(draw(st.lists(steps, max_size=4))))
        for k in range(draw(st.integers(0, 3)))
    )
    triggers = tuple(
        Trigger(
            id=f"g{k}",
            name=f"T{k}",
            when=When(kind=WhenKind.READIED, item=draw(st.none() | items)),
            only_if=tuple(Condition(what=Is.NEXT, item=i) for i in draw(st.lists(items, max_size=2))),
            calls=tuple(draw(st.lists(calls, max_size=3))),
        )
        for k in range(draw(st.integers(0, 3)))
    )
    shortcuts = tuple(Shortcut(control=f"osc /{k}", call=c) for k, c in enumerate(draw(st.lists(calls, max_size=4))))
    pads = tuple(
        Pad(at=k, call=c, long_call=draw(st.none() | calls), picture=draw(st.none() | items))
        for k, c in enumerate(draw(st.lists(calls, max_size=4)))
    )
    entries = tuple(Entry(item=i) for i in draw(st.lists(items, max_size=3)))
    groups = (Entry(kind=EntryKind.GROUP, choices=tuple(draw(st.lists(items, min_size=1, max_size=3)))),)
    return BASE.model_copy(
        update={
            "macros": macros,
            "triggers": triggers,
            "shortcuts": shortcuts,
            "pages": (Page(id="q1", name="P", pads=pads),),
            "playlists": (Playlist(id="l1", name="L", entries=entries + groups),),
        }
    )


wanted = st.one_of(items, st.just(Item(kind=Kind.SCENE, id="s1")), st.just(Item(kind=Kind.TITLE, id="t1")))


@given(shows(), wanted)
@examples(60)
def test_without_its_uses_nothing_refers_to_it_and_all_else_stays(show, item):
    left = without_uses(show, item)
    assert item.key not in uses(left)
    untouched = [u for u, own, theirs in users(show) if item.key not in _keys(show, own, theirs)]
    assert {(u.kind, u.id) for u in untouched} <= {(u.kind, u.id) for u, _, _ in users(left)}
    if item.key not in uses(show):
        assert left == show
        assert used_words(show, *item.key) == ""
    else:
        assert used_words(show, *item.key).startswith("Used by ")


def _keys(show, own, theirs):
    return {i.key for i in (*own, *(i for c in theirs for i in items_of(show, c)))}


@given(shows(), framings)
def test_what_is_broken_is_what_follows_an_item_that_is_gone(show, framing_id):
    gone = show.model_copy(update={"framings": tuple(f for f in show.framings if f.id != framing_id)})
    broken = set(faults(gone))
    named_by = {
        (user.kind, user.id)
        for user, own, theirs in users(show)
        if any(i.key == (Kind.FRAMING, framing_id) for i in (*own, *(i for c in theirs for i in c.items)))
    }
    assert named_by <= broken
    state = opening_state(gone)
    for _, _, theirs in users(gone):
        for call in theirs:
            assert call_words(state, call)


@given(shows())
@examples(20)
def test_a_show_with_cues_survives_its_file(show):
    again = storage.parse_show(show.model_dump_json(), "The show")
    assert again == show


@given(framings, st.sampled_from("QWERTASDFG"))
def test_an_item_is_followed_and_a_position_is_not(framing_id, letter):
    call = framing_call(framing_id)
    tied = following_items(BASE, call)
    framing = BASE.framing(framing_id)
    slot = "QWERTASDFG".index(letter)
    others = tuple(
        f for f in BASE.framings if f.id != framing_id and (f.camera_id, f.slot) != (framing.camera_id, slot)
    )
    moved = BASE.model_copy(update={"framings": (*others, framing.model_copy(update={"slot": slot}))})
    assert arguments_of(moved, tied)["letter"] == letter
    assert arguments_of(moved, call) == call.arguments
    assert following_position(moved, tied).arguments["letter"] == letter
