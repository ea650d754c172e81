"""Saying where, with several tools for one area, through the real interface."""

import pytest
from selenium.webdriver import ActionChains, Keys
from selenium.webdriver.support.select import Select

from studio import sheets
from studio.models import Portrait


def areas_of(name):
    return sheets.document_of(Portrait.objects.filter(name=name).latest("created")).json["areas"]


def where(room, words):
    """Give the open touch a new area of this kind."""
    room.until(lambda: room.all("[data-open=true] button[aria-label^='Where']")[0].click() or True)
    room.click(words)
    room.settle()


def part(room, title):
    room.click(title, tag="button", within="self::aside")
    room.settle()


def join_with(room, number, word):
    room.until(lambda: room.all(f"aside button[aria-label^='How part {number} joins']")[0].click() or True)
    room.until(lambda: next(e for e in room.all("[role=menuitem]") if e.text == word).click() or True, word)
    room.settle()


def points(room):
    """The points of an outline on the stage, without the handles of its curves."""
    return [e for e in room.all("[data-end]") if e.get_attribute("data-end").count(".") == 1]


def test_an_ellipse_on_the_face_with_the_eyes_brushed_out(choir):
    room = choir("Alto 1")
    eye, forehead, wall = (0.39, 0.461), (0.5, 0.345), (0.18, 0.09)
    room.start_touch("lift", "Brighten")
    where(room, "An ellipse")
    assert room.touches() == ["Brighten the pool by +0.30 EV"]
    # Moved, widened and turned on the picture; then softness and figures beside it.
    room.pull(room.one("[data-end=centre]"), 0, 20)
    room.settle()
    room.pull(room.one("[data-end=down]"), 0, 60)
    room.settle()
    pool = areas_of("Alto 1")[0]["parts"][0]
    assert pool["centre"] == pytest.approx([0.4, 0.4 + 20 / 652], abs=0.004)
    assert pool["radii"][1] == pytest.approx(0.2 + 60 / 652, abs=0.006)
    room.type_into("softness", "20")
    room.settle()
    assert room.stitched(*forehead) > 20
    assert room.stitched(*eye) > 20
    assert room.stitched(*wall) == 0
    # Comparing, one judges: no stitch lies over the face.
    room.click("split", tag="button")
    room.settle()
    assert room.stitched(*forehead) == 0
    for _ in ("down", "off"):
        room.click("split", tag="button")
    room.settle()
    part(room, "brush")
    join_with(room, 2, "take away")
    room.keys("b")
    room.type_into("size", "60")
    room.type_into("flow", "100")
    room.drag((eye[0] - 0.02, eye[1]), (eye[0] + 0.02, eye[1]))
    room.settle()
    assert room.stitched(*eye) < 6
    assert room.stitched(*forehead) > 20
    # Turned inside out by its switch.
    room.keys("b")
    room.until(lambda: room.all("aside li button[aria-pressed]")[0].click() or True)
    room.click("outside", tag="button")
    room.settle()
    # Of what covers most of the picture the stitches show what is left out.
    assert "stitches on what is left out" in room.text("[data-stage] [role=status]")
    assert room.stitched(*wall) == 0
    assert room.stitched(*forehead) > 20


def test_skin_colour_less_the_second_person_by_an_outline(choir):
    room = choir("Mezzo 2 and Bass 3")
    she, he = (0.265, 0.58), (0.715, 0.48)
    room.start_touch("warmer", "Warm")
    where(room, "Some colours")
    room.click("skin", tag="button", within="self::aside")
    room.settle()
    assert "colours" in room.touches()[0]
    assert min(room.stitched(*she), room.stitched(*he)) > 15
    # What is not skin but near it in hue is left out by picking it.
    part(room, "outline")
    join_with(room, 2, "take away")
    for place in ((0.56, 0.2), (0.9, 0.2), (0.9, 0.66), (0.6, 0.66)):
        room.drag(place)
    room.keys(Keys.ENTER)
    room.settle()
    assert room.stitched(*she) > 15
    assert room.stitched(*he) == 0
    shape = areas_of("Mezzo 2 and Bass 3")[0]["parts"][1]["shapes"][0]
    assert shape["path"].count("C") == 4


def test_a_careless_stroke_is_narrowed_by_tone(choir):
    room = choir("Alto 3")
    hair, wall = (0.27, 0.5), (0.15, 0.45)
    room.start_touch("lift", "Brighten")
    room.keys("b")
    room.type_into("size", "260")
    room.type_into("flow", "100")
    room.drag((0.21, 0.3), (0.21, 0.6))
    room.settle()
    assert min(room.stitched(*hair), room.stitched(*wall)) > 20
    part(room, "tones")
    join_with(room, 2, "only where")
    assert room.stitched(*hair) > 20
    assert room.stitched(*wall) < 3
    # The ramp is shown over the histogram and dragged; the lift follows.
    room.pull(room.one("aside [data-corner='3']"), 120)
    room.settle()
    ramp = areas_of("Alto 3")[0]["parts"][1]["ramp"]
    assert ramp[3] > 0.8
    assert room.stitched(*wall) > 3
    room.click("shadows", tag="button", within="self::aside")
    room.settle()
    assert areas_of("Alto 3")[0]["parts"][1]["ramp"] == [0, 0, 0.3, 0.55]
    assert room.stitched(*wall) < 3


