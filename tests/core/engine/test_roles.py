"""What guests may do: never more than their role, with no camera but theirs, and only while their invitation lasts."""

from dataclasses import replace

import pytest

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.journal.standing import resumed
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program.open_microphones import channels
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.guests import Role
from ribalta.core.ports.messages import DeskAsked, Notice, Severity
from tests.core.engine.test_whole_catalogue import OPENING, Made, schema_of
from tests.core.hand_wound import Hall

DOOR = Cause(By.GUEST, "door")
CODE, SESSION = "a" * 64, "b" * 64
STEERS = {  # written down once more here, so that a slip in a row is seen
    *("steer.centre", "steer.box", "steer.drag", "steer.zoom", "steer.push", "steer.stop"),
    *("framing.store", "framing.restore", "framing.rename", "camera.hold", "shot.offer"),
}
SEATS = {"view.shown", "row.select", "row.key", "board.page", "board.bank"}  # of the guest's own seat, nobody else's
SPEAKS = {"guest.talk"}  # and that it is told to be given, too
DIRECTS = {
    *("guests.open", "guest.invite", "guest.withdraw", "guest.send_out", "crew.talk"),
    *("evening.end", "evening.again"),
}
SAYS = {"guest.enter", "guest.presence"}


def cause_of(guest_id: str) -> Cause:
    return Cause(By.GUEST, "Bram", desk=f"guest {guest_id}", guest=guest_id)


class House(Hall):
    """A hall with guests."""

    def guest(self, role: Role, *cameras: int, name: str = "Bram", **more: object) -> str:
        """The id of somebody who is here now."""
        self.act("guests.open", on=True)
        self.act("guest.invite", name=name, role=role, cameras=cameras, code=CODE, **more)
        invitation = list(self.state.guests.invitations)[-1]
        self.engine.act("guest.enter", {"invitation": invitation, "session": SESSION}, self.clock.now_s(), cause=DOOR)
        return list(self.state.guests.here)[-1]

    def ran(self, action_id: str, **arguments: object) -> str:
        """The refusal that the director gets, if it was one."""
        ran = self.engine.act(action_id, arguments, self.clock.now_s())
        self._serve()
        return ran.refused

    def by(self, guest_id: str, action_id: str, **arguments: object) -> str:
        """What a guest asks for; the refusal, if it was one."""
        ran = self.engine.act(action_id, arguments, self.clock.now_s(), cause=cause_of(guest_id))
        self._serve()
        return ran.refused


@pytest.fixture
def house():
    return House()


# Nothing but what a role may


def outside(state):
    """What of a state a guest that may nothing must not change."""
    return replace(state, run=OPENING.run, desk=OPENING.desk, desks=OPENING.desks)


