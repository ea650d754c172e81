"""From a new sitting to a finished file, through the real interface."""

import io

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver import ActionChains, Keys

from studio import sheets
from studio.models import Edit, Portrait
from tests.pictures import bytes_of
from tests.studio.talk import PASSWORD, edit, exposure, insert, work


def test_somebody_signs_in_makes_a_sitting_and_drops_files_on_it(hands, person, tmp_path):
    hands.driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
    hands.sign_in(person.username, PASSWORD)
    hands.click("New sitting")
    hands.one("[role=dialog] input").send_keys("Spring programme", Keys.ENTER)
    hands.until(lambda: "Spring programme" in hands.text("h1"))
    files = {"Alto 1.jpg": bytes_of("JPEG"), "Alto 2.png": bytes_of("PNG"), "Letter.jpg": b"Dear choir"}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    chooser = hands.driver.find_element("css selector", "input[type=file]")
    chooser.send_keys("\n".join(str(tmp_path / name) for name in files))
    hands.until(lambda: len(hands.all("[data-portrait]")) == 3)
    assert "not a JPEG, PNG, TIFF" in hands.text("[data-portrait=Letter]")
    assert "waiting to be prepared" in hands.text("[data-portrait='Alto 1']")
    # How far they are stands at the top, until they are prepared.
    hands.until(lambda: hands.text("[data-adding]") == "3 pictures added, 2 being prepared")
    work()
    hands.until(lambda: len(hands.all("[data-state=ready]")) == 2)
    hands.until(lambda: not hands.all("[data-adding]"))
    card = hands.text("[data-portrait='Alto 2']")
    assert "240 × 300 px · 8 bit PNG" in card
    assert "sRGB" in card
    hands.click("Open Alto 1")
    hands.until(hands.painted, "the picture")


def test_the_view_zooms_towards_the_pointer_and_pans(room):
    assert room.named("fit").get_attribute("aria-pressed") == "true"
    room.keys("1")
    room.until(lambda: room.named("100").get_attribute("aria-pressed") == "true")
    room.click("50")
    room.until(lambda: room.named("50").get_attribute("aria-pressed") == "true")
    room.settle()
    x, y = room.spot(0.4, 0.45)
    before = room.colour(0.4, 0.45)
    chain = ActionChains(room.driver)
    chain.w3c_actions.pointer_action.move_to_location(x, y)
    chain.w3c_actions.wheel_action.scroll(x, y, 0, -500)
    chain.perform()
    room.settle()
    assert room.named("50").get_attribute("aria-pressed") == "false"
    assert room.colour(0.4, 0.45) == pytest.approx(before, abs=9)
    room.drag((0.4, 0.45), (0.5, 0.5))
    room.settle()
    assert room.colour(0.5, 0.5) == pytest.approx(before, abs=9)
    room.keys("f")
    room.until(lambda: room.named("fit").get_attribute("aria-pressed") == "true")


def test_lift_a_painted_area_compare_and_take_the_file_home(room, downloads):
    spot, beside = (0.5, 0.4), (0.5, 0.75)
    plain, untouched = room.colour(*spot), room.colour(*beside)
    room.start_touch("lift", "Brighten")
    assert room.touches() == ["Brighten the whole picture by +0.30 EV"]
    room.type_into("exposure", "1,5")
    room.until(lambda: room.touches() == ["Brighten the whole picture by +1.50 EV"])
    room.settle()
    assert sum(room.colour(*beside)) > sum(untouched) + 40

    # Without an area it works everywhere; the brush makes one and the touch moves into it.
    room.keys(Keys.ESCAPE)
    room.keys("j")
    room.keys("b")
    room.until(lambda: "the painted area" in room.touches()[0])
    room.until(lambda: "nothing covered yet" in room.text("[data-stage] [role=status]"))
    room.settle()
    assert room.colour(*beside) == pytest.approx(untouched, abs=3)
    room.type_into("flow", "100")
    room.drag((0.45, 0.4), (0.55, 0.4))
    assert room.stitched(*spot) > 20
    room.settle()
    assert sum(room.colour(*spot)) > sum(plain) + 60
    assert room.colour(*beside) == pytest.approx(untouched, abs=3)
    assert room.stitched(*beside) == 0
    assert "of the picture" in room.text("[data-stage] [role=status]")

    # Before, held: the whole, then this touch.
    lifted = room.colour(*spot)
    for hold in ((), (Keys.SHIFT,)):
        chain = ActionChains(room.driver)
        for key in hold:
            chain.key_down(key)
        chain.key_down("q").perform()
        room.until(lambda: room.colour(*spot) == pytest.approx(plain, abs=4), "before")
        chain = ActionChains(room.driver).key_up("q")
        for key in hold:
            chain.key_up(key)
        chain.perform()
        room.until(lambda: room.colour(*spot) == pytest.approx(lifted, abs=2), "after")

    image = np.asarray(Image.open(io.BytesIO(room.exported(downloads, work))))
    assert [p.name for p in downloads.iterdir()] == ["Tenor 1.png"]
    assert image.shape == (750, 600, 3)
    # What was seen is what was exported: the stage's middle is the picture's.
    assert room.colour(0.5, 0.5)[:3] == pytest.approx(image[367:384, 292:309].mean((0, 1)), abs=3)