def test_lips_as_a_smooth_path_renamed_and_changed_again_after_a_reload(choir):
    room = choir("Alto 1")
    inside, beside = (0.5, 0.567), (0.5, 0.64)
    room.start_touch("less colour", "Less colour")
    where(room, "Draw an outline")
    for place in ((0.47, 0.565), (0.5, 0.548), (0.53, 0.563), (0.5, 0.585)):
        room.drag(place)
    # Closed at its first point.
    room.drag((0.47, 0.565))
    room.settle()
    room.keys(Keys.ESCAPE)
    room.click("the outline", tag="button", within="self::aside")
    field = room.one("[role=dialog] input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("lips", Keys.ENTER)
    room.until(lambda: "lips" in room.touches()[0])
    room.settle()
    assert room.stitched(*inside) > 20
    assert room.stitched(*beside) == 0
    room.driver.refresh()
    room.until(room.painted)
    room.settle()
    room.click("lips", tag="button", within="self::aside")
    room.until(lambda: room.all("aside li button[aria-pressed]")[0].click() or True)
    handle = room.until(lambda: room.all("[data-end='0.3']")[0])
    room.pull(handle, 0, 60)
    room.settle()
    assert room.stitched(*beside) > 20
    # One point less, by the keyboard; then everything is taken back.
    room.until(lambda: room.all("[data-end='0.1']")[0].send_keys(Keys.DELETE) or True)
    room.until(lambda: len(points(room)) == 3)
    room.settle()
    room.keys("z", hold=Keys.CONTROL)
    room.until(lambda: len(points(room)) == 4)


def test_the_four_joins_are_tried_in_turn_and_one_area_serves_two_touches(choir):
    room = choir("Alto 1")
    left, both, right = (0.38, 0.45), (0.53, 0.45), (0.69, 0.45)
    room.start_touch("lift", "Brighten")
    where(room, "An ellipse")
    room.type_into("softness", "0")
    room.pull(room.one("[data-end=centre]"), -30)
    room.settle()
    part(room, "pool")
    room.type_into("softness", "0")
    room.pull(room.one("[data-end=centre]"), 70)
    room.settle()
    covered = {}
    for word in ("add", "take away", "only where", "either but not both"):
        join_with(room, 2, word)
        covered[word] = [room.stitched(*place) > 15 for place in (left, both, right)]
    assert covered == {
        "add": [True, True, True],
        "take away": [True, False, False],
        "only where": [False, True, False],
        "either but not both": [True, False, True],
    }
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    room.start_touch("warmer", "Warm")
    room.until(lambda: room.all("[data-open=true] button[aria-label^='Where']")[0].click() or True)
    room.click("the pool", tag="button", within="self::*[@role='menu']")
    room.settle()
    assert all("the pool" in sentence for sentence in room.touches())
    before = room.colour(*both)
    room.click("the pool", tag="button", within="self::aside")
    join_with(room, 2, "add")
    assert room.text("aside").count("used by touches 1 and 2") == 1
    room.settle()
    after = room.colour(*both)
    # Brighter and warmer at once.
    assert sum(after[:3]) > sum(before[:3]) + 10
    assert after[0] - after[2] > before[0] - before[2]


def test_what_is_alike_is_taken_by_pointing(choir):
    room = choir("Soprano 2")
    cloth, wall = (0.5, 0.92), (0.22, 0.12)
    room.start_touch("less colour", "Less colour")
    where(room, "What is alike")
    room.until(lambda: "nothing covered yet" in room.text("aside").lower().replace("is ", ""))
    room.drag(cloth)
    room.settle()
    assert room.stitched(*cloth) > 20
    assert room.stitched(*wall) == 0
    room.keys(Keys.ESCAPE)
    room.type_into("tolerance", "45")
    room.settle()
    assert areas_of("Soprano 2")[0]["parts"][0]["tolerance"] == 0.45


def test_a_brush_that_keeps_to_edges_stays_on_what_it_began_on(choir):
    room = choir("Alto 1")
    hair, wall = (0.68, 0.55), (0.765, 0.55)
    room.start_touch("lift", "Brighten")
    room.keys("b")
    room.type_into("size", "190")
    room.type_into("softness", "0")
    room.type_into("flow", "100")
    room.drag((0.68, 0.45), (0.68, 0.55), (0.68, 0.62))
    room.settle()
    assert min(room.stitched(*hair), room.stitched(*wall)) > 20
    room.keys("z", hold=Keys.CONTROL)
    room.settle()
    room.keys("e")
    room.until(lambda: room.named("keep to edges").get_attribute("aria-pressed") == "true")
    room.drag((0.68, 0.45), (0.68, 0.55), (0.68, 0.62))
    room.settle()
    assert areas_of("Alto 1")[0]["parts"][0]["strokes"][0]["keep_edges"]
    assert room.stitched(*hair) > 20
    assert room.stitched(*wall) < 3


def test_a_stroke_round_the_face_fills_it_and_shows_where_it_works_on_hover(choir):
    room = choir("Alto 1")
    cheek, wall = (0.5, 0.5), (0.18, 0.09)
    room.start_touch("lift", "Brighten")
    room.keys("b")
    room.type_into("size", "30")
    room.click("more")
    room.until(lambda: room.driver.find_element("xpath", "//label[contains(., 'fill inside')]").click() or True)
    room.keys(Keys.ESCAPE)
    room.drag((0.42, 0.4), (0.58, 0.4), (0.58, 0.6), (0.42, 0.6), (0.42, 0.45))
    room.settle()
    assert areas_of("Alto 1")[0]["parts"][0]["strokes"][0]["fill_inside"]
    assert room.stitched(*cheek) > 5
    assert room.stitched(*wall) == 0
    # With nothing open, resting on the sentence shows where it works.
    room.keys(*[Keys.ESCAPE] * 4)
    room.until(lambda: room.stitched(*cheek) == 0)
    ActionChains(room.driver).move_to_element(room.one("[data-touch] p")).perform()
    room.until(lambda: room.stitched(*cheek) > 5)
    room.rest_at(*wall)
    room.until(lambda: room.stitched(*cheek) == 0)


def test_corners_and_curves_mixed_in_one_outline_and_kept_as_a_drawing(choir, downloads):
    room = choir("Alto 1")
    room.start_touch("lift", "Brighten")
    where(room, "Draw an outline")
    for place in ((0.4, 0.35), (0.6, 0.35), (0.6, 0.6), (0.4, 0.6)):
        room.drag(place, hold=Keys.SHIFT if place[1] < 0.4 else None)
    room.drag((0.4, 0.35))
    room.settle()

    def path():
        return areas_of("Alto 1")[0]["parts"][0]["shapes"][0]["path"]

    # The upper edge runs straight between its corners, the rest is curved.
    assert path().count("L") == 1
    assert path().count("C") == 3
    room.keys(Keys.ESCAPE)
    ActionChains(room.driver).double_click(room.one("[data-end='0.2']")).perform()
    room.settle()
    assert path().count("C") == 2
    # A handle of the curve in hand is dragged: the outline bulges.
    room.until(lambda: room.all("[data-end='0.3']")[0].click() or True)
    before = path()
    room.pull(room.one("[data-end='0.3.in']"), 0, 70)
    room.settle()
    assert path() != before
    # Out as a drawing and in again.
    room.take_home("save as SVG", downloads)
    [drawn] = downloads.iterdir()
    room.one("aside").find_element("css selector", "[data-svg]").send_keys(str(drawn))
    room.until(lambda: len(areas_of("Alto 1")[0]["parts"][0]["shapes"]) == 2)
    first, second = areas_of("Alto 1")[0]["parts"][0]["shapes"]
    assert second["path"][0] == "M"
    assert second["path"].count("C") == first["path"].count("C")


def test_tones_of_the_picture_below_follow_the_touches_before(choir):
    room = choir("Tenor 1")
    dark_cheek = (0.545, 0.62)
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "4")
    room.settle()
    room.keys(Keys.ESCAPE)
    room.start_touch("lift", "Brighten")
    where(room, "Some tones")
    room.click("highlights", tag="button", within="self::aside")
    room.settle()
    assert room.stitched(*dark_cheek) < 3
    Select(room.one("aside li select")).select_by_visible_text("the picture below")
    room.settle()
    assert areas_of("Tenor 1")[0]["parts"][0]["of"] == "below"
    # Nearly all of it is light now: the cheek too, and stitches lie on what is left out.
    assert "stitches on what is left out" in room.text("[data-stage] [role=status]")
    assert room.stitched(*dark_cheek) < 10


def test_the_share_is_the_areas_own_with_the_overlay_off_and_closed_shapes_are_seen_while_one_draws(room):
    """Two areas told the same share once, the first's; and what was closed vanished while one drew on."""
    room.keys("s")

    def told():
        status = room.text("[data-stage] [role=status]")
        return float(status.split("·")[-1].split("%")[0]) if "%" in status else None

    shares = {}
    for offer in ("An ellipse", "A fade"):
        room.start_touch("lift", "Brighten")
        room.until(lambda: room.one("[data-open=true] .where").click() or True)
        room.until(lambda o=offer: room.named(o).click() or True)
        room.settle()
        shares[offer] = room.until(told)
        room.keys(Keys.ESCAPE, Keys.ESCAPE)
    assert abs(shares["An ellipse"] - shares["A fade"]) > 1
    room.start_touch("lift", "Brighten")
    room.until(lambda: room.one("[data-open=true] .where").click() or True)
    room.until(lambda: room.named("Draw an outline").click() or True)
    room.drag((0.4, 0.4), (0.5, 0.4), (0.5, 0.5), (0.4, 0.5), (0.4, 0.42))
    room.settle()
    assert room.all("[data-drawing]"), "one still draws"
    assert room.one("[data-shape]").get_attribute("d")
