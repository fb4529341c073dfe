"""The real page in a real browser, against a real desk and server: what each role sees and does there."""

import json
import tempfile
import time
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from PySide6.QtWidgets import QApplication
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from ribalta.app.attached import AttachedDesk
from ribalta.app.server_process import ServerProcess
from ribalta.attach.runtime_folder import running
from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.optics.projection import HD, centre_on, fill_with, offset_percent
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.desk.window import Window
from tests.desk.conftest import turn_until
from tests.remote.guests.browser import Browser, free_port

pytestmark = pytest.mark.alone


class House:
    """A server, a window on it, and a browser."""

    def __init__(self, desk: AttachedDesk, folder: Path) -> None:
        self.desk, self.folder = desk, folder
        self.browser = Browser(folder / "browser")
        self.show = desk.attach()
        self.window = Window(self.show, end_show=desk.end_show)
        self.window.show()
        self.window.show_view("Rig")
        self.window.rig.show_page("Guests")
        self.page = self.window.rig.guests

    @property
    def state(self):
        return self.show.state

    def until(self, true, limit_s: float = 20) -> None:
        turn_until(true, limit_s, lambda: f"the page says {self.browser.text('body')[:300]!r}")

    def invite(self, name: str, role: str, cameras: str = "", uses: str = "1", sound: bool = False) -> str:
        """Its link, as the desk shows it; opened on this machine."""
        count = len(self.state.guests.invitations)
        self.page.name.setText(name)
        self.page.role.show_value(role)
        self.page.cameras.setText(cameras)
        self.page.uses.show_value(uses)
        self.page.hears.setChecked(sound)
        self.page.talks.setChecked(sound)
        self.page.invite.click()
        self.until(lambda: len(self.state.guests.invitations) > count)
        self.page.refresh()
        self.until(self.page.link.text)
        return f"https://localhost:{self.state.guests.port}/#{urlsplit(self.page.link.text()).fragment}"

    def here(self, name: str):
        return next((g for g in self.state.guests.here.values() if g.name == name), None)

    def sees(self, name: str) -> None:
        """The page of a guest has live pictures of all that it may see."""
        self.until(lambda: self.here(name) is not None and self.here(name).there)
        drawn = "return [...document.querySelectorAll('#cameras canvas')].every(c => c.dataset.number)"
        self.until(lambda: self.browser.run(drawn))

    def is_set(self, camera_id: str) -> bool:
        live = self.state.live(camera_id)
        shot = Shot(camera_id, live.goal_framing_id)
        standing = landing_state(self.state, shot, time.monotonic())
        return standing is LandingState.SET or (
            live.goal is not None and live.still_since_s is not None and standing is not LandingState.TRAVELLING
        )


@pytest.fixture
def house(app, standins, monkeypatch):
    with tempfile.TemporaryDirectory(prefix="rb") as short:  # the path of a Unix socket has to be short
        for name, folder in (("XDG_RUNTIME_DIR", "r"), ("XDG_STATE_HOME", "s"), ("XDG_CONFIG_HOME", "c")):
            monkeypatch.setenv(name, f"{short}/{folder}")
            Path(short, folder).mkdir(mode=0o700)
        path = Path(short) / "final.ribalta"
        stored = load(SHIPPED)
        save(path, StoredShow(connected(stored.show, standins.announcement), stored.pictures))
        server = ServerProcess(path)
        server.begin()
        house = House(AttachedDesk(server), Path(short))
        yield house
        house.browser.close()
        house.window.close()
        house.window.deleteLater()
        house.desk.end_show()
        house.desk.close()
        QApplication.processEvents()
        assert running() == ()


SOCKET = """
const done = arguments[arguments.length - 1], socket = new WebSocket(`wss://${location.host}/live`);
const heard = [];
socket.onopen = () => { for (const one of arguments[0]) socket.send(JSON.stringify(one)); };
socket.onmessage = (m) => { if (typeof m.data === "string" && !m.data.includes('"state"')) heard.push(m.data); };
setTimeout(() => { socket.close(); done(heard); }, 700);
"""

LISTEN = """
const context = new AudioContext(), buffer = new Float32Array(2048);
window.loudest = 0;
for (const audio of document.querySelectorAll("audio")) {
  const analyser = context.createAnalyser();
  context.createMediaStreamSource(audio.srcObject).connect(analyser);
  setInterval(() => {
    analyser.getFloatTimeDomainData(buffer);
    window.loudest = Math.max(window.loudest, ...buffer.map(Math.abs));
  }, 50);
}
"""


