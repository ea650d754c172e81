"""How long a hand waits in the real browser, as ratios against REF: ``python -m bench.hand``.

A house of its own, a picture of 24 million pixels with twelve touches, headless Chromium. While something is dragged,
*every* is the time between two new pictures, *old* how old a picture is when it is drawn. REF is one Gaussian blur
(σ 3) of 1280 × 1000 × 3 float32, taken between the rounds. The browser shares the two cores with the server.
"""

import itertools
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from selenium.webdriver import Chrome

from bench.house import House
from tests.browser.driver import chromium
from tests.browser.room import Person

ALTO = Path(__file__).resolve().parents[1] / "demo" / "pictures" / "Alto 1.jpg"
SIDE = 5477
SECONDS, RATE = 4.0, 60.0
WINDOWS = ((1280, 800), (2560, 1440))
WATCH = """
window.seen = [];
let answered = null;
const real = window.fetch;
window.fetch = async (...of) => {
  const path = typeof of[0] === 'string' ? of[0] : of[0].url;
  const began = performance.now();
  const answer = await real(...of);
  if (/(view|dabs)$/.test(path) && answer.status === 200) answered = [began, path.endsWith('dabs')];
  return answer;
};
const drawn = new WeakSet();
const draw = CanvasRenderingContext2D.prototype.drawImage;
CanvasRenderingContext2D.prototype.drawImage = function (image, ...at) {
  if (image instanceof ImageBitmap && this.canvas.dataset.picture !== undefined && !drawn.has(image)) {
    drawn.add(image);
    const now = performance.now();
    if (answered) window.seen.push([now, now - answered[0], image.width, answered[1]]);
  }
  return draw.call(this, image, ...at);
};
window.held = [];
new PerformanceObserver((list) => list.getEntries().forEach((e) => window.held.push(e.duration)))
  .observe({ type: 'longtask', buffered: true });
"""
FACE = {"id": "face", "name": "face", "feather": 0.004, "parts": [{"source": "face-part", "part": "face"}]}
SKIN = {"id": "skin", "name": "skin", "feather": 0.003, "parts": [{"source": "face-part", "part": "skin"}]}
POOL = {"id": "pool", "name": "pool", "parts": [{"source": "pool", "centre": [0.4, 0.4], "radii": [0.3, 0.35]}]}
TOUCHES: tuple[tuple[str, dict[str, Any], str | None], ...] = (
    ("exposure", {"ev": 0.2}, None), ("white-balance", {"warmth": 8.0}, None), ("zones", {"shadow": 0.4}, None),
    ("exposure", {"ev": 0.3}, "face"), ("curve", {"points": [[0, 0], [0.4, 0.45], [1, 1]]}, None),
    ("saturation", {"amount": 0.1}, "pool"), ("detail", {"medium": -0.2}, "skin"), ("even", {"light": 0.3}, "skin"),
    ("exposure", {"ev": -0.3}, "pool"), ("exposure", {"ev": 0.2}, "skin"), ("saturation", {"amount": 0.08}, "face"),
    ("sharpen", {"amount": 0.4}, None),
)  # fmt: skip


def reference() -> float:
    """REF in seconds."""
    picture, times = np.random.default_rng(1).random((1000, 1280, 3), np.float32), []
    for _ in range(7):
        began = time.perf_counter()
        cv2.GaussianBlur(picture, (0, 0), 3)
        times.append(time.perf_counter() - began)
    return statistics.median(times)


def large() -> bytes:
    """The demo's Alto 1 at 24 million pixels, as a JPEG."""
    picture = cv2.imread(str(ALTO))
    share = SIDE / max(picture.shape)
    return bytes(cv2.imencode(".jpg", cv2.resize(picture, None, fx=share, fy=share, interpolation=cv2.INTER_CUBIC))[1])


class Hand:
    """Somebody at the browser, and what came while they moved."""

    def __init__(self, driver: Chrome, person: Person):
        self.driver, self.person = driver, person

    def mouse(self, what: str, x: float, y: float, **more: Any) -> None:
        """One event of the mouse."""
        down = {"button": "left", "buttons": 1} if what != "mouseMoved" or more.pop("held", False) else {}
        self.driver.execute_cdp_cmd(
            "Input.dispatchMouseEvent", {"type": what, "x": x, "y": y, "clickCount": 1, **down, **more}
        )

    def drags(self, x: float, y: float, way: Callable[[float], tuple[float, float]], held: bool = True) -> None:
        """Move along ``way`` (pixels by share of the time) for some seconds."""
        self.driver.execute_script("window.seen = []; window.held = []")
        if held:
            self.mouse("mousePressed", x, y)
        began = time.perf_counter()
        while (share := (time.perf_counter() - began) / SECONDS) < 1:
            dx, dy = way(share)
            self.mouse("mouseMoved", x + dx, y + dy, held=held)
            time.sleep(max(0.0, 1 / RATE - (time.perf_counter() - began) % (1 / RATE)))
        self.seen = self.driver.execute_script("return window.seen")
        self.longest = max(self.driver.execute_script("return window.held"), default=0.0)
        if held:
            self.mouse("mouseReleased", x, y)
        self.person.settle()

    def told(self, what: str, ref: float, goals: str, dabs: bool = False) -> None:
        """Print what came: all pictures, or only ``dabs``."""
        seen = [(t, age, width) for t, age, width, dab in self.seen if dab or not dabs]
        times = [t for t, *_ in seen]
        gaps = sorted((b - a) / 1000 / ref for a, b in itertools.pairwise(times))
        if not gaps:
            print(
                f"  {what:<34} no picture was needed: the sharp one moves; page held {self.longest:3.0f} ms", flush=True
            )
            return
        old = statistics.median(age / 1000 / ref for _, age, _ in seen)
        width = round(statistics.median(w for *_, w in seen))
        print(
            f"  {what:<34} every {statistics.median(gaps):5.1f}, 95 % {gaps[int(0.95 * (len(gaps) - 1))]:5.1f}, "
            f"old {old:5.1f} × REF, {width} px wide; page held {self.longest:3.0f} ms  {goals}",
            flush=True,
        )

    def timed(self, what: str, ref: float, goal: str, script: str, rounds: int = 5) -> None:
        """Print how long it takes in the page until the stage is at rest after something, the median of some."""
        times = [self.driver.execute_async_script(script + UNTIL_REST) / 1000 / ref for _ in range(rounds)]
        print(f"  {what:<34} {statistics.median(times):5.1f} × REF  {goal}", flush=True)


