"""What every test gets: no deadline noise, and a failure when a thread is left behind."""

import threading

import pytest
from hypothesis import settings

settings.register_profile("suite", deadline=None, derandomize=True, max_examples=60)
settings.load_profile("suite")


@pytest.fixture(autouse=True)
def no_thread_is_left_behind():
    before = set(threading.enumerate())
    yield
    left = [t.name for t in threading.enumerate() if t not in before and t.is_alive()]
    assert left == [], f"threads left running: {left}"
