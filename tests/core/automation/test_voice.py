"""Voice follow: gates that open for their own voice, who is wanted, what the engine makes of it, when it lets go."""

import json
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.dryrun.voice_rehearsal import follow
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.voice import voice_follow
from ribalta.core.planning import voice
from ribalta.core.planning.voice import NOBODY
from ribalta.core.ports.causes import By
from ribalta.core.ports.messages import Position, VoicesHeard
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Mark, ShotSize, Show
from ribalta.core.show.document.sound import Microphone
from ribalta.core.show.document.voice import Interjections, VoiceFollow
from ribalta.core.show.files.storage import load
from ribalta.core.sound.conversation import Conversation, Turn, read_conversation, truths
from ribalta.demo.shipped import CONVERSATIONS, SHIPPED
from tests.core.hand_wound import Hall, small_show
from tests.depth import examples

NAMES = {"m1": "Ada", "m2": "Ben", "m3": "Cy"}


def turned(rules: VoiceFollow, *changes: tuple[float, str]) -> list[tuple[float, tuple[str, ...], bool]]:
    """What is wanted, when it changes, from (time, marks that are heard then as digits)."""
    voices, found, now_s = NOBODY, [], 0.0
    times = [*changes, (changes[-1][0] + 60.0, "")]
    for at_s, who in times:
        while (due := voice.due_s(voices, rules, now_s)) < at_s:
            now_s = due
            after = voice.decided(voices, rules, now_s, NAMES)
            if after.want is not None and after.want is not voices.want:
                found.append((round(now_s, 2), after.want.marks, after.want.reacts))
            voices = after
        now_s = at_s
        voices = voice.decided(voice.heard(voices, frozenset(f"m{d}" for d in who), at_s), rules, at_s, NAMES)
        if voices.want is not None and (not found or voices.want.marks != found[-1][1]):
            found.append((at_s, voices.want.marks, voices.want.reacts))
    return found


PLAIN = VoiceFollow(reaction_every_s=0)


@pytest.mark.parametrize(
    ("rules", "said", "wanted"),
    [
        (PLAIN, [(1, "1"), (9, "2")], [(1.8, ("m1",)), (9.8, ("m2",))]),
        (PLAIN, [(1, "1"), (4, "12"), (4.6, "1"), (9, "")], [(1.8, ("m1",)), (13.0, ())]),  # a word put in
        (PLAIN, [(1, "1"), (4, ""), (4.3, "1"), (7, "")], [(1.8, ("m1",)), (11.0, ())]),  # a breath
        (PLAIN, [(1, "1"), (4, "12"), (9, "2"), (20, "")], [(1.8, ("m1",)), (5.4, ("m1", "m2")), (10.0, ("m2",))]),
        (PLAIN, [(1, "1"), (4, "123"), (9, "1"), (20, "")], [(1.8, ("m1",)), (5.4, ())]),  # many
        (
            VoiceFollow(reaction_every_s=0, interjections=Interjections.BOTH),
            [(1, "1"), (4, "12"), (4.6, "1"), (9, "")],
            [(1.8, ("m1",)), (4.3, ("m1", "m2")), (6.3, ("m1",))],
        ),
        (
            VoiceFollow(reaction_every_s=10, reaction_s=3),
            [(1, "2"), (3, "1"), (30, "")],
            [(1.8, ("m2",)), (3.8, ("m1",)), (13.8, ("m2",)), (16.8, ("m1",)), (26.8, ("m2",)), (29.8, ("m1",))],
        ),
    ],
)
def test_who_is_wanted(rules, said, wanted):
    found = [(at, marks) for at, marks, _ in turned(rules, *said) if at > 1.0]
    assert found[: len(wanted)] == wanted


WHO = st.frozensets(st.sampled_from(["m1", "m2", "m3"]))
RULES = st.builds(
    VoiceFollow,
    patience_s=st.sampled_from([0.2, 0.8, 2.0]),
    together_s=st.sampled_from([0.5, 1.4, 3.0]),
    silence_s=st.sampled_from([1.0, 4.0]),
    reaction_every_s=st.sampled_from([0.0, 3.0, 25.0]),
    interjections=st.sampled_from(list(Interjections)),
)


@given(RULES, st.lists(st.tuples(st.integers(1, 60), WHO), min_size=1, max_size=12))
@examples(75)
def test_nothing_is_decided_between_the_times_that_are_said_to_be_due(rules, steps):
    """Looked at only when it says so, it comes to the same, at the same times, as looked at all the time."""
    seldom = often = voice.decided(NOBODY, rules, 0.0, NAMES)
    now = 0
    for tenths, marks in steps:
        for tick in range(10 * now, 10 * (now + tenths), 2):
            at_s = tick / 100
            often = voice.decided(often, rules, at_s, NAMES)
        end_s = (now + tenths) / 10
        at_s = now / 10
        while (due := voice.due_s(seldom, rules, at_s)) < end_s - 1e-6:
            at_s = due
            seldom = voice.decided(seldom, rules, at_s, NAMES)
        now += tenths
        seldom = voice.decided(voice.heard(seldom, marks, end_s), rules, end_s, NAMES)
        often = voice.decided(voice.heard(often, marks, end_s), rules, end_s, NAMES)
        assert seldom.want.marks == often.want.marks
        assert abs(seldom.want_s - often.want_s) <= 0.021 or seldom.want_s == often.want_s


