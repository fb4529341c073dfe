"""Pictures of the guests' page (laptop and phone) and of the desk's page of guests, from the demo: `make shots`.

The page is drawn by a real browser (Debian's Chromium), which `make setup-tests` installs.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QApplication
from tests.remote.guests.browser import Browser, free_port

from ribalta.app.launch import demo_show_path
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.codes import hashed
from ribalta.desk.painting import look
from ribalta.desk.widgets.style import dress
from ribalta.desk.window import Window


def main(folder: Path) -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as home:
        for name in ("XDG_RUNTIME_DIR", "XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            os.environ[name] = f"{home}/{name}"
            Path(os.environ[name]).mkdir(mode=0o700)
        path = demo_show_path(Path(home) / "clay-cup.ribalta", True)
        reading, writing = os.pipe()
        command = [sys.executable, "-m", "ribalta", "serve", str(path), "--demo", "--ready", str(writing)]
        server = subprocess.Popen(command, pass_fds=(writing,))
        show = RemoteShow(Path(json.loads(os.read(reading, 65536))["socket"]))
        browser = Browser(Path(home) / "browser")
        try:
            _shoot(show, browser, folder)
        finally:
            browser.close()
            show.end_show()
            server.wait(30)
            show.close()


def _shoot(show: RemoteShow, browser: Browser, folder: Path) -> None:
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    dress(app)
    window = Window(show)
    window.resize(1280, 800)
    window.show()
    page = window.rig.guests

    def until(true: Callable[[], object], limit_s: float = 20.0) -> None:
        end_s = time.monotonic() + limit_s
        while not true() and time.monotonic() < end_s:
            app.processEvents()
            time.sleep(0.005)

    def pause(seconds: float) -> None:
        until(lambda: False, seconds)

    def invite(name: str, role: str, cameras: str, lasts: str, sound: bool = False) -> str:
        page.name.setText(name)
        page.role.show_value(role)
        page.cameras.setText(cameras)
        page.lasts.show_value(lasts)
        page.hears.setChecked(sound)
        page.talks.setChecked(sound)
        count = len(show.state.guests.invitations)
        page.invite.click()
        until(lambda: len(show.state.guests.invitations) > count)
        page.refresh()
        code = next(c for h, c in page._links.items() if h == list(show.state.guests.invitations.values())[-1].code)
        assert hashed(code)
        return f"https://localhost:{show.state.guests.port}/#{code}"

    window.show_view("Rig")
    window.rig.show_page("Guests")
    until(lambda: all(show.state.live(c.id).picture for c in show.state.show.cameras))
    show.act("guests.open", {"on": True, "port": free_port()})
    until(lambda: show.guests.door.addresses)
    show.act("ready.framing", {"camera": 2, "letter": "W"})
    pause(3.0)
    show.act("take", {})
    show.act("ready.framing", {"camera": 3, "letter": "Q"})
    page.refresh()
    browser.enter(invite("Bram's tablet", "operator", "1, 3", "180", True), "", until)
    pause(3.0)
    browser.click("#cameras .camera:nth-child(2)")
    browser.driver.find_element("tag name", "body").send_keys("w")
    show.act("shot.ask", {"camera": 1, "words": "Ines, close, now"})
    pause(4.0)
    until(lambda: all(show.state.live(c.id).answers or not c.steered for c in show.state.show.cameras))
    pause(0.5)
    laptop = browser.driver.get_screenshot_as_png()
    invite("The hall's front desk", "watcher", "", "1440")
    pause(1.5)
    page.refresh()
    pause(0.3)
    window.grab().save(str(folder / "rig-guests.png"))
    browser.leave(until)
    browser.resize(390, 844, phone=True)
    browser.enter(invite("Ines", "deputy", "", "", True), "", until)
    pause(5.0)
    beside(laptop, browser.driver.get_screenshot_as_png()).save(str(folder / "guests-page.png"))
    window.close()


def beside(laptop: bytes, phone: bytes) -> QImage:
    """Both pictures in one, at the size at which they are seen."""
    whole = QImage(1280 + 24 + 390, 844, QImage.Format.Format_RGB32)
    whole.fill(look.RAIL)
    painter = QPainter(whole)
    painter.drawImage(QRect(0, 22, 1280, 800), QImage.fromData(laptop))
    tall = QImage.fromData(phone).scaledToHeight(844, Qt.TransformationMode.SmoothTransformation)
    painter.drawImage(1280 + 24, 0, tall)
    painter.end()
    return whole


if __name__ == "__main__":
    main(Path(sys.argv[1]))
