"""A real browser without a screen: pages are opened, keys pressed, and what sounds is recorded."""

from __future__ import annotations

import json
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

ENTER, ESCAPE, BACKSPACE, SPACE, TAB, RIGHT = (
    Keys.ENTER, Keys.ESCAPE, Keys.BACKSPACE, " ", Keys.TAB, Keys.ARROW_RIGHT,
)  # fmt: skip
# hooks the sound before it leaves: what is heard, as the device would get it
_TAP = """
const [seconds, done] = arguments, sound = zestSession.sound, rate = sound.context.sampleRate, parts = [];
const tap = sound.context.createScriptProcessor(1024, 2, 1);
tap.onaudioprocess = (e) => {
  parts.push(...e.inputBuffer.getChannelData(0));
  if (parts.length > seconds * rate) { tap.disconnect(); done([rate, parts]); }
};
sound.out.connect(tap); tap.connect(sound.context.destination);
"""


class Browser:
    def __init__(self, driver: webdriver.Chrome, downloads: Path) -> None:
        self.driver, self.downloads = driver, downloads
        self._given = set(downloads.glob("answers-*.json"))

    def open(self, page: Path) -> None:
        self.driver.get(page.resolve().as_uri())

    def press(self, *keys: str) -> None:
        for key in keys:
            ActionChains(self.driver).send_keys(key).perform()

    @property
    def says(self) -> str:
        return self.driver.find_element(By.ID, "main").text

    def click(self, words: str) -> None:
        self.driver.find_element(By.XPATH, f"//button[contains(., {json.dumps(words)})]").click()

    def run(self, script: str, *values: object) -> Any:
        return self.driver.execute_script(script, *values)

    def until(self, good: Callable[[], object], seconds: float = 20.0) -> None:
        ends = time.monotonic() + seconds
        while not good():
            assert time.monotonic() < ends, self.says
            time.sleep(0.05)

    def hear(self, seconds: float) -> tuple[float, NDArray[np.float64]]:
        """(sample rate, samples of the left channel) of what sounds from now on."""
        self.driver.set_script_timeout(seconds + 20)
        rate, samples = self.driver.execute_async_script(_TAP, seconds)
        return float(rate), np.array(samples)

    def complaints(self) -> list[str]:
        """What went wrong in the page by the browser's own log."""
        return [one["message"] for one in self.driver.get_log("browser") if one["level"] == "SEVERE"]

    def downloaded(self) -> Path:
        """The file of answers that came last; each is given once."""
        fresh: list[Path] = []

        def came() -> bool:
            fresh[:] = [one for one in self.downloads.glob("answers-*.json") if one not in self._given]
            return bool(fresh)

        self.until(came)
        self._given.update(fresh)
        return fresh[0]

    def picture(self, path: Path) -> None:
        self.driver.save_screenshot(str(path))


@contextmanager
def browser(folder: Path, *, width: int = 1280, height: int = 900, profile: str = "profile") -> Iterator[Browser]:
    """A window of its own; what is kept in it lies in the folder, by the profile's name, and outlives it."""
    downloads = folder / "downloads"
    downloads.mkdir(parents=True, exist_ok=True)
    options = webdriver.ChromeOptions()
    for one in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--no-first-run",
                "--disable-background-networking", "--autoplay-policy=user-gesture-required",
                f"--window-size={width},{height}", f"--user-data-dir={folder / profile}"):  # fmt: skip
        options.add_argument(one)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    try:
        yield Browser(driver, downloads)
    finally:
        driver.quit()
