"""Every main view passes axe-core, and the policy that the pages carry is kept."""

from pathlib import Path

import pytest
from django.core import mail
from django_otp.plugins.otp_static.models import StaticDevice
from selenium.webdriver import Keys

from studio.models import User
from tests.studio.talk import PASSWORD, code_of, work

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
RUN = """
const done = arguments[arguments.length - 1];
axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })
  .then((r) => done(r.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`)));
"""


def violations(person) -> list[str]:
    person.driver.execute_script(AXE.read_text())
    return person.driver.execute_async_script(RUN)


def test_pages(hands, portrait):
    for path in ("/", f"/sittings/{portrait.sitting_id}", "/account", "/nowhere"):
        hands.go(path)
        hands.one("h1")
        hands.one("main")
        assert violations(hands) == [], path


def test_sign_in(browser, address, database):
    from tests.browser.room import Person

    browser.delete_all_cookies()
    somebody = Person(browser, address)
    somebody.go("/sign-in")
    somebody.named("Sign in")
    assert violations(somebody) == []


def test_workroom(room):
    assert violations(room) == []
    room.start_touch("lift", "Brighten")
    room.keys(Keys.ESCAPE)
    room.keys("j")
    room.keys("b")
    room.drag((0.45, 0.4), (0.55, 0.4))
    room.settle()
    assert violations(room) == []
    room.click("all areas ›")
    room.start_touch("curve", "Draw a curve")
    room.settle()
    assert violations(room) == []


@pytest.mark.parametrize("name", ["Keys", "Export…"])
def test_dialogs(room, name):
    room.click(name)
    room.one("[role=dialog]")
    assert violations(room) == []
    room.keys(Keys.ESCAPE)
    room.until(lambda: not room.all("[role=dialog]"))


def test_looking(room, client, portrait):
    room.start_touch("lift", "Brighten")
    room.keys(Keys.ESCAPE, "x")
    room.settle()
    assert violations(room) == []
    room.keys("x", "x", "a")
    room.click("checks")
    room.one("[data-look=final]").click()
    room.settle()
    assert violations(room) == []
    room.keys(Keys.ESCAPE)
    room.keys("m", "1")
    room.one("[data-history]")
    room.settle()
    assert violations(room) == []


def test_the_readable_page(room, portrait):
    room.start_touch("lift", "Brighten")
    room.settle()
    room.go(f"/portraits/{portrait.pk}/page")
    room.until(lambda: len(room.all("main img")) == 2)
    assert violations(room) == []


def test_the_password_is_changed_and_the_account_taken_away(hands):
    change, away = "[aria-label='Another password']", "[aria-label='Delete the account']"
    field = "input[autocomplete=current-password]"
    hands.go("/account")
    hands.one(f"{change} {field}").send_keys("not-this-one")
    hands.one("input[autocomplete=new-password]").send_keys("dunlin-at-low-tide")
    hands.click("Change the password")
    assert "not the one" in hands.text("[role=alert]")
    hands.one(f"{change} {field}").clear()
    hands.one(f"{change} {field}").send_keys(PASSWORD)
    hands.click("Change the password")
    hands.until(lambda: "The password is changed" in hands.driver.page_source)
    assert not hands.named("Delete it with everything").is_enabled()
    hands.one(f"{away} {field}").send_keys("dunlin-at-low-tide")
    hands.click("Delete it with everything")
    hands.named("Sign in")
    assert not User.objects.exists()


def test_a_second_step_a_spare_code_and_a_lost_password(hands, person):
    hands.go("/account")
    hands.until(lambda: "here, now" in hands.text("[data-visit]"))
    hands.one("[aria-label='A second step'] input").send_keys(PASSWORD)
    hands.click("Set it up")
    secret = hands.text("[data-key]")
    assert violations(hands) == []
    hands.one("input[autocomplete=one-time-code]").send_keys(code_of(secret))
    hands.click("Turn it on")
    spare = [code.text for code in hands.until(lambda: hands.all("[data-codes] li"))]
    hands.click("Sign out")

    hands.click("I do not know the password any more")
    hands.one("input[type=email]").send_keys(person.username)
    hands.click("Send a link")
    hands.until(lambda: "on its way" in hands.text("[role=status]"))
    work()
    link = next(letter.body for letter in mail.outbox if "/new-password/" in letter.body)
    hands.go("/new-password/" + link.split("/new-password/")[1].split()[0])
    hands.one("input").send_keys("dunlin-at-low-tide")
    hands.click("Set it")
    hands.click("Sign in")
    hands.one("input[type=email]").send_keys(person.username)
    hands.one("input[type=password]").send_keys("dunlin-at-low-tide")
    hands.click("Sign in")
    hands.one("input[autocomplete=one-time-code]").send_keys("not one")
    hands.click("Go on")
    assert "not the code" in hands.text("[role=alert]")
    hands.one("input").clear()
    hands.one("input").send_keys(spare[0])
    # A wrong one makes the next wait for a moment.
    StaticDevice.objects.update(throttling_failure_timestamp=None, throttling_failure_count=0)
    hands.click("Go on")
    hands.until(lambda: "Sittings" in hands.text("main h1"))
