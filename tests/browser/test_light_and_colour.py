"""Judging and balancing a portrait: light, colour, pointing at the picture, limits of tone; nothing of it forced."""

import numpy as np
import pytest
from selenium.webdriver import ActionChains, Keys

from studio import sheets
from studio.models import Portrait

LIT_CHEEK, DARK_CHEEK = (0.412, 0.528), (0.545, 0.5)
WALL, ABOVE, CLOTH = (0.25, 0.12), (0.46, 0.14), (0.4, 0.92)


def light(person, place):
    return sum(person.colour(*place)[:3])


def undo_all(person):
    while person.named("undo").is_enabled():
        person.keys("z", hold=Keys.CONTROL)
        person.settle()
    person.settle()


def settings_of(name, kind):
    return next(t["settings"] for t in touches_of(name) if t["kind"] == kind)


def touches_of(name):
    return sheets.document_of(Portrait.objects.get(name=name)).json["touches"]


def test_a_side_lit_face_is_recovered_and_everything_undone(choir):
    room = choir("Tenor 1")
    places = (DARK_CHEEK, LIT_CHEEK)
    plain = [room.colour(*place) for place in places]
    room.start_touch("side light", "Open the shadows")
    room.type_into("shadow", "1,6")
    room.type_into("deep", "0,9")
    room.settle()
    dark, lit = (light(room, place) for place in places)
    assert dark > 1.25 * sum(plain[0][:3])
    # The lit side does not go with it.
    assert lit - sum(plain[1][:3]) < 0.4 * (dark - sum(plain[0][:3]))
    room.keys(Keys.ESCAPE)
    room.start_touch("warmer", "Warm")
    room.type_into("warmth", "20")
    room.keys(Keys.ESCAPE)
    room.start_touch("give back", "Give back contrast")
    room.settle()
    assert room.touches() == [
        "Balance the tones of the whole picture: shadows +1.60 EV, lights 0.00 EV",
        "Warm the whole picture by +20 mired, tint 0.0",
        "Balance the tones of the whole picture: shadows 0.00 EV, lights 0.00 EV",
    ]
    warm = room.colour(*DARK_CHEEK)
    assert warm[0] / warm[2] > plain[0][0] / plain[0][2]
    undo_all(room)
    assert room.touches() == []
    for place, before in zip(places, plain, strict=True):
        assert room.colour(*place) == pytest.approx(before, abs=2)


def test_a_curve_is_drawn_by_pressing_on_a_tone_and_dragging_it(choir):
    room = choir("Tenor 1")
    before = light(room, LIT_CHEEK)
    room.start_touch("curve", "Draw a curve")
    room.click("drag a tone in the picture")
    x, y = LIT_CHEEK
    room.drag((x, y), (x, y - 0.03), (x, y - 0.07), let_go=False)

    def shown():
        tone, value = (int(n) for n in room.text("[data-value]").split(" → "))
        return (tone, value) if value > tone + 15 else None

    tone, value = room.until(shown, "the value at the pointer")
    assert room.until(lambda: light(room, LIT_CHEEK) > before + 20)
    room.let_go()
    room.settle()
    points = settings_of("Tenor 1", "curve")["points"]
    assert len(points) == 3
    assert points[1] == pytest.approx([tone / 100, value / 100], abs=0.03)
    assert light(room, LIT_CHEEK) > before + 20
    # Dragged again at the same place the same point moves on; escape during a drag gives it back.
    room.drag((x, y), (x, y + 0.03), (x, y + 0.05))
    room.settle()
    assert len(settings_of("Tenor 1", "curve")["points"]) == 3
    now = room.revision()
    room.drag((x, y), (x, y - 0.05), let_go=False)
    room.until(lambda: room.all("[data-value]"))
    room.keys(Keys.ESCAPE)
    room.let_go()
    room.settle()
    assert room.revision() == now