def test_a_curve_is_drawn_with_the_mouse(room):
    before = room.colour(0.5, 0.4)
    room.start_touch("curve", "Draw a curve")
    plot = room.one("svg[role=application]")
    chain = ActionChains(room.driver).move_to_element_with_offset(plot, -30, 20).click_and_hold()
    chain.move_by_offset(0, -30).release().perform()
    room.settle()
    assert "as they are" not in room.touches()[0]
    assert sum(room.colour(0.5, 0.4)) > sum(before) + 12
    room.click("straighten")
    room.settle()
    assert room.colour(0.5, 0.4) == pytest.approx(before, abs=1)


def test_mask_fill_invert_empty_and_feather(room):
    room.click("+ new area")
    room.saved()
    room.type_into("flow", "100")
    room.type_into("softness", "0")
    room.drag((0.45, 0.4), (0.55, 0.4))
    room.click("mask")
    room.settle()
    assert room.colour(0.5, 0.4)[:3] == [255, 255, 255]
    assert room.colour(0.5, 0.7)[:3] == [0, 0, 0]
    room.click("invert")
    room.until(lambda: room.colour(0.5, 0.4)[:3] == [0, 0, 0])
    room.click("inverted")
    room.saved()
    room.type_into("feather", "60")
    room.settle()
    edge = room.colour(0.5, 0.475)[0]
    assert 2 < edge < 253 or 2 < room.colour(0.5, 0.46)[0] < 253
    room.click("fill")
    room.until(lambda: room.colour(0.5, 0.7)[:3] == [255, 255, 255])
    # What is painted in a filled area is painted away.
    room.drag((0.45, 0.7), (0.55, 0.7))
    room.until(lambda: room.colour(0.5, 0.7)[0] < 40)
    room.click("empty")
    room.until(lambda: room.colour(0.5, 0.4)[:3] == [0, 0, 0])
    room.click("off")
    room.settle()
    assert room.colour(0.5, 0.4)[:3] != [0, 0, 0]


def test_take_away_straight_lines_and_brush_keys(room):
    room.click("+ new area")
    room.saved()
    room.type_into("flow", "100")
    room.type_into("softness", "20")
    size = int(room.named("size, number").get_attribute("value"))
    room.keys("]", "]", "]")
    room.until(lambda: int(room.named("size, number").get_attribute("value")) > size)
    # R, held: the size follows the pointer sideways.
    size = int(room.named("size, number").get_attribute("value"))
    move = ActionChains(room.driver).move_by_offset(0, 0)
    move.w3c_actions.pointer_action.move_to_location(*room.spot(0.4, 0.5))
    move.key_down("r").perform()
    move = ActionChains(room.driver)
    move.w3c_actions.pointer_action.move_to_location(*room.spot(0.5, 0.5))
    move.key_up("r").perform()
    assert int(room.named("size, number").get_attribute("value")) > 1.3 * size
    room.type_into("size", "40")
    room.drag((0.45, 0.3), (0.46, 0.3))
    room.drag((0.45, 0.6), (0.45, 0.6), hold=Keys.SHIFT)
    room.settle()
    assert room.stitched(0.455, 0.45) > 20
    room.keys("t")
    room.drag((0.44, 0.45), (0.48, 0.45))
    room.settle()
    assert room.stitched(0.455, 0.45) < 15
    strokes = sheets.document_of(Portrait.objects.get()).json["areas"][0]["parts"][0]["strokes"]
    assert [s["erase"] for s in strokes] == [False, False, True]
    assert len(strokes[1]["points"]) >= 2
    room.keys("t")
    room.drag((0.44, 0.3), (0.47, 0.3), hold=Keys.ALT)
    room.saved()
    assert sheets.document_of(Portrait.objects.get()).json["areas"][0]["parts"][0]["strokes"][-1]["erase"] is True


