"""`ribalta check`: what would fail tonight, found before doors; the same lines as in the view."""

import argparse
import json
import time
from collections.abc import Callable
from dataclasses import asdict, replace

from ribalta.attach.remote_show import RemoteShow
from ribalta.attach.runtime_folder import meeting_of, running
from ribalta.core.base.faults import LocalFault
from ribalta.core.readiness.lines import Line, Progress, Rating, summary, worst
from ribalta.core.show.files.storage import load
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import connected
from ribalta.server.session import Session

CODES = {Rating.PASS: 0, Rating.LOOK: 1, Rating.STOP: 2}
THERE_WITHIN_S, DONE_WITHIN_S, ASK_S = 12.0, 180.0, 0.1
SIGNS = {Rating.PASS: "  ok  ", Rating.LOOK: " look ", Rating.STOP: " STOP "}


def check_show(arguments: argparse.Namespace) -> int:
    """Exit code 0: all is well, 1: something wants a look, 2: something would be seen by everyone. A show that runs is
    asked; another is opened for as long as it takes. Raises LocalFault."""
    meeting = next((one for one in running() if one.path == meeting_of(arguments.show).path), None)
    if meeting is not None:
        lines = _asked(RemoteShow(meeting.path))
    else:
        lines = _opened(arguments)
    if arguments.json:
        print(json.dumps({"worst": str(worst(lines)), "summary": summary(lines), "lines": [as_json(x) for x in lines]}))
    else:
        for line in lines:
            if line.rating is not Rating.PASS or arguments.all:
                print(f"{SIGNS[line.rating]} {line.group}: {line.subject}: {line.measured}. {line.why}".rstrip())
        print(summary(lines))
    return CODES[worst(lines)]


def as_json(line: Line) -> dict[str, object]:
    """A line as it is printed for programs."""
    return asdict(line) | {"group": str(line.group), "rating": str(line.rating)}


def _asked(show: RemoteShow) -> tuple[Line, ...]:
    try:
        return _checked(show.evening.readiness.begin, lambda: show.evening.readiness.now)
    finally:
        show.close()


def _opened(arguments: argparse.Namespace) -> tuple[Line, ...]:
    stored, standins = load(arguments.show), None
    if arguments.demo:
        standins = StandIns("ribalta-check", again=False)
        stored = replace(stored, show=connected(stored.show, standins.announcement))
    try:
        session = Session(stored, None)
        try:
            session.start()
            _until(lambda: all(_there(session, c.id) for c in session.state.show.cameras), THERE_WITHIN_S)
            return _checked(session.evening.readiness.begin, lambda: session.evening.readiness.now)
        finally:
            session.stop()
    finally:
        if standins is not None:
            standins.stop()


def _there(session: Session, camera_id: str) -> bool:
    camera, live = session.state.show.camera(camera_id), session.state.live(camera_id)
    return live.picture and (camera is None or not camera.steered or live.aim is not None)


def _checked(begin: Callable[[], None], now: Callable[[], Progress]) -> tuple[Line, ...]:
    before_s = now().at_s
    begin()
    if not _until(lambda: not now().running and now().at_s > before_s, DONE_WITHIN_S):
        raise LocalFault("The check did not come to its end. Try it again.")
    return now().lines


def _until(true: Callable[[], bool], seconds: float) -> bool:
    end_s = time.monotonic() + seconds
    while not true() and time.monotonic() < end_s:
        time.sleep(ASK_S)
    return true()
