"""The garbage collector while a process starts: it would look again and again through what is only being loaded."""

import gc


def put_off() -> None:
    """While modules are loaded."""
    gc.disable()


def begin() -> None:
    """From now on; what has been loaded so far stays, and is not looked through again."""
    gc.freeze()
    gc.enable()