def at_the_socket(browser: Browser, *messages: object) -> list[dict]:
    """What comes back when a page sends what it never would by itself."""
    return [json.loads(one) for one in browser.driver.execute_async_script(SOCKET, list(messages))]


def aimed(state, camera_id: str) -> Aim:
    return state.live(camera_id).aim


def test_guests_watch_steer_direct_and_go(house):
    browser, until = house.browser, house.until
    until(lambda: all(house.state.live(c.id).picture for c in house.state.show.cameras))
    house.show.act("guests.open", {"on": True, "port": free_port()})
    until(lambda: house.show.outside.guests.door.addresses)
    house.page.refresh()

    # a watcher sees all pictures, has nothing to steer with, and is refused at the socket too
    browser.enter(house.invite("The hall", "watcher", sound=True), "Ines", until)
    house.sees("Ines")
    assert browser.text("#who") == "Ines, watcher"
    assert "localhost" in browser.driver.current_url
    assert "#" not in browser.driver.current_url  # the code is not left in the address
    assert browser.run("return document.cookie") == ""  # nor the session where scripts read
    browser.click("#cameras .camera:nth-child(2)")
    assert not browser.shown("#hands")
    before = house.state
    calls = [
        {"do": "steer.zoom", "with": {"camera": 1, "steps": 5}},
        {"push": {"camera": 1, "right": 0.5}},
        {"do": "take", "with": {}},
        {"do": "guest.enter", "with": {"invitation": "i1", "session": "0" * 64}},
        {"do": "framing.store", "with": {"camera": 1, "letter": "G", "page": 0}},
    ]
    refused = at_the_socket(browser, *calls)
    assert [one["do"] for one in refused if "refused" in one] == [c["do"] for c in calls if "do" in c]
    assert house.state.show is before.show
    assert house.state.program.on_air == before.program.on_air
    assert house.state.live("c1").hand is None

    # it hears program, and is heard while the button is held
    browser.click("#sound")
    browser.run(LISTEN)
    until(lambda: browser.run("return window.loudest") > 0.005)
    button = browser.driver.find_element(By.ID, "talk")
    ActionChains(browser.driver).click_and_hold(button).perform()
    until(lambda: browser.text("#talkers") == "You talk to the crew")
    until(lambda: "Ines talks to you" in house.window.top.mode.text())
    ActionChains(browser.driver).release().perform()
    until(lambda: not house.state.guests.talking)
    browser.leave(until)

    # an operator steers two cameras of four; a click and a box land within a hundredth of the frame
    browser.enter(house.invite("Bram", "operator", "1, 3"), "", until)
    house.sees("Bram")
    streamed = "return [...document.querySelectorAll('canvas')].every(c => c.dataset.by === 'rtc')"
    until(lambda: browser.run(streamed))
    tiles = browser.run("return [...document.querySelectorAll('#cameras .camera b')].map(b => b.textContent)")
    assert tiles == ["", "1", "3"]
    refused = at_the_socket(browser, {"do": "steer.zoom", "with": {"camera": 2, "steps": 5}})
    assert "not among those of Bram" in refused[0]["refused"]
    camera = house.state.show.camera("c3")
    browser.run("document.activeElement.blur()")
    ActionChains(browser.driver).send_keys("3").send_keys("w").perform()
    wanted = house.state.show.framing_at("c3", 1)
    until(lambda: house.state.live("c3").goal_framing_id == wanted.id and house.is_set("c3"))
    start = aimed(house.state, "c3")
    browser.pull("#picture", (0.62, 0.44))
    until(lambda: house.state.guests.holder("c3", time.monotonic()) is not None)
    asked = centre_on(0.62 * HD.width, 0.44 * HD.height, start, camera.lens, camera.head.limits, camera.place.hung)
    until(lambda: offset_percent(aimed(house.state, "c3"), asked.aim, camera.lens) < 1.0 and house.is_set("c3"))
    assert house.state.live("c3").trim != Aim(0, 0, 0)
    assert "yours for" in browser.text("#big-state")
    start = aimed(house.state, "c3")
    ActionChains(browser.driver).key_down(Keys.SHIFT).perform()
    browser.pull("#picture", (0.30, 0.30), (0.70, 0.70))
    ActionChains(browser.driver).key_up(Keys.SHIFT).perform()
    box = (0.30 * HD.width, 0.30 * HD.height, 0.70 * HD.width, 0.70 * HD.height)
    asked = fill_with(box, start, camera.lens, camera.head.limits, camera.place.hung)
    until(lambda: offset_percent(aimed(house.state, "c3"), asked.aim, camera.lens) < 1.0 and house.is_set("c3"))

    # what it stores and names stands on the desk's board, with its picture
    until(lambda: browser.shown(".framing.free"))
    letter = browser.text(".framing.free b")
    until(lambda: house.state.live("c3").picture)
    browser.click(".framing.free")
    slot = "QWERTASDFG".index(letter)
    until(lambda: house.state.show.framing_at("c3", slot) is not None)
    mine = house.state.show.framing_at("c3", slot)
    until(lambda: (house.show.file.picture(mine.picture) or b"")[:2] == b"\xff\xd8")
    tile = f'[data-key^="c3 0 {letter} "]'
    until(lambda: browser.run(f"return document.querySelector('{tile} img')?.naturalWidth > 100"))
    ActionChains(browser.driver).context_click(browser.driver.find_element("css selector", tile)).perform()
    field = browser.driver.find_element("id", "sheet-name")
    field.clear()
    field.send_keys("Suri's new bowl")
    browser.click("#sheet-rename")
    until(lambda: house.state.show.framing_at("c3", slot).name == "Suri's new bowl")
    assert house.show.log.history.lines[-1].cause.words == "Bram"

    # the director asks for a shot; it is offered with one press, and readied with one
    house.show.act("shot.ask", {"camera": 3, "words": "Her hands, now"})
    until(lambda: browser.shown(".ask button"))
    assert "Her hands, now" in browser.text(".ask")
    browser.click(".ask button")
    until(house.window.offers.isVisible)
    house.window.offers.ready.click()
    until(lambda: house.state.program.next is not None and house.state.program.next.camera_id == "c3")

    # the invitation is taken back: the page is out within a second, and its session is worth nothing
    house.page.refresh()
    house.page._choose(house.here("Bram").invitation)
    began_s = time.monotonic()
    house.page.withdraw.click()
    until(lambda: browser.shown("#gate"))
    assert time.monotonic() - began_s < 1.0
    assert "taken back" in browser.text("#gate-said")
    assert house.here("Bram") is None

    # a deputy readies and takes
    deputies = house.invite("The deputies", "deputy", uses="0")
    browser.enter(deputies, "Jory", until)
    house.sees("Jory")
    browser.run("document.activeElement.blur()")
    ActionChains(browser.driver).send_keys("2").send_keys("w").perform()
    wanted = house.state.show.framing_at("c2", 1)
    until(lambda: house.state.program.next == Shot("c2", wanted.id) and house.is_set("c2"))
    browser.click("#take")
    until(lambda: house.state.program.on_air == Shot("c2", wanted.id))
    assert house.state.program.records[-1].landed
    until(lambda: any(line.by == "guest Jory" and line.camera == 2 for line in house.show.log.as_run.lines))
    until(lambda: browser.shown("#air.lit"))
    assert browser.shown("#pads")
    browser.click("#pads-only")
    assert not browser.shown("#picture")
    assert browser.shown(".pad:not(.empty)")
    ActionChains(browser.driver).click_and_hold(browser.driver.find_element("id", "pads-only")).pause(
        0.8
    ).release().perform()
    until(lambda: browser.shown("#picture"))
    assert at_the_socket(browser, {"do": "evening.end", "with": {}})[0]["refused"]

    # a stick that is pushed while its page is killed: the camera stands still within half a second
    browser.click("#cameras .camera:nth-child(2)")
    stick = browser.driver.find_element("id", "stick")
    ActionChains(browser.driver).move_to_element(stick).click_and_hold().move_by_offset(40, 0).perform()
    until(lambda: "c1" in house.state.guests.beats)
    pushed = aimed(house.state, "c1")
    until(lambda: abs(aimed(house.state, "c1").pan_deg - pushed.pan_deg) > 1.0)
    browser.kill()
    killed_s = time.monotonic()
    until(lambda: "c1" not in house.state.guests.beats, 2)
    assert time.monotonic() - killed_s < 0.5
    stood = aimed(house.state, "c1")
    turn_until(lambda: time.monotonic() - killed_s > 1.2)
    assert offset_percent(aimed(house.state, "c1"), stood, house.state.show.camera("c1").lens) < 8.0
    until(lambda: house.here("Jory") is not None and not house.here("Jory").there)

    # who comes back is out again when the show ends
    again = house.browser = Browser(house.folder / "another browser")
    again.before_each_page("delete window.RTCPeerConnection; delete window.RTCRtpReceiver")  # a browser without it
    again.enter(deputies, "Jory again", until)
    house.sees("Jory again")
    assert not again.run(streamed)
    house.desk.end_show()
    until(lambda: again.shown("#gate") or "line to the show is gone" in again.text("#line"))
    until(lambda: running() == ())
    again.driver.get("about:blank")
    again.close()
