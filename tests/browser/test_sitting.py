"""A sitting at a time: presets, carrying over, and walking through what became of it."""

import json
import zipfile
from io import BytesIO

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver import ActionChains, Keys
from selenium.webdriver.support.select import Select

from studio import sheets
from studio.models import CarriedTo, Edit, Export, Portrait
from tests.browser import conftest
from tests.studio.prepared import prepared
from tests.studio.talk import work

NAMES = ("Alto 1", "Alto 4", "Bass 4", "Mezzo 4", "Tenor 4", "Tenor 5")


@pytest.fixture
def choir_of_six(choir, client, sitting):
    """The first of six portraits of one sitting in the workroom; the others are prepared."""
    room = choir("Alto 1", searched=True)
    for name in NAMES[1:]:
        prepared(client, sitting, f"{name}.png", conftest.small_copy("Alto 1"))
    return room


def pick_all(room):
    """Pick every touch by Ctrl and a click on its number."""
    ActionChains(room.driver).key_down(Keys.CONTROL).perform()
    for number in room.all("[data-touch] [data-picked]"):
        number.click()
    ActionChains(room.driver).key_up(Keys.CONTROL).perform()


def rows(room):
    return {row.get_attribute("data-row"): row.get_attribute("data-state") for row in room.all("[data-row]")}


def test_a_preset_is_saved_carried_over_and_walked_through(choir_of_six, sitting, downloads):
    room = choir_of_six
    for need, title in (("even", "Even the skin"), ("shadows", "Open the shadows"), ("warmer", "Warm")):
        room.start_touch(need, title)
    room.keys(Keys.ESCAPE, Keys.ESCAPE)
    pick_all(room)
    room.click("save as a preset…")
    room.one("[role=dialog] input").send_keys("Evening")
    room.one("[role=dialog] textarea").send_keys("for lamps from the left")
    room.click("Save the preset")
    room.until(lambda: not room.all("[role=dialog]"))

    # It goes out as a file and comes in again.
    room.go("/presets")
    preset = json.loads(room.take_home("as a file", downloads))
    assert [t["kind"] for t in preset["sheet"]["touches"]] == ["even", "zones", "white-balance"]

    room.go(f"/sittings/{sitting.pk}")
    room.click(f"Choose {NAMES[1]}")
    ActionChains(room.driver).key_down(Keys.SHIFT).click(room.named(f"Choose {NAMES[5]}")).key_up(Keys.SHIFT).perform()
    room.click("Carry a preset over…")
    room.one("[role=radiogroup] input").click()
    room.click("Carry over", tag="button")
    room.one("[data-carried=going]")
    room.click("Pause")
    room.named("Go on")
    work()
    assert set(rows(room).values()) == {"waiting"}
    room.click("Go on")
    room.named("Pause")
    work()
    room.one("[data-carried=ended]")
    room.until(lambda: rows(room) == dict.fromkeys(NAMES[1:], "found itself"), "all of them carried over")
    before, after = (np.asarray(Image.open(BytesIO(f.open().read()))).astype(int) for f in pair_of(NAMES[1]))
    face = (slice(330, 420), slice(250, 350))
    red, _, blue = (after - before)[face].mean((0, 1))
    assert red > blue + 3

    # Walked through by one key each.
    for key, name, says in (("f", 1, "fits"), ("w", 2, "needs work"), ("u", 3, "undone")):
        room.keys(key)
        room.until(lambda name=name, says=says: rows(room)[NAMES[name]] == says)
    assert "3 of 5 looked at" in room.text("main")
    undone = Portrait.objects.get(name=NAMES[3])
    assert sheets.document_of(undone).json["touches"] == []
    assert all(Edit.objects.filter(portrait__name=name).count() == 1 for name in NAMES[1:])

    # One is corrected where it needs work; it is one set there, weakened in one.
    room.keys(Keys.ARROW_UP, Keys.ARROW_UP)
    room.click(f"Open {NAMES[2]}")
    room.one("[data-touch]")
    assert room.touches()[0] == "Evening on the whole picture"
    assert len(room.touches()) == 4
    room.one("[data-touch] [data-picked]").click()
    room.type_into("strength", "50")
    room.saved()
    assert sheets.document_of(Portrait.objects.get(name=NAMES[2])).json["touches"][0]["strength"] == 0.5

    # The sitting's cards show it, and the portrait as it came while that is held.
    room.go(f"/sittings/{sitting.pk}")
    card = f"[data-portrait='{NAMES[2]}']"
    room.one(card)
    work()
    room.until(lambda: "3 touches" in room.text(f"{card} [data-done]"))
    picture = room.one(f"{card} img")
    assert "retouched" in picture.get_attribute("src")
    hold = ActionChains(room.driver).click_and_hold(room.named(f"Hold to see {NAMES[2]} before"))
    hold.perform()
    room.until(lambda: "thumbnail" in picture.get_attribute("src"))
    hold.reset_actions()
    ActionChains(room.driver).release().perform()
    room.until(lambda: "retouched" in picture.get_attribute("src"))


