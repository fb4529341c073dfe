"""A real window on a real session against the real stand-in process; nothing sleeps, everything waits for events."""

import logging
import sys
from collections.abc import Callable

import pytest
from PySide6.QtCore import QEventLoop, QTimer, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from ribalta.core.show.files.storage import StoredShow, load
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.desk.window import Window
from ribalta.server.session import Session
from tests.stalls import Lived


@pytest.fixture(autouse=True)
def no_warnings(caplog, monkeypatch):
    """Nothing is said that nobody expects, and no slot raises: what is raised there is only printed."""
    said: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, where: said.append(f"a slot raised {error!r}"))
    quiet = (QtMsgType.QtDebugMsg, QtMsgType.QtInfoMsg)
    offscreen = "This plugin does not support"
    before = qInstallMessageHandler(
        lambda kind, _, text: None if kind in quiet or text.startswith(offscreen) else said.append(text)
    )
    with caplog.at_level(logging.WARNING):
        yield
    qInstallMessageHandler(before)
    assert said == []
    assert [r.message for r in caplog.records] == []


def turn_until(true: Callable[[], bool], limit_s: float = 20, why: Callable[[], str] = lambda: "") -> None:
    """Turn Qt's event loop until something is true. What the machine stood still does not count as waiting."""
    loop, lived = QEventLoop(), Lived(limit_s)
    check = QTimer()
    check.setInterval(5)

    def look() -> None:
        try:
            over = true() or lived.is_over()
        except Exception:  # it is raised again below, where a test sees it
            over = True
        if over:
            loop.quit()

    check.timeout.connect(look)
    check.start()
    loop.exec()
    check.stop()
    assert true(), f"waited {limit_s} s; {why()}"


class Desk:
    """A window and its session."""

    def __init__(self, stored: StoredShow, path, pads=None) -> None:
        self.session = Session(stored, path)
        self.session.start()
        self.window = Window(self.session, pads)
        self.window.show()
        self.air = self.window.air

    @property
    def state(self):
        return self.session.state

    def until(self, true: Callable[[], bool], limit_s: float = 20) -> None:
        turn_until(true, limit_s, lambda: f"the desk last said: {self.window.notices.sentence!r}")

    def all_there(self) -> bool:
        lives = [(c, self.state.live(c.id)) for c in self.state.show.cameras]
        return all(live.picture and (live.aim is not None or not c.steered) for c, live in lives)

    def close(self) -> None:
        self.window.close()
        self.session.stop()
        self.window.deleteLater()
        QApplication.processEvents()


@pytest.fixture
def open_desk(app, standins):
    """Opens desks on the demo's show, or on a file."""
    opened: list[Desk] = []

    def open_one(path=None, announcement=None, pads=None) -> Desk:
        stored = load(path or SHIPPED)
        show = connected(stored.show, announcement or standins.announcement)
        opened.append(Desk(StoredShow(show, stored.pictures, stored.warnings), path, pads))
        return opened[-1]

    yield open_one
    for desk in opened:
        desk.close()


@pytest.fixture
def hall(window):
    """What a hand-wound window shows."""
    return window.bridge._show.hall