def hall(**changes: object) -> Hall:
    """Camera n has Ada, Ben and Cy; each wears a microphone; camera 1 and 2 know a place for each."""
    show = small_show()
    marks = tuple(
        Mark(id=f"m{n}", name=NAMES[f"m{n}"], x_m=n, y_m=3.0, height_m=1.3, facing_deg=180) for n in (1, 2, 3)
    )
    shown = {"f3": "m1", "f6": "m2", "f9": "m3", "f4": "m2", "f7": "m1"}
    framings = tuple(
        f.model_copy(update={"mark_id": shown.get(f.id), "size": ShotSize.MEDIUM, "rating": 80}) for f in show.framings
    )
    mics = tuple(Microphone(id=f"q{n}", number=n, name=NAMES[f"m{n}"], mark_id=f"m{n}") for n in (1, 2, 3))
    rules = VoiceFollow(reaction_every_s=0, **changes)
    show = show.model_copy(update={"marks": marks, "framings": framings, "microphones": mics, "voice": rules})
    made = Hall(show)
    made.turn(3)
    return made


def hears(hall: Hall, who: str, seconds: float) -> None:
    hall.engine.report(VoicesHeard(tuple(f"q{d}" for d in who)), hall.clock.now_s())
    hall.turn(seconds)


def test_it_cuts_by_itself_to_who_speaks_when_the_camera_is_set_and_says_why():
    h = hall()
    h.act("voice.mode", mode="automatic")
    hears(h, "1", 6)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m1",)
    hears(h, "2", 4)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m2",)
    assert all(r.landed for r in h.state.program.records)
    took = [ran for ran in h.engine.history.lines if ran.cause.by is By.VOICE]
    assert [ran.cause.words for ran in took] == ["Ada speaks", "Ben speaks"]
    assert voice_follow.words(h.state, h.clock.now_s()) == "Ben speaks."


def test_no_shot_is_shorter_than_the_least_however_quickly_they_speak():
    h = hall(patience_s=0.1)
    h.act("voice.mode", mode="automatic")
    for k in range(20):
        hears(h, "12"[k % 2], 0.7)
    times = [r.at_s for r in h.state.program.records]
    assert len(times) > 4
    assert min(b - a for a, b in pairwise(times)) >= 2.0 - 1e-6


def test_proposing_readies_and_the_director_takes():
    h = hall()
    h.act("voice.mode", mode="suggest")
    hears(h, "1", 8)
    assert h.state.framing(h.state.program.next).mark_ids == ("m1",)
    assert not h.state.program.records
    h.act("take")
    h.turn(1)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m1",)
    assert h.state.voice.until_s == 0.0  # taking what was proposed is no objection
    hears(h, "2", 4)
    assert h.state.framing(h.state.program.next).mark_ids == ("m2",)


def test_the_directors_touch_suspends_it_and_it_comes_back():
    h = hall()
    h.act("voice.mode", mode="automatic")
    hears(h, "1", 6)
    h.act("ready.camera", camera=3)
    assert h.state.program.next == Shot("c3")
    assert voice_follow.words(h.state, h.clock.now_s()) == "Left to you for another 10 s."
    hears(h, "2", 8)
    assert h.state.program.next == Shot("c3")
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m1",)
    h.act("take")
    h.turn(8)
    assert h.state.program.on_air == Shot("c3")  # he touched it again
    h.turn(4)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m2",)
    now = h.state.program.next
    h.press("Backspace")  # also what it has put there is taken back
    assert h.state.program.next != now
    assert h.state.voice.until_s > h.clock.now_s()
    h.act("voice.mode", mode="off")
    hears(h, "3", 10)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m2",)


def test_a_muted_microphone_a_lost_camera_and_a_mark_without_a_framing():
    h = hall()
    h.act("mic.mute", mic=1, on=True)
    h.act("voice.mode", mode="automatic")
    hears(h, "1", 6)
    assert not h.state.program.records
    for number in (1, 2):
        h.contact(f"c{number}", False)
    h.turn(3)
    hears(h, "2", 5)
    assert h.state.program.on_air == Shot("c4")
    assert "no free camera that answers has a framing of Ben" in voice_follow.words(h.state, h.clock.now_s())
    assert all(r.landed for r in h.state.program.records)