@pytest.mark.parametrize("role", ["watcher", "operator", "deputy", "withdrawn"])
def test_of_ten_thousand_requests_none_does_what_its_role_may_not(role):
    opening = replace(OPENING, show=OPENING.show.model_copy(update={"triggers": ()}))
    made = Made(OPENING.show, 7)
    entries: list = []
    engine = Engine(opening, lambda entry, _: entries.append(entry))
    now_s = 100.0
    engine.act("guests.open", {"on": True}, now_s)
    arguments = {"name": "Bram", "role": role if role != "withdrawn" else "deputy", "code": CODE}
    if role == "operator":
        arguments["cameras"] = (1, 2)
    engine.act("guest.invite", arguments, now_s)
    engine.act("guest.enter", {"invitation": "i1", "session": SESSION}, now_s, cause=DOOR)
    if role == "withdrawn":
        engine.act("guest.withdraw", {"invitation": "i1"}, now_s)
    mine = {c.id for c in OPENING.show.cameras if c.number in (1, 2)}
    engine.drain()
    begun, done, refused = engine.state, set(), 0
    for k in range(2500):
        if k % 50 == 0:
            engine.state = begun  # else a deputy has removed all that there is
            engine.drain()
        before = engine.state
        action, given = made.call()
        if role == "operator" and k % 2:  # half of what is tried is near to what it may
            action = sorted(STEERS)[k // 2 % len(STEERS)]
            schema = schema_of(action)
            wanted = {*schema.get("required", ()), "camera"} & schema["properties"].keys()
            given = {n: made._value(n, schema["properties"][n], schema.get("$defs", {})) for n in wanted}
        now_s += 0.2
        ran = engine.act(action, given, now_s, cause=cause_of("g2"))
        events, requests = engine.drain()
        if ran.refused:
            refused += 1
            assert any(isinstance(e, Notice) and e.severity is Severity.REFUSED for e in events) or requests == []
            continue
        done.add(action)
        after = engine.state
        if role in ("watcher", "withdrawn"):
            assert (role, action in SEATS) == ("watcher", True)
        assert action not in SAYS | DIRECTS
        assert not any(isinstance(e, DeskAsked) for e in events)
        assert after.guests.invitations == before.guests.invitations
        assert after.guests.open
        if role == "operator":
            assert action in STEERS | SEATS
            assert {r.camera_id for r in requests if hasattr(r, "camera_id")} <= mine
            changed = set(after.show.framings) ^ set(before.show.framings)
            assert {f.camera_id for f in changed} <= mine
            same = {"framings": (), "next_number": 0}
            assert after.show.model_copy(update=same) == before.show.model_copy(update=same)
            assert after.program.on_air == before.program.on_air
    assert engine.state.desk.id == begun.desk.id  # the director's own row is where it was
    if role in ("watcher", "withdrawn"):
        assert done <= SEATS
        assert outside(engine.state) == outside(begun)
    if role == "operator":
        assert done >= {"steer.stop", "framing.rename", "steer.zoom"}
    if role == "deputy":
        assert len(done) > 100
    assert refused > 200


def test_every_row_says_who_may_and_what_an_operator_may_names_its_cameras():
    by_role = {role: {row.id for row in CATALOGUE.rows if row.role is role} for role in Role}
    assert by_role[Role.WATCHER] == SEATS | SPEAKS
    assert by_role[Role.OPERATOR] == STEERS
    assert by_role[Role.DIRECTOR] == DIRECTS
    assert by_role[Role.DOOR] == SAYS
    for row in CATALOGUE.rows:
        assert (row.touches is not None) == (row.role is Role.OPERATOR)


@pytest.mark.parametrize("by", [By.MACRO, By.TRIGGER, By.PLAYLIST, By.VOICE])
def test_what_only_a_director_does_no_automation_does(house, by):
    ran = house.engine.act("guests.open", {"on": True}, house.clock.now_s(), cause=Cause(by, "a"))
    assert "done by people" in ran.refused
    assert not house.state.guests.open


def test_a_deputy_cannot_get_at_it_by_a_pad_or_a_macro(house):
    guest = house.guest(Role.DEPUTY)
    house.by(guest, "macro.add", name="Over", steps=[{"kind": "do", "call": {"action": "evening.end"}}])
    assert house.state.show.macros
    house.by(guest, "macro.run", macro=house.state.show.macros[-1].id)
    house.turn(1)
    assert any("done by people" in said for said in house.sentences)
    house.by(guest, "page.add", name="Mine", columns=2, rows=2)
    page = house.state.show.pages[-1].id
    house.by(guest, "pad.set", pads=page, at=0, label="Over", call={"action": "evening.end"})
    house.by(guest, "pad.press", pads=page, at=0)
    assert any("only the director" in said for said in house.sentences)
    assert house.state.crew.closed_takes is None


# An invitation


def test_an_invitation_is_for_so_many_and_so_long(house):
    house.guest(Role.OPERATOR, 1, uses=1, minutes=1)
    again = house.engine.act("guest.enter", {"invitation": "i1", "session": SESSION}, house.clock.now_s(), cause=DOOR)
    assert "has been used" in again.refused
    guest = next(iter(house.state.guests.here))
    assert house.by(guest, "steer.zoom", camera=1, steps=1) == ""
    house.clock.advance(60)
    house.engine.advance(house.clock.now_s())
    assert not house.state.guests.invitations
    assert not house.state.guests.here
    assert "taken back, or is over" in house.by(guest, "steer.zoom", camera=1, steps=1)


def test_taking_it_back_or_closing_the_door_puts_everybody_out(house):
    first, second = house.guest(Role.OPERATOR, 1), house.guest(Role.WATCHER, name="Ines")
    house.by(first, "steer.zoom", camera=1, steps=1)
    assert house.state.guests.holds
    house.act("guest.withdraw", invitation="i1")
    assert list(house.state.guests.here) == [second]
    assert not house.state.guests.holds
    house.act("guests.open", on=False)
    assert not house.state.guests.here
    assert not house.state.guests.invitations


def test_nobody_else_says_what_the_door_says(house):
    house.act("guests.open", on=True)
    house.act("guest.invite", name="Bram", role="deputy", code=CODE)
    house.act("guest.enter", invitation="i1", session=SESSION)
    assert not house.state.guests.here
    assert any("guests' door" in said for said in house.sentences)


# Two hands


def test_a_guests_touch_keeps_other_guests_off_and_never_the_director(house):
    bram, ines = house.guest(Role.OPERATOR, 1, 2), house.guest(Role.OPERATOR, name="Ines")
    assert house.by(bram, "steer.drag", camera=1, right=0.1, down=0, stroke=1) == ""
    assert house.state.guests.holder("c1", house.clock.now_s()).name == "Bram"
    assert "is held by Bram" in house.by(ines, "steer.drag", camera=1, right=0.1, down=0, stroke=1)
    assert house.by(ines, "steer.drag", camera=2, right=0.1, down=0, stroke=2) == ""
    house.act("steer.drag", camera=1, right=0.1, down=0, stroke=9)
    assert house.state.guests.holder("c1", house.clock.now_s()) is None
    assert any("no longer Bram" in said for said in house.sentences)
    goal = house.state.live("c1").goal
    house.by(bram, "steer.drag", camera=1, right=0.3, down=0, stroke=1)  # the push that was overruled
    assert house.state.live("c1").goal == goal


def test_a_camera_is_kept_let_go_and_taken_back(house):
    bram, ines = house.guest(Role.OPERATOR, 1), house.guest(Role.OPERATOR, name="Ines")
    assert house.by(bram, "camera.hold", camera=1, minutes=2) == ""
    house.turn(30)
    assert "is held by Bram" in house.by(ines, "framing.restore", camera=1, letter="Q", page=0)
    assert "not among those of Bram" in house.by(bram, "camera.hold", camera=2)
    house.act("camera.take_back", camera=1)
    assert house.by(ines, "framing.restore", camera=1, letter="Q", page=0) == ""


def test_a_push_that_is_not_said_again_stops_the_camera(house):
    bram = house.guest(Role.OPERATOR, 1)
    for _ in range(10):
        house.by(bram, "steer.push", camera=1, right=0.5, stroke=1)
        house.turn(0.05)
    house.turn(0.36)
    assert not house.state.guests.beats
    stood = house.cameras["c1"].goal
    assert abs(stood.pan_deg - house.cameras["c1"].aim.pan_deg) < 5
    house.turn(0.2)
    stands = house.cameras["c1"].aim
    house.turn(1)
    assert house.cameras["c1"].aim == stands


# Asking for a shot


def test_a_shot_is_asked_for_offered_and_readied(house):
    bram = house.guest(Role.OPERATOR, 2)
    house.act("shot.ask", camera=2, words="Close, now", guest=bram)
    asked = house.state.guests.asked[0]
    house.act("shot.accept", asked=asked.id)
    assert any("not offered yet" in said for said in house.sentences)
    house.by(bram, "framing.restore", camera=2, letter="W", page=0)
    house.turn(3)
    assert house.by(bram, "shot.offer", asked=asked.id, camera=2) == ""
    house.act("shot.accept", asked=asked.id)
    assert house.state.program.next.camera_id == "c2"
    assert not house.state.guests.asked


# Who it was


def test_history_and_as_run_log_name_the_guest_and_the_journal_leads_there_again(house):
    house.act("row.select", camera=3)
    ines = house.guest(Role.DEPUTY, name="Ines")
    house.by(ines, "ready.framing", camera=1, letter="W", page=0)
    house.turn(3)
    house.by(ines, "take")
    assert house.engine.as_run.lines[-1].by == "guest Bram"  # as the door says it
    assert house.engine.history.lines[-1].cause.guest == ines
    assert house.state.desk.row == "c3"  # the guest has a seat of its own
    again = replay(house.opening, house.entries)
    again.advance(house.clock.now_s())
    assert again.state == house.state


def test_a_server_that_goes_on_knows_its_guests_and_that_nobodys_line_is_up(house):
    guest = house.guest(Role.OPERATOR, 1)
    house.engine.act("guest.presence", {"guest": guest, "there": True}, house.clock.now_s(), cause=DOOR)
    house.by(guest, "steer.push", camera=1, right=0.5, stroke=1)
    state, _ = resumed(house.opening, house.state)
    assert state.guests.invitations == house.state.guests.invitations
    assert state.guests.here[guest] == replace(house.state.guests.here[guest], there=False)
    assert not state.guests.beats


def test_an_unknown_guest_is_refused(house):
    house.act("guests.open", on=True)
    assert "taken back" in house.by("nobody", "take")


# Speaking to each other


def test_a_guest_talks_only_if_that_was_given_and_until_its_line_is_gone(house):
    quiet, talker = house.guest(Role.WATCHER, name="Ines"), house.guest(Role.WATCHER, name="Bram", talks=True)
    assert "Only a guest who was given that" in house.by(quiet, "guest.talk", on=True)
    assert house.by(talker, "guest.talk", on=True) == ""
    assert house.state.guests.talking == {talker}
    assert house.by(quiet, "guest.talk", on=True, hand=f"guest {talker}") != ""  # in nobody else's name
    assert "Only a guest" in house.ran("guest.talk", on=True)
    house.engine.act("guest.presence", {"guest": talker, "there": True}, house.clock.now_s(), cause=DOOR)
    house.by(talker, "guest.talk", on=True)
    house.engine.act("guest.presence", {"guest": talker, "there": False}, house.clock.now_s(), cause=DOOR)
    assert house.state.guests.talking == frozenset()
    house.by(talker, "guest.talk", on=True)
    assert resumed(house.state, house.state)[0].guests.talking == frozenset()
    house.act("guest.send_out", guest=talker)
    assert house.state.guests.talking == frozenset()


def test_the_director_talks_with_a_microphone_that_program_does_not_have(house):
    house.act("mic.add", name="Desk")
    number = house.state.show.microphones[-1].number
    assert "door is closed" in house.ran("crew.talk", on=True)
    house.act("guests.open", on=True)
    assert "Choose a microphone" in house.ran("crew.talk", on=True)
    assert channels(house.state)[-1].gain > 0
    house.act("sound.talkback", mic=number)
    assert channels(house.state)[-1].gain == 0.0
    house.act("crew.talk", on=True)
    assert house.state.guests.crew_talks
    house.act("guests.open", on=False)
    assert not house.state.guests.crew_talks
    house.act("mic.remove", mic=number, users="leave")
    assert house.state.show.sound.talkback_id is None
