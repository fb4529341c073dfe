"""What every test gets: no deadline noise, and a failure when a thread is left behind."""

import gc
import os
import socket
import threading
from collections import Counter

import pytest
from hypothesis import settings
from hypothesis.internal.conjecture import providers

# isort: off
import ribalta.server.session  # noqa: F401  (before Qt, which reads the source of each module that is loaded after it)

# isort: on
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication

from ribalta.demo.children import StandIns
from ribalta.desk.widgets.style import dress
from ribalta.media.library.drawing_process import DrawingProcess
from ribalta.workers import garbage
from tests.depth import DEPTH
from tests.stalls import pytest_runtest_protocol, pytest_terminal_summary  # noqa: F401  (hooks)

garbage.put_off()  # until all tests are collected
if DEPTH < 1.0:  # numbers and words of our source are tried only in depth: to read it takes each process seconds
    providers._get_local_constants = lambda: providers._local_constants

settings.register_profile("suite", deadline=None, derandomize=True, max_examples=max(1, round(30 * DEPTH)))
settings.load_profile("suite")


def running() -> Counter[str]:
    return Counter(t.name for t in threading.enumerate() if t.is_alive())


@pytest.fixture(autouse=True, scope="session")
def what_is_loaded_is_not_looked_through_again():
    """Modules and models are hundreds of thousands of objects: a collection of garbage would visit each of them. What
    comes later is looked through less often than usual."""
    garbage.begin()
    gc.set_threshold(50_000, 20, 100)


@pytest.fixture(autouse=True)
def no_thread_is_left_behind():
    """By name: what a whole module shares may have put a new thread in an old one's place."""
    before = running()
    yield
    for one in threading.enumerate():
        if one.name.startswith("lookup "):  # nothing can end it but its answer
            one.join(1.0)
    left = running() - before
    assert not left, f"threads left running: {list(left)}"


@pytest.fixture(autouse=True)
def windows_are_let_go():
    """What was to be deleted later is: no event loop runs between tests, and each window holds thirty megabytes."""
    yield
    if QApplication.instance() is not None:
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(autouse=True, scope="session")
def no_name_is_asked_of_a_network():
    """A resolver that is slow, or that knows names it should not, is not what is tested."""
    ask = socket.getaddrinfo

    def known(host, *details, **more):
        try:
            return ask(host, *details, **{**more, "flags": more.get("flags", 0) | socket.AI_NUMERICHOST})
        except socket.gaierror:
            if host in ("localhost", socket.gethostname()):
                return ask(host, *details, **more)
            raise socket.gaierror(socket.EAI_NONAME, "Name or service not known") from None

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(socket, "getaddrinfo", known)
        yield


@pytest.fixture(autouse=True, scope="session")
def a_desk_of_its_own(tmp_path_factory):
    """What belongs to a desk (its shortcuts, its token) is not that of whoever runs the tests."""
    os.environ["XDG_CONFIG_HOME"] = str(tmp_path_factory.mktemp("config"))
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))


class LentDrawing(DrawingProcess):
    """It goes on for the next session; one that has died is made anew, as ever."""

    def close(self) -> None: ...


@pytest.fixture(autouse=True, scope="session")
def one_that_draws():
    """One process draws for all sessions of a run: to make one for each would take half a second."""
    lent = LentDrawing()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("ribalta.media.library.library.DrawingProcess", lambda: lent)
        yield
    DrawingProcess.close(lent)


@pytest.fixture(scope="session")
def app():
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    made = QApplication.instance() or QApplication([])
    dress(made)
    return made


@pytest.fixture(scope="session")
def standins():
    """One set of stand-ins for the whole run. Who makes something go wrong with them makes it right again."""
    running_set = StandIns(f"ribalta-test-{os.getpid()}", again=False, keep_up=True)
    yield running_set
    running_set.stop()