def test_yellow_is_taken_out_of_one_band_by_pointing(choir):
    room = choir("Soprano 2")
    cloth = (0.5, 0.9)

    def yellow(place):
        red, _, blue = room.colour(*place)[:3]
        return red - blue

    before, wall = yellow(cloth), room.colour(*WALL)
    assert before > 40
    room.start_touch("selective", "Shift one colour")
    room.click("drag a colour in the picture")
    x, y = cloth
    room.drag((x, y), (x, y + 0.03), (x, y + 0.09))
    room.settle()
    bands = settings_of("Soprano 2", "colour-bands")["bands"]
    assert len(bands) == 1
    assert bands[0]["saturation"] < -0.2
    assert any(sentence in room.touches()[0] for sentence in ("less yellow", "less orange"))
    assert yellow(cloth) < 0.85 * before
    assert room.colour(*WALL) == pytest.approx(wall, abs=2)
    # A second one from the ready windows; the hue strip shows both.
    room.click("+ band")
    room.click("skin")
    room.until(lambda: len(room.all("[aria-label=Bands] > button[aria-pressed]")) == 2)
    room.type_into("saturation", "15")
    room.settle()
    assert [b["saturation"] > 0 for b in settings_of("Soprano 2", "colour-bands")["bands"]] == [False, True]
    assert "more skin" in room.touches()[0]


def test_a_skin_gradient_is_laid_in_soft_light_at_reduced_strength(choir):
    room = choir("Alto 1")
    before = {place: room.colour(*place) for place in (ABOVE, (0.5, 0.75))}
    room.start_touch("gradient", "Lay a gradient")
    assert room.touches() == ["Lay a gradient over the whole picture"]
    room.named("mixed by soft light")
    assert room.named("strength, number").get_attribute("value") == "30 %"
    field = room.named("Colour, as #rrggbb")
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("f3d9cb", Keys.ENTER)
    room.settle()
    room.click("very dark skin")
    room.settle()
    stops = settings_of("Alto 1", "wash")["stops"]
    assert [s["colour"] for s in stops] == ["#3a2418", "#6f7178"]
    room.one("[data-strip] button:last-child").click()
    room.click("very light skin")
    room.settle()
    # Dark above, light below; then its ends are dragged on the picture, and it is turned round.
    room.pull(room.one("[data-end=start]"), 120, -40)
    room.settle()
    wash = settings_of("Alto 1", "wash")
    assert wash["start"][0] == pytest.approx(0.2 + 120 / 652, abs=0.01)
    above = light(room, ABOVE)
    assert above < sum(before[ABOVE][:3]) - 5
    room.click("backwards")
    room.settle()
    assert light(room, ABOVE) > above + 10
    room.type_into("strength", "0")
    room.settle()
    for place, colour in before.items():
        assert room.colour(*place) == pytest.approx(colour, abs=1.5)


def test_a_lift_keeps_to_the_dark_tones_by_a_ramp_that_can_be_seen(choir):
    room = choir("Tenor 1")
    plain = {place: light(room, place) for place in (DARK_CHEEK, LIT_CHEEK)}
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "0,8")
    room.click("only in all tones")
    room.click("dark tones")
    room.settle()
    lifted = {place: light(room, place) - before for place, before in plain.items()}
    assert lifted[DARK_CHEEK] > 15
    assert lifted[LIT_CHEEK] < 0.5 * lifted[DARK_CHEEK]
    # What it lets through, white where it works.
    room.click("soft")
    room.settle()
    assert room.colour(*DARK_CHEEK)[0] > 150
    assert room.colour(*LIT_CHEEK)[0] < 90
    room.click("sharp")
    room.settle()
    assert {round(room.colour(*place, side=1)[0]) for place in (DARK_CHEEK, LIT_CHEEK)} == {0, 255}
    room.click("sharp")
    # Drag the upper end further down: the middle tones leave.
    room.pull(room.one("[data-corner='3']"), -110)
    room.settle()
    assert light(room, DARK_CHEEK) - plain[DARK_CHEEK] < lifted[DARK_CHEEK]
    assert any("tones 0 · 0 ·" in b.get_attribute("aria-label") for b in room.all("button[aria-label^='only in']"))
    room.type_into("nothing from", "90")
    room.click("the original")
    room.settle()
    limit = touches_of("Tenor 1")[0]["limit"]
    assert limit["of"] == "original"
    assert limit["ramp"][3] == 0.9