def pair_of(name):
    row = CarriedTo.objects.get(portrait__name=name)
    return row.before, row.after


def test_a_preset_is_laid_from_the_box_and_says_what_is_not_there(choir_of_six, tmp_path):
    room = choir_of_six
    area = {"id": "a", "name": "the teeth", "parts": [{"id": "p", "source": "face-part", "part": "teeth"}]}
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 0.2}, "area": "a"}
    sheet = {"format": "needlepoint-sheet", "version": 2, "areas": [area], "touches": [touch]}
    file = {"format": "needlepoint-preset", "version": 1, "name": "Bright teeth", "sheet": sheet}
    room.go("/presets")
    path = tmp_path / "bright-teeth.json"
    path.write_text(json.dumps(file))
    room.named("Bring one in")
    room.driver.find_element("css selector", "input[type=file]").send_keys(str(path))
    room.one("[data-preset='Bright teeth']")
    room.open_portrait(Portrait.objects.get(name=NAMES[0]).pk)
    room.start_touch("bright te", "Bright teeth")
    assert room.touches() == ["Brighten the teeth by +0.20 EV"]
    assert "Not found on this portrait: the teeth" in room.text("[data-notice]")
    room.keys("z", hold=Keys.CONTROL)
    room.until(lambda: room.touches() == [])


def test_two_orders_go_home_as_one_zip_left_and_taken_up_again(choir_of_six, sitting, downloads):
    room = choir_of_six
    room.start_touch("brighter", "Brighten")
    room.go(f"/sittings/{sitting.pk}")
    room.click("Choose Alto 1")
    room.click("Choose Bass 4")
    # Flagged by one key, and listed alone.
    room.keys("k")
    room.until(lambda: [e.text for e in room.all("[data-flag]")] == ["keep", "keep"])
    showing = Select(room.one("main select"))
    showing.select_by_visible_text("flagged keep")
    room.until(lambda: room.text("[data-count]") == "2 of 6")
    showing.select_by_visible_text("flagged maybe")
    room.click("Show all", tag="button")
    room.until(lambda: len(room.all("[data-portrait]")) == 6)
    room.click("Hand over as files…")
    room.until(lambda: "Evening rehearsal/web/Alto 1.jpg" in room.text("[data-names]"))
    pattern = room.named("pattern of the names")
    pattern.send_keys(Keys.CONTROL, "a", Keys.NULL, "{who}")
    assert "no field {who}" in room.text("[data-names] [role=alert]")
    assert not room.named("Make the files").is_enabled()
    pattern.send_keys(Keys.CONTROL, "a", Keys.NULL, "web/{number} {name}")
    size = room.named("long side in px")
    size.send_keys(Keys.CONTROL, "a", Keys.NULL, "300")
    room.click("+ another order")
    room.until(lambda: "4 files in all" in room.text("[data-names]"))
    room.click("Make the files")
    room.one("[data-batch=going]")
    room.click("Leave out the rest")
    room.until(lambda: len(room.all("[data-state=cancelled]")) == 4)
    room.click("Go on")
    room.one("[data-batch=going]")
    work()
    room.until(lambda: len(room.all("[data-state=ready]")) == 4)
    with zipfile.ZipFile(BytesIO(room.take_home("Fetch as a ZIP", downloads))) as files:
        sizes = {name: Image.open(BytesIO(files.read(name))).size for name in files.namelist()}
        lifted, plain = (np.asarray(Image.open(BytesIO(files.read(n)))) for n in sorted(sizes) if n.startswith("web"))
    print_folder = f"{sitting.name}/print"
    assert sizes == {
        "web/001 Alto 1.jpg": (240, 300), "web/002 Bass 4.jpg": (240, 300),
        f"{print_folder}/Alto 1.tif": (600, 750), f"{print_folder}/Bass 4.tif": (600, 750),
    }  # fmt: skip
    assert lifted.mean() > plain.mean() + 5
    room.click("Delete the files")
    room.click("Delete", tag="button")
    room.one("[data-portrait]")
    assert not Export.objects.exists()
