"""Playlists as tables, and the order of their rounds."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.automation import playlist_round
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist, Unit
from ribalta.core.show.files.playlist_table import as_table, read_table, write_table
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.core.automation.test_playlists import F, entries, seen
from tests.core.hand_wound import small_show
from tests.depth import examples


@given(st.lists(st.sampled_from("123"), min_size=4, max_size=12), st.integers(0, 1000))
def test_a_shuffle_keeps_the_same_camera_apart_where_it_can(cameras, seed):
    entries = tuple(seen(f"{c}{'QWE'[k % 3]}") for k, c in enumerate(cameras))
    playlist = Playlist(id="l1", name="P", entries=entries, shuffle=True, apart=1)
    show = small_show().model_copy(update={"playlists": (playlist,)})
    plays = playlist_round.round_of(show, playlist, seed, 1)
    assert sorted(p.place for p in plays) == list(range(len(entries)))
    assert plays == playlist_round.round_of(show, playlist, seed, 1)
    most = max(cameras.count(c) for c in cameras)
    twice = sum(a.shot.camera_id == b.shot.camera_id for a, b in pairwise(plays))
    if most <= len(cameras) - most:
        assert twice <= most


def test_a_group_shows_each_of_its_choices_before_any_comes_again():
    choices = tuple(Item(kind=Kind.FRAMING, id=F[n]) for n in ("1Q", "2W", "3E"))
    group = Entry(kind=EntryKind.GROUP, choices=choices)
    inner = Playlist(id="l2", name="Inner", entries=(group,), times=2)
    nested = Entry(kind=EntryKind.PLAYLIST, item=Item(kind=Kind.PLAYLIST, id="l2"))
    playlist = Playlist(id="l1", name="P", entries=(group, nested))
    show = small_show().model_copy(update={"playlists": (playlist, inner)})
    rounds = [playlist_round.round_of(show, playlist, 7, n) for n in range(1, 7)]
    own = [plays[0].shot.framing_id for plays in rounds]
    theirs = [play.shot.framing_id for plays in rounds for play in plays[1:]]
    for drawn in (own, theirs):
        for k in range(0, len(drawn), 3):
            assert sorted(drawn[k : k + 3]) == sorted(i.id for i in choices)


def test_a_playlist_goes_through_a_table_and_what_is_wrong_is_said(tmp_path):
    show = load(SHIPPED).show
    mic = Item(kind=Kind.MICROPHONE, id="q8", called="Host")
    more = (
        Entry(kind=EntryKind.KEY),
        Entry(item=Item(kind=Kind.FRAMING, id="f14", called="Host left spot"), unit=Unit.UNTIL_CLOSED, mic=mic),
        Entry(
            kind=EntryKind.GROUP,
            choices=(Item(kind=Kind.FRAMING, id="f2", called="Ines"), Item(kind=Kind.CAMERA, id="c5", called="Wide")),
            note="by lot; “quoted”, too",
            amount=8,
            unit=Unit.BEATS,
        ),
        Entry(kind=EntryKind.PLAYLIST, item=Item(kind=Kind.PLAYLIST, id="l2", called=show.playlist("l2").name)),
        Entry(kind=EntryKind.MACRO, item=Item(kind=Kind.MACRO, id=show.macros[0].id, called=show.macros[0].name)),
    )
    playlist = show.playlist("l1")
    playlist = playlist.model_copy(update={"entries": (*playlist.entries, *more)})
    path = tmp_path / "wheels.csv"
    write_table(path, show, playlist)
    entries, said = read_table(path, show)
    assert said == ()
    assert as_table(show, playlist.model_copy(update={"entries": entries})) == path.read_text()
    assert [(e.kind, e.item and e.item.key, e.amount, e.unit, e.note) for e in entries] == [
        (e.kind, e.item and e.item.key, e.amount if e.unit is not Unit.UNTIL_CLOSED else 6.0, e.unit, e.note)
        for e in playlist.entries
    ]
    path.write_text("kind;what;length\nframing;1 W;6,5\nframing;9 Q;6\nsong;la\nscene;99;\nframing;1 W;long\n")
    entries, said = read_table(path, show)
    assert [e.amount for e in entries] == [6.5]
    assert "Line 3 is left out: there is no framing “9 Q” in this show." in said
    assert len(said) == 4
    path.write_text(
        "kind,what,length,unit,transition,frames\nframing,1 W,75,frames,mix,20\nframing,1 W,1,frames,mix,x\n"
    )
    entries, said = read_table(path, show)
    assert [(e.amount, e.unit, e.transition.seconds) for e in entries] == [(3.0, Unit.SECONDS, 0.8)]
    assert said == ("Line 3 is left out: its frames “x” is no number.",)
    for text, why in (("what\n1 W\n", "is none of"), ("", "name the columns"), ("kind,what\nframing,\x00\n", "no ")):
        path.write_text(text)
        with pytest.raises(LocalFault, match=why):
            read_table(path, show)


@given(st.lists(entries(), min_size=1, max_size=8))
@examples(20)
def test_any_entries_come_back_from_their_table_as_they_were(tmp_path_factory, made):
    show = load(SHIPPED).show
    path = tmp_path_factory.mktemp("tables") / "any.csv"
    write_table(path, show, Playlist(id="l9", name="Any", entries=tuple(made)))
    back, said = read_table(path, show)
    assert said == ()
    assert [(e.item.key, e.unit, e.amount, e.note, e.off, e.transition.kind, e.transition.length_s) for e in back] == [
        (e.item.key, e.unit, e.amount, e.note, e.off, e.transition.kind, e.transition.length_s) for e in made
    ]