def test_numbers_go_back_to_neutral_by_double_click_and_by_key(choir):
    room = choir("Tenor 1")
    room.start_touch("colour", "More colour, pale first")
    room.type_into("colour", "60 %")
    room.settle()
    slider = room.all("[data-open=true] input[type=range]")[0]
    ActionChains(room.driver).double_click(slider).perform()
    room.settle()
    assert room.named("colour, number").get_attribute("value") == "0 %"
    slider.send_keys(Keys.ARROW_RIGHT)
    slider.send_keys(Keys.SHIFT, Keys.ARROW_RIGHT)
    room.until(lambda: room.named("colour, number").get_attribute("value") == "+11 %")
    room.settle()
    slider.send_keys(Keys.DELETE)
    room.settle()
    assert settings_of("Tenor 1", "saturation")["amount"] == 0
    # A hue shows at full strength only while it is being chosen.
    room.keys(Keys.ESCAPE)
    room.start_touch("toning", "A tint over all")
    room.settle()
    wall = room.colour(*WALL)
    hue = next(s for s in room.all("[data-open=true] input[type=range]") if s.get_attribute("aria-valuetext") == "70 °")
    ActionChains(room.driver).click_and_hold(hue).move_by_offset(8, 0).perform()
    room.until(lambda: np.abs(np.subtract(room.colour(*WALL), wall)).max() > 40, "the hue at full strength")
    ActionChains(room.driver).release().perform()
    room.settle()
    assert settings_of("Tenor 1", "toning")["middle_amount"] == 0.2
    assert np.abs(np.subtract(room.colour(*WALL), wall)).max() < 25


def test_looking_hard_and_clipping_never_enter_the_sheet(choir):
    room = choir("Tenor 1")
    edit, before = room.revision(), light(room, DARK_CHEEK)
    ActionChains(room.driver).key_down("l").perform()
    room.until(lambda: light(room, DARK_CHEEK) > 1.5 * before)
    assert "not changed" in room.text("[data-stage] [role=status]")
    ActionChains(room.driver).key_up("l").perform()
    room.until(lambda: light(room, DARK_CHEEK) == pytest.approx(before, abs=4))
    room.start_touch("lift", "Brighten")
    room.type_into("exposure", "3")
    room.settle()
    room.keys("c")
    room.settle()
    marked = room.colour(*LIT_CHEEK)
    room.keys("c")
    room.settle()
    assert room.colour(*LIT_CHEEK) != pytest.approx(marked, abs=10)
    room.rest_at(*LIT_CHEEK)
    said = room.until(lambda: room.text("[data-numbers]"))
    first, second = said.split("→")
    assert int(first.split()[1]) < int(second.split()[1])
    assert "RGB 255" in second
    assert room.revision() == edit + 2


def test_levels_are_set_on_the_histogram_and_neutral_is_picked(choir):
    room = choir("Tenor 1")
    room.start_touch("levels", "Set black and white")
    room.pull(room.until(lambda: room.all("[data-levels] [data-mark=white]")[0]), -80)
    room.settle()
    levels = settings_of("Tenor 1", "levels")
    assert levels["white"] == pytest.approx(0.97 - 80 / 260, abs=0.05)
    room.type_into("black", "0,9")
    room.settle()
    # Black stops below white instead of being refused.
    assert settings_of("Tenor 1", "levels")["black"] == pytest.approx(levels["white"] - 0.02, abs=0.011)
    undo_all(room)
    room.start_touch("neutral", "Balance to a neutral")
    room.click("pick something neutral")
    cast = np.ptp(room.colour(*CLOTH, side=33)[:3])
    room.drag(CLOTH)
    room.settle()
    assert np.ptp(room.colour(*CLOTH, side=33)[:3]) < 0.5 * cast
    assert settings_of("Tenor 1", "white-balance") != {"warmth": 0, "tint": 0}
    assert room.named("pick something neutral", tag="button").get_attribute("aria-pressed") == "false"
