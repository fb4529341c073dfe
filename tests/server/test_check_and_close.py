"""Before doors and after the show, in a session that runs: a check comes to its lines or is called off; one action ends
the evening in order and says what really happened, and what failed is tried again."""

import os
import threading
import time

import pytest

from ribalta.core.ports.crew import Ending
from ribalta.core.readiness.lines import Rating
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.playlists import Entry, Playlist
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.demo.children import StandIns
from ribalta.demo.practice import rows_of
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.media.outputs.recorder import last_picture
from ribalta.server.evening import readiness_host
from ribalta.server.session import Session

pytestmark = [pytest.mark.real_time, pytest.mark.xdist_group("check and close")]


def wait_for(true, seconds=30.0):
    end_s = time.monotonic() + seconds
    while not true() and time.monotonic() < end_s:
        threading.Event().wait(0.05)
    assert true()


@pytest.fixture
def begun(tmp_path):
    running: list[Session] = []

    def begin(show) -> Session:
        outputs = show.outputs.model_copy(update={"folder": str(tmp_path)})
        session = Session(StoredShow(show.model_copy(update={"outputs": outputs}), load(SHIPPED).pictures), None)
        session.start()
        running.append(session)
        return session

    yield begin
    for session in running:
        session.stop()


def test_a_check_comes_to_its_lines_and_one_that_is_called_off_leaves_those(begun, monkeypatch):
    monkeypatch.setattr(readiness_host, "BETWEEN_S", 0.2)
    session = begun(Show(title="Nothing yet"))
    readiness = session.evening.readiness
    assert readiness.now.at_s == 0
    readiness.begin()
    wait_for(lambda: readiness.now.running and readiness.now.share > 0)
    readiness.begin()  # one at a time
    wait_for(lambda: not readiness.now.running)
    now = readiness.now
    stops = [(line.key, line.subject) for line in now.lines if line.rating is Rating.STOP]
    assert ("cameras.any", "The show") in stops
    assert not [line for line in now.lines if line.key in ("recording.test", "recording.folder") and line in stops]
    wait_for(lambda: session.state.crew.checked_at_s == now.at_s)
    assert session.state.crew.stops == len(stops)
    assert now.edits == session.state.edits.count
    session.act("show.rename", {"title": "Another"})
    wait_for(lambda: session.state.edits.count != now.edits)
    readiness.begin()
    wait_for(lambda: readiness.now.running)
    readiness.cancel()
    wait_for(lambda: not readiness.now.running)
    assert readiness.now.lines == now.lines
    assert readiness.now.at_s == now.at_s


@pytest.fixture
def own_standins():
    """They are put to sleep: not those of the whole run, which others would find asleep."""
    made = StandIns(f"ribalta-close-{os.getpid()}", again=False, keep_up=True, cameras=rows_of(three_cameras()))
    yield made
    made.stop()


def three_cameras() -> Show:
    """The demo's second and third camera, and the fixed wide, with a playlist of one framing."""
    show = load(SHIPPED).show
    kept = ("c2", "c3", "c5")
    playlist = Playlist(id="l1", name="Round", entries=(Entry(item=Item(kind=Kind.CAMERA, id="c2"), amount=600.0),))
    return Show(
        cameras=tuple(c for c in show.cameras if c.id in kept),
        framings=tuple(f for f in show.framings if f.camera_id in kept),
        titles=show.titles[:1],
        playlists=(playlist,),
        settings=show.settings,
        outputs=show.outputs.model_copy(update={"tally": (TallyReceiver(host="nowhere.invalid", port=8999),)}),
        next_number=show.next_number,
    )


def test_one_action_ends_the_evening_in_order_and_what_failed_is_tried_again(begun, own_standins):
    show = connected(three_cameras(), own_standins.announcement)
    session = begun(show)
    steered = [c for c in show.cameras if c.steered]
    wait_for(lambda: all(session.state.live(c.id).aim is not None for c in steered))
    session.act("ready.framing", {"camera": 2, "letter": "W"})
    session.act("take", {})
    wait_for(lambda: session.state.on_air("c2"))
    session.act("record", {"on": True})
    session.act("title.switch", {"title": "t1", "on": True})
    session.act("playlist.start", {"playlist": "l1"})
    wait_for(lambda: session.outputs.recordings and session.outputs.recordings[0].seconds > 1.0)
    assert session.evening.closing.now.steps == ()
    wait_for(lambda: session.outputs.tally.troubles)
    session.act("evening.end", {})
    wait_for(lambda: session.evening.closing.now.running)
    wait_for(lambda: not session.evening.closing.now.running, 60)
    steps = {step.key: step for step in session.evening.closing.now.steps}
    assert list(steps) == ["runs", "stream", "recording", "cameras", "clear", "tally"]
    assert steps["tally"].ending is Ending.FAILED
    assert steps["tally"].said.startswith("nowhere.invalid: ")
    others = [step for key, step in steps.items() if key != "tally"]
    assert [step.ending for step in others] == [Ending.DONE] * 5, others
    assert "read back" in steps["recording"].said
    assert last_picture(session.outputs.recordings[0].path) is not None
    assert steps["runs"].said.startswith("stopped playlist")
    assert steps["stream"].said == "was not on"
    assert steps["cameras"].said == "2 at home, 2 in standby"
    state = session.state
    assert state.program.on_air.camera_id == "c5"  # a steered camera on air could not sleep
    assert all(layer is None for layer in state.program.overlays.layers)
    assert state.live("c2").settings["power"].reported == "standby"
    wait_for(lambda: session.state.crew.closed_takes == session.state.program.takes)
    session.act("outputs.tally", {"host": "nowhere.invalid", "port": 8999, "remove": True})
    wait_for(lambda: not session.outputs.tally.troubles)
    session.act("evening.again", {})
    wait_for(lambda: session.evening.closing.now.failed == ())
    wait_for(lambda: not session.evening.closing.now.running)
    again = {step.key: step for step in session.evening.closing.now.steps}
    assert again["tally"].said == "nobody is told"
    assert all(again[key] is steps[key] for key in again if key != "tally")  # only what failed was tried again