UNTIL_REST = """
const done = arguments[0], began = performance.now();
act();
const rest = () => {
  const stage = document.querySelector('[data-stage]'), canvas = document.querySelector('[data-picture]');
  const there = stage && stage.dataset.busy === undefined && canvas.width
    && canvas.getContext('2d').getImageData(canvas.width / 2, canvas.height / 2, 1, 1).data[3] > 0;
  if (!there) return void requestAnimationFrame(rest);
  const took = performance.now() - began;
  after();
  setTimeout(() => done(took), 900);
};
requestAnimationFrame(() => requestAnimationFrame(rest));
"""
KEY = "const key = (type, name) => document.body.dispatchEvent(new KeyboardEvent(type, {key: name, bubbles: true}));"
BEFORE = KEY + "const act = () => key('keydown', 'q'), after = () => key('keyup', 'q');"
CLOSER = KEY + "const act = () => key('keydown', '1'), after = () => key('keydown', 'f');"
OPENS = "const act = () => document.querySelector('a[href*=\"/portraits/\"]').click(), after = () => history.back();"


def main() -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        house = House(Path(folder))
        house.start()
        driver = chromium()
        try:
            sitting = house.entered("Hand")
            portrait = house.upload(sitting, "Alto 1.jpg", large())
            house.until_prepared(portrait)
            house.until_idle()
            house.patiently("POST", f"/portraits/{portrait}/edits", {
                "revision": 0, "words": "twelve touches", "operations": [
                    *({"op": "insert", "path": ["areas"], "item": area} for area in (FACE, SKIN, POOL)),
                    *({"op": "insert", "path": ["touches"], "item": {
                        "id": f"t{n}", "kind": kind, "settings": settings, **({"area": area} if area else {}),
                    }} for n, (kind, settings, area) in enumerate(TOUCHES, 1)),
                ],
            })  # fmt: skip
            driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": WATCH})
            address = f"http://127.0.0.1:{house.port}"
            driver.get(address)
            for cookie in house.jar:
                driver.add_cookie({"name": cookie.name, "value": cookie.value or "", "path": "/"})
            for width, height in WINDOWS:
                _window(driver, Person(driver, address), portrait, sitting, width, height)
        finally:
            driver.quit()
            house.stop()


def _window(driver: Chrome, person: Person, portrait: str, sitting: str, width: int, height: int) -> None:
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {
        "width": width, "height": height, "deviceScaleFactor": 1, "mobile": False,
    })  # fmt: skip
    ref = reference()
    print(f"{width} × {height}, REF {1000 * ref:.0f} ms", flush=True)
    person.open_portrait(portrait)
    hand = Hand(driver, person)
    for zoom in ("fit", "100 %"):
        person.keys("f" if zoom == "fit" else "1")
        person.settle()
        for number in (4, 10):
            while not person.all(f"[data-touch=t{number}][data-open=true]"):
                person.keys("j")
            person.settle()
            box = person.one(f"[data-touch=t{number}] input[type=range]").rect
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            hand.drags(x, y, lambda share: (40 * np.sin(9 * share), 0.0))
            hand.told(f"{zoom}: slider of touch {number}", ref, "(≤ 4, 8)")
            person.keys("z", hold="\ue009")
            person.settle()
        x, y = person.spot(0.5, 0.45)
        person.keys("\ue00c", "\ue00c", "\ue00c")
        hand.drags(x, y, lambda share: (200 * np.sin(9 * share), 120 * np.sin(7 * share)))
        hand.told(f"{zoom}: panning", ref, "(≤ 4, 8)")
    person.keys("f")
    person.settle()
    _painting(hand, person, ref)
    hand.timed("before, held", ref, "(≤ 1)", BEFORE)
    hand.timed("to 100 %", ref, "", CLOSER)
    person.go(f"/sittings/{sitting}")
    person.until(lambda: person.all("a[href*='/portraits/']"))
    hand.timed("opening the portrait, warm", ref, "(≤ 15)", OPENS, 3)


def _painting(hand: Hand, person: Person, ref: float) -> None:
    person.click("+ new area")
    person.settle()
    person.one("[data-start]").send_keys("lift")
    person.one("[data-wishes=read]")
    person.one("[data-start]").send_keys("\ue007")
    person.settle()
    # A new area takes the brush in hand.
    x, y = person.spot(0.45, 0.4)
    hand.drags(x, y, lambda share: (60 * np.sin(9 * share), 50 * np.cos(11 * share)))
    hand.told("a brush on the face: dabs", ref, "(≤ 3)", dabs=True)
    while len(person.all("[data-touch]")) > len(TOUCHES):
        person.keys("z", hold="\ue009")
        person.settle()
    # The area that was painted in as well.
    person.keys("z", hold="\ue009")
    person.settle()


if __name__ == "__main__":
    main()