def test_a_camera_that_does_not_get_there_is_not_waited_for():
    h = hall()
    h.act("voice.mode", mode="automatic")
    h.turn(4)
    stuck = h.cameras.pop("c2")  # it answers no more, but stays in contact: it stands where it stood
    del stuck
    h.engine.report(Position("c2", Aim(-60.0, 10.0, 0.2), h.clock.now_s()), h.clock.now_s())
    h.turn(3)
    hears(h, "2", 8)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m2",)
    assert h.state.program.on_air.camera_id == "c1"
    assert all(r.landed for r in h.state.program.records)


def test_it_waits_while_a_playlist_runs_and_needs_a_microphone_with_a_mark():
    bare = Hall()
    bare.act("voice.mode", mode="automatic")
    assert any("No microphone belongs to a mark" in said for said in bare.sentences)
    h = hall()
    entry = {"kind": "shot", "item": {"kind": "camera", "id": "c4"}, "amount": 6.0}
    h.act("playlist.add", name="Round", entries=[entry])
    h.act("voice.mode", mode="automatic")
    h.act("playlist.start", playlist=h.state.show.playlists[0].id)
    hears(h, "1", 5)
    assert h.state.program.on_air == Shot("c4")
    assert voice_follow.words(h.state, h.clock.now_s()) == "Waits while “Round” runs."
    h.turn(6)
    assert h.state.framing(h.state.program.on_air).mark_ids == ("m1",)


def test_what_was_heard_is_journalled_and_can_be_replayed():
    h = hall()
    h.act("voice.mode", mode="automatic")
    hears(h, "1", 5)
    hears(h, "2", 5)
    again = replay(h.opening, json.loads(json.dumps(h.entries)))
    again.advance(h.clock.now_s())
    assert [r.shot for r in again.state.program.records] == [r.shot for r in h.state.program.records] != []


@pytest.fixture(scope="module")
def demo() -> Show:
    return load(SHIPPED).show


@pytest.mark.parametrize("path", sorted(CONVERSATIONS.glob("*.json")), ids=lambda p: p.stem)
def test_whoever_has_the_word_is_on_air(demo, path):
    found = follow(demo, read_conversation(path))
    assert found.right_share >= 0.9
    assert found.short_shots == found.cuts_to_moving == 0
    assert len(found.shots) >= 3


@st.composite
def talks(draw) -> Conversation:
    """Anybody speaks, for any time, with gaps, overlaps and applause."""
    turns, at = [], 0.5
    for _ in range(draw(st.integers(3, 9))):
        long = draw(st.floats(0.3, 7.0))
        who = draw(st.lists(st.integers(1, 8), min_size=1, max_size=3, unique=True))
        clap = draw(st.integers(0, 9)) == 0
        turns.append(Turn(from_s=at, to_s=at + long, who=() if clap else tuple(who), applause=clap))
        at = max(0.0, at + long + draw(st.floats(-1.0, 3.0)))
    return Conversation(name="Any", seconds=at + 8, turns=tuple(turns), seed=draw(st.integers(0, 99)))


@given(talks(), st.sampled_from([0.5, 2.0, 4.0]), st.sampled_from([0.0, 3.0]))
@examples(10)
def test_whatever_is_said_no_shot_is_short_and_no_cut_goes_to_a_moving_camera(demo, talk, minimum_s, reaction_s):
    rules = demo.voice.model_copy(update={"minimum_s": minimum_s, "reaction_every_s": reaction_s})
    found = follow(demo.model_copy(update={"voice": rules}), talk)
    assert found.short_shots == found.cuts_to_moving == 0


def test_the_truth_of_a_script_and_what_is_wrong_with_one(tmp_path, demo):
    turns = (
        Turn(from_s=1, to_s=5, who=(1,)),
        Turn(from_s=3, to_s=3.5, who=(2,), interjection=True),
        Turn(from_s=4, to_s=8, who=(2,)),
        Turn(from_s=8, to_s=9, applause=True),
    )
    found = truths(Conversation(name="x", seconds=20, turns=turns))
    assert [(t.from_s, t.to_s, sorted(t.who)) for t in found] == [
        (1, 4, [1]),
        (4, 5, [1, 2]),
        (5, 8, [2]),
        (8, 9, []),
    ]
    wrong = tmp_path / "wrong.json"
    for text, said in (("{", "no JSON"), ('{"name": "x", "seconds": 0}', "seconds"), ('{"nane": 1}', "name")):
        wrong.write_text(text)
        with pytest.raises(LocalFault, match=said):
            read_conversation(wrong)
    far = Conversation(name="Far", seconds=5, turns=(Turn(from_s=1, to_s=2, who=(60,)),))
    with pytest.raises(LocalFault, match="microphone 60, which is not in this show"):
        follow(demo, far)
