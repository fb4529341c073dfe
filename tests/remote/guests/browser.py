"""A real browser, for the page of guests: Debian's Chromium without a screen, and without a word to anybody else."""

import contextlib
import os
import signal
import socket
from collections.abc import Callable
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

CHROMIUM, DRIVER = "/usr/bin/chromium", "/usr/bin/chromedriver"
QUIET = (
    *("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-quic"),
    *("--no-first-run", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage"),
    *("--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"),  # a microphone that beeps
)


class Browser:
    """One window. The certificate of the door is not known to it, and is taken all the same."""

    def __init__(self, profile: Path, size: tuple[int, int] = (1280, 800)) -> None:
        options = webdriver.ChromeOptions()
        options.binary_location = CHROMIUM
        for argument in (*QUIET, f"--user-data-dir={profile}"):
            options.add_argument(argument)
        options.accept_insecure_certs = True
        self._profile = profile
        self.driver = webdriver.Chrome(options=options, service=Service(DRIVER))
        self.resize(*size)

    def resize(self, width: int, height: int, phone: bool = False) -> None:
        """So large is the page itself."""
        metrics = {"width": width, "height": height, "deviceScaleFactor": 2 if phone else 1, "mobile": phone}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        self.driver.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": phone})

    def before_each_page(self, script: str) -> None:
        """Run in every page before anything of its own."""
        self.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": script})

    def run(self, script: str, *arguments: Any) -> Any:
        """What a script of the page returns."""
        return self.driver.execute_script(script, *arguments)

    def text(self, css: str) -> str:
        """What stands there."""
        return self.driver.find_element(By.CSS_SELECTOR, css).text

    def shown(self, css: str) -> bool:
        """Is there such a thing, to be seen?"""
        return any(found.is_displayed() for found in self.driver.find_elements(By.CSS_SELECTOR, css))

    def click(self, css: str) -> None:
        self.driver.find_element(By.CSS_SELECTOR, css).click()

    def enter(self, link: str, name: str, until: Callable[[Callable[[], bool]], None]) -> None:
        """Come in by the link of an invitation."""
        self.driver.get("about:blank")
        self.driver.get(link)
        until(lambda: self.shown("#gate button"))
        self.driver.find_element(By.ID, "gate-name").send_keys(name)
        self.click("#gate button")
        until(lambda: self.shown("#stage"))

    def leave(self, until: Callable[[Callable[[], bool]], None]) -> None:
        self.click("#leave")
        until(lambda: self.shown("#gate"))

    def pull(self, css: str, begin: tuple[float, float], end: tuple[float, float] | None = None) -> None:
        """Press at a place of an element (shares of it), pull to another, let go; without an end, a click."""
        element = self.driver.find_element(By.CSS_SELECTOR, css)
        size = element.size

        def offset(share: tuple[float, float]) -> tuple[int, int]:
            return round((share[0] - 0.5) * size["width"]), round((share[1] - 0.5) * size["height"])

        chain = ActionChains(self.driver, duration=20).move_to_element_with_offset(element, *offset(begin))
        chain.click_and_hold()
        if end is not None:
            middle = (begin[0] + end[0]) / 2, (begin[1] + end[1]) / 2
            for share in (middle, end):
                chain.move_to_element_with_offset(element, *offset(share))
        chain.release().perform()

    def kill(self) -> None:
        """All of its processes, at once."""
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            with contextlib.suppress(OSError):
                if str(self._profile) in path.read_text():
                    os.kill(int(path.parent.name), signal.SIGKILL)

    def close(self) -> None:
        with contextlib.suppress(WebDriverException):
            self.driver.quit()


def free_port() -> int:
    """For TCP, on this machine."""
    with socket.socket() as made:
        made.bind(("127.0.0.1", 0))
        return int(made.getsockname()[1])