def test_a_pens_pressure_goes_into_the_stroke(room):
    room.click("+ new area")
    room.saved()
    pressures = [0.1, 0.3, 0.6, 0.9]
    room.drag((0.42, 0.4), (0.47, 0.4), (0.52, 0.4), (0.57, 0.4), pen=pressures)
    room.settle()
    stroke = sheets.document_of(Portrait.objects.get()).json["areas"][0]["parts"][0]["strokes"][0]
    assert stroke["pressure"] == "flow"
    seen = [p[2] for p in stroke["points"]]
    assert seen[0] == pytest.approx(0.1, abs=0.02)
    assert seen[-1] == pytest.approx(0.9, abs=0.02)
    assert room.stitched(0.56, 0.4) > room.stitched(0.43, 0.4)


def more(room, choice):
    room.until(lambda: room.all("[data-open=true] button[aria-label^='More for']")[0].click() or True)
    room.click(choice)


def test_the_sheet_is_kept_in_order_and_everything_is_undone(room):
    room.start_touch("lift", "Brighten")
    room.start_touch("darken", "Darken")
    assert len(room.touches()) == 2
    more(room, "Rename…")
    field = room.one("[role=dialog] input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("Hold the edges", Keys.ENTER)
    room.until(lambda: room.touches()[1] == "Hold the edges")
    more(room, "Move earlier")
    room.until(lambda: room.touches()[0] == "Hold the edges")
    room.keys(Keys.ARROW_DOWN, hold=Keys.ALT)
    room.until(lambda: room.touches()[1] == "Hold the edges")
    more(room, "Duplicate")
    room.until(lambda: len(room.touches()) == 3)
    more(room, "Delete")
    room.until(lambda: len(room.touches()) == 2)
    room.click("Touch 1 on")
    room.until(lambda: room.named("Touch 1 on").get_attribute("aria-checked") == "false")
    room.keys("j")
    room.type_into("strength", "40")
    room.until(lambda: room.one("[data-open=true]"))
    room.click("mixed normally")
    room.click("by soft light", within="@role='menu'")
    room.until(
        lambda: "by soft-light" in room.text("[data-open=true]") or "by soft light" in room.text("[data-open=true]")
    )
    edits = room.revision()
    touches = room.touches()

    # The browser is closed, the server starts anew: the history is all there.
    room.go("/")
    sheets.forget()
    room.open_portrait(Portrait.objects.get().pk)
    assert room.touches() == touches
    for _ in range(edits):
        room.click("undo")
        room.saved()
    room.until(lambda: room.touches() == [])
    assert room.named("undo").get_attribute("data-tip") == "Nothing to undo"
    assert not room.named("undo").is_enabled()
    for _ in range(edits):
        room.keys("y", hold=Keys.CONTROL)
        room.saved()
    room.until(lambda: room.touches() == touches)
    assert Edit.objects.count() == edits


def test_a_change_made_in_another_window_is_told_and_merged(room, client):
    from tests.studio.talk import edit, exposure, insert

    room.start_touch("lift", "Brighten")
    room.saved()
    portrait = Portrait.objects.get()
    edit(client, portrait, portrait.revision, insert(["touches"], exposure("t9", -2)), words="from elsewhere")
    room.start_touch("darken", "Darken")
    room.until(lambda: len(room.touches()) == 3)
    assert "another window" in room.text("[data-notice]")
    room.saved()
    assert len(sheets.document_of(Portrait.objects.get()).json["touches"]) == 3


def test_what_is_not_here_says_so(hands):
    hands.go("/portraits/00000000-0000-4000-8000-000000000000")
    hands.until(lambda: "This portrait is not here" in hands.text("main"))
    hands.go("/nowhere/at/all")
    hands.until(lambda: "nothing at this address" in hands.text("main"))
    # There is a way back, and it leads home.
    hands.one("main a").click()
    hands.until(lambda: hands.text("h1") == "Sittings")
    assert hands.driver.current_url == f"{hands.address}/"


def test_a_sentence_is_dragged_to_another_place_and_a_slider_is_not_its_grip(room):
    room.start_touch("lift", "Brighten")
    room.keys(Keys.ESCAPE)
    room.start_touch("warmer", "Warm")
    room.keys(Keys.ESCAPE)
    room.settle()
    first, second = room.all("[data-touch]")
    chain = ActionChains(room.driver).move_to_element_with_offset(first, -120, 0).click_and_hold()
    # The browser tells of a drag with its next move.
    chain.move_by_offset(0, 20).move_to_element_with_offset(second, -120, 12).pause(0.2)
    chain.move_by_offset(0, 3).pause(0.2).move_by_offset(0, 1).pause(0.2).release().perform()
    room.until(lambda: room.touches()[0].startswith("Warm"))
    room.saved()
    assert [t["kind"] for t in sheets.document_of(Portrait.objects.get()).json["touches"]] == [
        "white-balance",
        "exposure",
    ]
    # A press on a control of an open touch moves the control, and the order stays.
    room.until(lambda: room.all("[data-touch] button[aria-expanded=false]")[0].click() or True)
    room.pull(room.all("[data-open=true] input[type=range]")[0], 20, 60)
    room.settle()
    assert room.touches()[0].startswith("Warm")
    assert sheets.document_of(Portrait.objects.get()).json["touches"][0]["settings"]["warmth"] != 12


def test_a_whole_sentence_becomes_touch_and_area_in_one_edit(choir):
    room = choir("Alto 2", searched=True)

    def wish(text):
        field = room.one("[data-start]")
        field.click()
        field.send_keys(Keys.CONTROL, "a", Keys.NULL, text)
        room.one("[data-wishes=read]")
        return room.until(lambda: [o.text for o in room.all("[role=option]")])

    before = room.revision()
    assert wish("lips a little brighter")[0].split("\n")[0] == "Brighten the lips by +0.15 EV"
    room.keys(Keys.ENTER)
    room.until(lambda: room.all("[data-open=true]"))
    assert room.revision() == before + 1
    assert "the lips" in room.touches()[0]
    room.keys(Keys.ESCAPE)
    # A title that is typed exactly stands first.
    assert wish("black and white")[0].startswith("Black and white")
    room.keys(Keys.ESCAPE)
    assert len(wish("qqq xyz")) > 20
    room.until(lambda: any("Not understood" in said.text for said in room.all("[role=status]")))
    # Her lips are closed: what was not found is painted.
    shown = wish("whiten teeth")
    assert "Not found on this picture: the teeth" in shown[0]
    room.keys(Keys.ENTER)
    room.until(lambda: len(room.touches()) == 2)
    assert "the teeth" in room.touches()[1]
    room.drag((0.45, 0.4), (0.5, 0.4))
    room.settle()
    assert room.revision() == before + 3


def test_what_another_window_does_is_shown_here_by_itself(room, client, portrait):
    room.start_touch("lift", "Brighten")
    room.settle()
    edit(client, portrait, room.revision(), insert(["touches"], exposure("t9", -1.0)), words="Darken in the other one")
    room.until(lambda: len(room.touches()) == 2)
    room.until(lambda: "Darken in the other one" in room.driver.page_source)
    # Both go on: what is done here stands on what came in.
    room.start_touch("warmer", "Warm")
    room.settle()
    assert len(room.touches()) == 3
