"""What a server and a desk load before their show is there, and in which order."""

import subprocess
import sys

LATER = {"PySide6", "keyring", "onvif", "pypdfium2", "scipy", "svgelements", "zeep"}


def loaded_with(module: str) -> list[str]:
    """The modules that a process has, in the order in which they were begun."""
    told = f"import sys; import {module}; print(*sys.modules, sep='\\n')"
    return subprocess.run([sys.executable, "-c", told], check=True, capture_output=True, text=True).stdout.split()


def test_a_server_loads_nothing_that_is_wanted_later_or_never():
    loaded = set(loaded_with("ribalta.app.serve"))
    assert {"ribalta.server.session", "numpy", "cv2", "av"} <= loaded
    assert not loaded & LATER


def test_a_desk_loads_what_is_not_qts_before_qt_which_reads_the_source_of_all_that_comes_after_it():
    loaded = loaded_with("ribalta.app.attached")
    first = loaded.index("PySide6")
    large = ("numpy", "cv2", "msgspec", "pydantic", "ribalta.core.engine.catalogue", "ribalta.attach.remote_show")
    assert set(large) <= set(loaded[:first])
