"""A page in headless Chromium, by its DevTools protocol: what a reader does, and sees."""

from __future__ import annotations

import base64
import json
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar
from urllib.request import urlopen

T = TypeVar("T")
CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")


class Page:
    """One page. `run` gives what JavaScript gives, promises awaited."""

    def __init__(self, socket: Any) -> None:
        self._socket = socket
        self._number = 0
        self.call("Page.enable")
        self.call("Runtime.enable")

    def call(self, method: str, **words: Any) -> Any:
        self._number += 1
        self._socket.send(json.dumps({"id": self._number, "method": method, "params": words}))
        while True:
            told = json.loads(self._socket.recv(timeout=20))
            if told.get("id") == self._number:
                assert "error" not in told, told
                return told["result"]

    def run(self, code: str) -> Any:
        told = self.call("Runtime.evaluate", expression=code, awaitPromise=True, returnByValue=True, userGesture=True)
        assert "exceptionDetails" not in told, told["exceptionDetails"]
        return told["result"].get("value")

    def open(self, url: str) -> None:
        self.call("Page.navigate", url=url)
        self.until("document.readyState === 'complete'")

    def until(self, code: str, seconds: float = 10) -> None:
        """Wait until JavaScript says true."""
        end = time.monotonic() + seconds
        while not self.steadily(lambda: self.run(code)):
            assert time.monotonic() < end, f"{code} never became true"
            time.sleep(0.05)

    def type(self, text: str) -> None:
        self.call("Input.insertText", text=text)

    def key(self, key: str) -> None:
        codes = {"Tab": 9, "Enter": 13}
        text = {"text": "\r"} if key == "Enter" else {}
        for kind in ("keyDown", "keyUp"):
            self.call("Input.dispatchKeyEvent", type=kind, key=key, code=key, windowsVirtualKeyCode=codes[key], **text)

    def size(self, width: int, height: int, *, dark: bool = False) -> None:
        self.call("Emulation.setDeviceMetricsOverride", width=width, height=height, deviceScaleFactor=1, mobile=False)
        scheme = {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}
        self.call("Emulation.setEmulatedMedia", features=[scheme])

    def scripts(self, *, run: bool) -> None:
        self.call("Emulation.setScriptExecutionDisabled", value=not run)

    def steadily(self, step: Callable[[], T]) -> T:
        """What a step gives: again where a page that just comes has changed things meanwhile."""
        end = time.monotonic() + 10
        while True:
            try:
                return step()
            except AssertionError:
                if time.monotonic() > end:
                    raise
                time.sleep(0.05)

    @property
    def root(self) -> int:
        return int(self.call("DOM.getDocument")["root"]["nodeId"])

    def focus(self, selector: str) -> None:
        def step() -> None:
            node = self.call("DOM.querySelector", nodeId=self.root, selector=selector)["nodeId"]
            self.call("DOM.focus", nodeId=node)

        self.steadily(step)

    def choose(self, selector: str, file: Path) -> None:
        """Choose a file in an input for one."""

        def step() -> None:
            node = self.call("DOM.querySelector", nodeId=self.root, selector=selector)["nodeId"]
            self.call("DOM.setFileInputFiles", nodeId=node, files=[str(file)])

        self.steadily(step)

    def fill(self, selector: str, text: str) -> None:
        """Type into an input, as a reader does: without a script of the page."""
        self.focus(selector)
        self.type(text)

    def press(self, selector: str) -> None:
        """Press a button, and wait for the page that comes."""
        self.focus(selector)
        before = self.seen
        self.key("Enter")
        end = time.monotonic() + 10
        while self.seen == before:
            assert time.monotonic() < end, "no page comes"
            time.sleep(0.05)
        time.sleep(0.2)

    @property
    def seen(self) -> tuple[int, str]:
        """How many pages came, and what stands on the last."""
        return self.steadily(lambda: (self.call("Page.getNavigationHistory")["currentIndex"], self.html))

    @property
    def html(self) -> str:
        return str(self.steadily(lambda: self.call("DOM.getOuterHTML", nodeId=self.root)["outerHTML"]))

    def picture(self, file: Path) -> None:
        file.write_bytes(base64.b64decode(self.call("Page.captureScreenshot", format="png")["data"]))


@contextmanager
def page() -> Iterator[Page]:
    """A page of a browser of its own."""
    from websockets.sync.client import connect

    assert CHROMIUM is not None
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        words = ["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--remote-debugging-port=0"]
        command = [CHROMIUM, *words, "--remote-allow-origins=*", f"--user-data-dir={folder}", "about:blank"]
        browser = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            told = Path(folder) / "DevToolsActivePort"
            end = time.monotonic() + 30
            while not (told.exists() and len(told.read_text().splitlines()) > 1):
                assert time.monotonic() < end, "the browser does not start"
                time.sleep(0.05)
            port = told.read_text().splitlines()[0]
            with urlopen(f"http://127.0.0.1:{port}/json") as answer:
                address = next(each for each in json.load(answer) if each["type"] == "page")["webSocketDebuggerUrl"]
            with connect(address, max_size=None) as socket:
                yield Page(socket)
        finally:
            browser.terminate()
            browser.wait(20)
