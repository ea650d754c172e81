"""Turning, straightening and cropping by hand; what was painted and found goes along, and all is undone."""

import io

import numpy as np
import pytest
from PIL import Image
from procrastinate.contrib.django.models import ProcrastinateJob
from selenium.webdriver import Keys

from studio import sheets
from studio.models import Portrait
from tests.browser.test_access import violations
from tests.browser.test_found import take
from tests.pictures import bytes_of
from tests.studio.prepared import prepared
from tests.studio.talk import work


def geometry():
    return sheets.document_of(Portrait.objects.latest("created")).json["geometry"]


def pixels(room):
    return tuple(int(n) for n in room.text("[data-pixels]").removesuffix(" px").split(" × "))


def test_a_picture_is_turned_straightened_and_cropped_in_one_edit_and_exported_so(room, downloads):
    middle = room.colour(0.5, 0.5)
    room.click("Turn and crop")
    room.one("[data-crop]")
    room.click("Turn to the right")
    room.settle()
    assert pixels(room) == (750, 600)
    room.pull(room.one("[data-grip='1 1']"), -120, -90)
    room.pull(room.one("[data-crop-frame]"), 30, 20)
    wide, high = pixels(room)
    assert wide < 700
    assert high < 560
    room.one("[data-turning] select").send_keys("4 : 5")
    wide, high = pixels(room)
    assert wide / high == pytest.approx(5 / 4, rel=0.01)
    # A line that is drawn along what should be level.
    room.click("by a line")
    room.drag((0.3, 0.5), (0.6, 0.52))
    room.settle()
    assert violations(room) == []
    room.keys(Keys.ENTER)
    room.settle()
    assert room.revision() == 1
    assert geometry()["straighten"] < -1
    assert "turned to the right" in room.text("[data-geometry]")
    exported = np.asarray(Image.open(io.BytesIO(room.exported(downloads, work))))
    assert exported.shape[1] / exported.shape[0] == pytest.approx(5 / 4, rel=0.01)
    at = exported[len(exported) // 2, exported.shape[1] // 2].astype(int)
    assert np.abs(at - room.colour(0.5, 0.5, 1)[:3]).max() < 6
    room.keys("z", hold=Keys.CONTROL)
    room.until(lambda: not room.all("[data-geometry]"))
    room.settle()
    assert room.colour(0.5, 0.5) == pytest.approx(middle, abs=2)


def test_what_is_found_painted_and_pointed_at_lies_on_a_turned_picture_where_it_is_seen(choir):
    room = choir("Soprano 2", searched=True)
    room.keys("T")
    room.click("Turn to the left")
    room.keys(Keys.ENTER)
    room.settle()
    take(room, "lips")
    room.start_touch("lift", "Brighten")
    room.settle()
    # The stitches of the lips lie on lips: where those are after a quarter to the left.
    box = room.driver.execute_script(
        "const c = document.querySelector('[data-overlay]');"
        "const d = c.getContext('2d').getImageData(0, 0, c.width, c.height);"
        "let n = 0, x = 0, y = 0; for (let i = 3, k = 0; i < d.data.length; i += 4, k++) if (d.data[i]) {"
        "n++; x += k % c.width; y += Math.floor(k / c.width); } return [n, x / n / c.width, y / n / c.height]"
    )
    assert box[0] > 50
    red = room.colour(box[1], box[2])
    assert red[0] > red[1] + 15
    # A stroke is kept where it was seen, in the upright picture.
    room.keys(Keys.ESCAPE, Keys.ESCAPE, Keys.ESCAPE)
    room.click("+ new area")
    room.drag((0.48, 0.35), (0.52, 0.35))
    room.settle()
    document = sheets.document_of(Portrait.objects.latest("created")).json
    points = np.array(document["areas"][-1]["parts"][0]["strokes"][0]["points"])
    # To the right on the stage is down on the original after a quarter to the left.
    assert np.ptp(points[:, 1]) > 5 * np.ptp(points[:, 0])
    assert room.stitched(0.5, 0.35) > 20


def test_a_touch_that_is_laid_leaves_the_view_where_it_is(room):
    room.keys("2")
    room.drag((0.5, 0.5), (0.4, 0.4))
    room.settle()
    room.start_touch("lift", "Brighten")
    room.settle()
    assert room.text("[aria-label=Zoom] [aria-pressed=true]") == "200 %"


def test_escape_leaves_the_picture_as_it_was_and_cards_are_turned_together(room, client, sitting):
    room.keys("T")
    room.click("Turn to the right")
    room.keys(Keys.ESCAPE)
    room.settle()
    assert (room.revision(), geometry()["turns"]) == (0, 0)
    prepared(client, sitting, "Tenor 2.jpg", bytes_of("JPEG", 600, 750, seed=3))
    room.go(f"/sittings/{sitting.pk}")
    for name in ("Tenor 1", "Tenor 2"):
        room.click(f"Choose {name}")
    room.click("Turn to the left")
    room.until(lambda: ProcrastinateJob.objects.filter(task_name="card", status="todo").count() == 2)
    assert [p.finished for p in Portrait.objects.all()] == [[750, 600]] * 2
    work()

    def lie_across():
        sizes = "return [...document.querySelectorAll('[data-index] img')].map((i) => i.naturalWidth > i.naturalHeight)"
        return room.driver.execute_script(sizes) == [True, True]

    room.until(lie_across, "both cards on their side")
