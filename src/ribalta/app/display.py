"""A virtual display where there is none."""

import os
import shutil
import subprocess

from ribalta.core.base.faults import LocalFault


class Display:
    """Begins a virtual one and says so, if there is none at hand. Raises LocalFault."""

    def __init__(self) -> None:
        self._child = self._start()

    @staticmethod
    def _start() -> subprocess.Popen[bytes] | None:
        if any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
            return None
        command = shutil.which("Xvfb")
        if command is None:
            raise LocalFault("There is no display, and no Xvfb to make one: sudo apt-get install xvfb.")
        child = subprocess.Popen(
            [command, "-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-terminate"],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            start_new_session=True,  # Ctrl+C is for the desk, which then ends this
        )
        assert child.stdout is not None
        number = child.stdout.readline().decode().strip()
        if not number:
            raise LocalFault("There is no display, and a virtual one could not be started with Xvfb.")
        os.environ["DISPLAY"] = f":{number}"
        os.environ["QT_QPA_PLATFORM"] = "xcb"
        print(f"No display here: Ribalta runs on a virtual one, :{number}. Ctrl+C ends it.", flush=True)
        return child

    def stop(self) -> None:
        """If it was begun here."""
        if self._child is not None:
            self._child.terminate()
            self._child.wait()
            if self._child.stdout is not None:
                self._child.stdout.close()
