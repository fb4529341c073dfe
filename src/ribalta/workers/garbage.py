"""The garbage collector while a process starts: it would look again and again through what is only being loaded."""

import gc


def put_off() -> None:
    """While modules are loaded."""
    gc.disable()


def begin() -> None:
    """From now on, and again when a show or libraries have been loaded; what is there so far is not looked through
    again."""
    gc.freeze()
    gc.enable()
