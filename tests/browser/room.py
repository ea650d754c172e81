"""The interface as a person uses it: look for things by what is written on them, move the mouse, press keys."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from selenium.webdriver import ActionChains, Chrome, Keys
from selenium.webdriver.common.action_chains import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.select import Select

PATIENCE = 25.0
STAGE = "[data-stage]"
SHOWN = """
const has = (e) => e instanceof SVGElement || [...e.getClientRects()].some((box) => box.width > 0 && box.height > 0);
// A dialog may be without a size of its own, and what is for readers aloud has none and nothing in it.
const seen = (e) => has(e) || [...e.children].some(seen);
return all.filter((e) => e.checkVisibility({ opacityProperty: true, visibilityProperty: true }) && seen(e));
"""
SHOWN_BY_CSS = "const all = [...document.querySelectorAll(arguments[0])];" + SHOWN
SHOWN_BY_PATH = "const all = [], at = document.evaluate(arguments[0], document);"
SHOWN_BY_PATH += "for (let e = at.iterateNext(); e; e = at.iterateNext()) all.push(e);" + SHOWN
SETTLED = """
const done = arguments[0];
const end = performance.now() + 5000;
const busy = () => document.querySelector('[data-stage]').dataset.busy !== undefined;
const frame = (then) => requestAnimationFrame(() => requestAnimationFrame(then));
const again = () => (performance.now() > end ? done(false) : setTimeout(look, 20));
// What has just been done may ask for something only after the next drawing.
const look = () => frame(() => (busy() ? again() : frame(() => (busy() ? again() : done(true)))));
look();
"""


class Person:
    """Somebody at the browser."""

    def __init__(self, driver: Chrome, address: str):
        self.driver, self.address = driver, address

    # --- finding

    def until(self, what: Callable[[], Any], why: str = "") -> Any:
        """Wait until ``what()`` is true; what it raises counts as not yet."""
        deadline, last = time.monotonic() + PATIENCE, None
        while time.monotonic() < deadline:
            try:
                if found := what():
                    return found
            except Exception as error:
                last = error
            time.sleep(0.08)
        raise AssertionError(f"waited in vain: {why or what} ({last})")

    def all(self, css: str) -> list[WebElement]:
        """What is shown and fits the selector."""
        return self.driver.execute_script(SHOWN_BY_CSS, css)

    def one(self, css: str) -> WebElement:
        """Wait for the first that fits."""
        return self.until(lambda: self.all(css)[0], css)

    def named(self, name: str, tag: str = "*", within: str = "") -> WebElement:
        """Wait for a button, link or field with this text or accessible name."""
        quoted = f'"{name}"'
        scope = f"//*[{within}]" if within else ""
        path = (
            f"{scope}//{tag}[(self::button or self::a or self::input or self::select or @role) and "
            f"(normalize-space(.)={quoted} or @aria-label={quoted} or @data-tip={quoted})]"
        )
        return self.until(lambda: self.driver.execute_script(SHOWN_BY_PATH, path)[0], name)

    def click(self, name: str, **more: Any) -> None:
        """Click what carries this name."""
        self.until(lambda: self.named(name, **more).click() or True, f"click {name}")

    def text(self, css: str) -> str:
        """The text of the first that fits."""
        return self.until(lambda: self.one(css).text, css)

    def saved(self) -> str:
        """Wait until the sheet says that it is saved; returns what it says."""
        return self.until(lambda: (t := self.text("[data-saved]")).startswith("saved") and t, "saved")

    def revision(self) -> int:
        """The edit at which the sheet says that it is saved."""
        return int(self.saved().rsplit(" ", 1)[1])

    def settle(self) -> None:
        """Let everything that is on its way arrive and be drawn: changes, views, coverages, checks, mattes."""
        self.saved()
        self.until(lambda: self.driver.execute_async_script(SETTLED), "the stage at rest")

    # --- going

    def go(self, path: str = "/") -> None:
        """Open an address of the house."""
        self.driver.get(self.address + path)

    def sign_in(self, email: str, password: str) -> None:
        """Sign in through the form."""
        self.go("/")
        self.one("input[type=email]").send_keys(email)
        self.one("input[type=password]").send_keys(password)
        self.click("Sign in")
        self.named("Sign out")

    def open_portrait(self, key: Any) -> None:
        """Open a portrait in the workroom and wait for its picture."""
        self.go(f"/portraits/{key}")
        self.one(STAGE)
        self.until(lambda: self.painted(), "the picture")
        self.settle()

    # --- hands

    def keys(self, *keys: str, hold: str | None = None) -> None:
        """Press keys one after the other, with another one held if wanted."""
        chain = ActionChains(self.driver)
        if hold:
            chain.key_down(hold)
        for key in keys:
            chain.send_keys(key)
        if hold:
            chain.key_up(hold)
        chain.perform()

    def spot(self, x: float, y: float) -> tuple[int, int]:
        """Window pixels of a place on the stage, given in shares of it."""
        box = self.one(STAGE).rect
        return round(box["x"] + x * box["width"]), round(box["y"] + y * box["height"])

    def drag(
        self,
        *places: tuple[float, float],
        pen: list[float] | None = None,
        hold: str | None = None,
        let_go: bool = True,
    ) -> None:
        """Draw over the stage through ``places`` (shares of it); with ``pen``, by pen with these pressures."""
        pointer = PointerInput("pen", "a-pen") if pen else PointerInput("mouse", "a-mouse")
        builder = ActionBuilder(self.driver, mouse=pointer, duration=30)
        if hold:
            ActionChains(self.driver).key_down(hold).perform()
        action = builder.pointer_action
        for i, place in enumerate(places):
            more = {"pressure": pen[i]} if pen else {}
            if i == 0:
                action.move_to_location(*self.spot(*place))
                action.pointer_down(**more)
            else:
                action.source.create_pointer_move(30, *self.spot(*place), **more)
        if let_go:
            action.pointer_up()
        builder.perform()
        if hold:
            ActionChains(self.driver).key_up(hold).perform()

    def let_go(self) -> None:
        """End a drag that was left held."""
        builder = ActionBuilder(self.driver, mouse=PointerInput("mouse", "a-mouse"))
        builder.pointer_action.pointer_up()
        builder.perform()

    def pull(self, thing: WebElement, right: int, down: int = 0) -> None:
        """Drag a handle by pixels."""
        ActionChains(self.driver).click_and_hold(thing).move_by_offset(right // 2, down // 2).move_by_offset(
            right - right // 2, down - down // 2
        ).release().perform()

    def carry(self, thing: WebElement, down: float, aside: float = 0, by: str = "mouse") -> None:
        """Take hold of a row and let it go at a height of the window, so far to the side, by mouse, pen or touch."""
        pointer = PointerInput(by, f"a-{by}")
        builder = ActionBuilder(self.driver, mouse=pointer, duration=40)
        box, action = thing.rect, builder.pointer_action
        x, y = round(box["x"] + 120), round(box["y"] + box["height"] - 10)
        to = x + aside, down
        more = {"pressure": 0.5} if by == "pen" else {}
        action.move_to_location(x, y)
        action.pointer_down(**more)
        if by == "touch":
            # A finger rests first, as moving at once rolls the sheet; the driver forgets it between two chains.
            action.source.create_pause(1.5)
        for share in (0.1, 0.4, 0.7, 0.9, 1.0):
            there = round(x + share * (to[0] - x)), round(y + share * (to[1] - y))
            action.source.create_pointer_move(60, *there, **more)
        # The last of the way is gone slowly, as a hand does that looks where it lets go.
        for aside in (1, 0, 1):
            action.source.create_pointer_move(200, round(to[0]) + aside, round(to[1]), **more)
        action.pointer_up()
        builder.perform()

    def rest_at(self, x: float, y: float) -> None:
        """Rest with the pointer over a place of the stage."""
        builder = ActionBuilder(self.driver, mouse=PointerInput("mouse", "a-mouse"), duration=30)
        builder.pointer_action.move_to_location(*self.spot(x, y))
        builder.perform()

    def type_into(self, label: str, value: str) -> None:
        """Type a number into the field beside a slider."""
        field = self.named(f"{label}, number")
        field.click()
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(value, Keys.ENTER)

    def start_touch(self, need: str, title: str) -> None:
        """Say what the picture needs, and take the sentence with this title."""
        before = len(self.all("[data-touch]"))
        field = self.one("[data-start]")
        field.click()
        field.send_keys(need)
        # Until it has been read the list may still be put in another order.
        self.one("[data-wishes=read]")
        self.until(
            lambda: next(o for o in self.all("[role=option]") if o.text.split("\n")[0] == title).click() or True, title
        )
        self.until(lambda: len(self.all("[data-touch]")) > before and self.all("[data-open=true]"), "a new touch, open")
        self.saved()

    def touches(self) -> list[str]:
        """The sentences of the sheet."""
        return [" ".join(e.text.split()) for e in self.all("[data-touch] p.font-read")]

    def take_home(self, button: str, folder: Path) -> bytes:
        """Press a button that hands out a file, and read what the browser has put into its folder."""
        for old in folder.iterdir():
            old.unlink()
        self.click(button)

        def whole(path: Path) -> bool:
            # The browser writes into a hidden file first, and then into one of a name of its own.
            return (
                not path.name.startswith(".") and path.suffix not in (".crdownload", ".tmp") and path.stat().st_size > 0
            )

        return bytes(self.until(lambda: next(filter(whole, folder.iterdir())), button).read_bytes())

    def exported(self, folder: Path, work: Callable[[], Any]) -> bytes:
        """Order a PNG of the open portrait, let it be made by ``work``, and take it home; the file's bytes."""
        self.click("Export…")
        Select(self.one("[role=dialog] select")).select_by_visible_text("PNG")
        self.click("Make the file")
        self.until(lambda: self.all("[data-export=waiting]"))
        work()
        self.until(lambda: self.all("[data-export=ready]"))
        data = self.take_home("download", folder)
        self.keys(Keys.ESCAPE)
        return data

    # --- eyes

    def painted(self) -> bool:
        """Whether the stage shows a picture."""
        return bool(
            self.driver.execute_script(
                "const c = document.querySelector('[data-picture]'); const p = c.getContext('2d')"
                ".getImageData(c.width / 2, c.height / 2, 1, 1).data; return p[3] > 0"
            )
        )

    def colour(self, x: float, y: float, side: int = 9, layer: str = "picture") -> list[float]:
        """The mean colour and opacity, 0…255, of a small square of a stage's canvas."""
        return self.driver.execute_script(
            """
            const c = document.querySelector(`[data-${arguments[3]}]`), n = arguments[2];
            const [x, y] = [arguments[0] * c.width - n / 2, arguments[1] * c.height - n / 2];
            const d = c.getContext('2d').getImageData(x, y, n, n).data;
            const sum = [0, 0, 0, 0];
            d.forEach((v, i) => (sum[i % 4] += v));
            return sum.map((v) => v / (n * n));
            """,
            x, y, side, layer,
        )  # fmt: skip

    def stitched(self, x: float, y: float) -> float:
        """How opaque the stitches are round a place, 0…255; what steps aside for a moment is waited for."""
        if self.driver.find_elements("css selector", "[data-stage][data-aside]"):
            self.until(lambda: not self.driver.find_elements("css selector", "[data-stage][data-aside]"))
            self.settle()
        return self.colour(x, y, 33, "overlay")[3]
